/** What can be done to a path: one record, used by menus, keys and buttons. */
import { current } from "immer";
import type { KindInfo, Step, Zone } from "../../api/client";
import { useWork } from "../../state/work";
import { useSession } from "../../state/session";

const ORDER: Zone[] = ["scene", "film", "screen"];

function freshId(): string {
  return crypto.randomUUID().slice(0, 8);
}

/** The values of a new step, as the catalogue gives them. */
function neutral(info: KindInfo): Record<string, unknown> {
  const entries = info.fields.map((f) => [f.id, f.type === "curve" ? [] : f.default]);
  return Object.fromEntries(entries) as Record<string, unknown>;
}

/** A new step that changes nothing. */
export function freshStep(info: KindInfo, zone: Zone): Step {
  const step = { id: freshId(), name: info.title, zone, on: true, strength: 1, kind: info.kind, values: neutral(info) };
  return step as unknown as Step;
}

/** Adds a step after the step in hand where that stands in the same zone, else at the zone's end. */
export function add(info: KindInfo, zone: Zone): void {
  const { document, step } = useWork.getState();
  const steps = document?.path.steps ?? [];
  const inHand = steps.findIndex((s) => s.id === step && s.zone === zone);
  const end = steps.findLastIndex((s) => ORDER.indexOf(s.zone) <= ORDER.indexOf(zone)) + 1;
  const at = inHand >= 0 ? inHand + 1 : end;
  const fresh = freshStep(info, zone);
  useWork.getState().edit(`Add ${info.title}`, (draft) => draft.path.steps.splice(at, 0, fresh));
  useWork.getState().select(fresh.id);
}

function withStep(id: string, label: string, change: (steps: Step[], at: number) => void): void {
  useWork.getState().edit(label, (draft) => {
    const at = draft.path.steps.findIndex((s) => s.id === id);
    if (at >= 0) change(draft.path.steps, at);
  });
}

export function remove(id: string): void {
  const steps = useWork.getState().document?.path.steps ?? [];
  const at = steps.findIndex((s) => s.id === id);
  const next = steps[at + 1] ?? steps[at - 1];
  withStep(id, `Delete ${steps[at]?.name ?? "step"}`, (all, i) => all.splice(i, 1));
  useWork.getState().select(next?.id ?? null);
}

export function duplicate(id: string): void {
  const fresh = freshId();
  withStep(id, "Duplicate step", (all, i) => {
    const source = all[i];
    if (source) all.splice(i + 1, 0, { ...structuredClone(current(source)), id: fresh, name: `${source.name} copy` });
  });
  useWork.getState().select(fresh);
}

/** Moves a step by places inside its zone. */
export function move(id: string, by: number): void {
  const steps = useWork.getState().document?.path.steps ?? [];
  const at = steps.findIndex((s) => s.id === id);
  const other = steps[at + by];
  if (at >= 0 && other && other.zone === steps[at]?.zone) moveTo(id, other.id);
}

/** Moves a step to where another of its zone stands. */
export function moveTo(id: string, onto: string): void {
  withStep(id, "Move step", (all, from) => {
    const to = all.findIndex((s) => s.id === onto);
    if (to < 0 || all[to]?.zone !== all[from]?.zone) return;
    const [step] = all.splice(from, 1);
    if (step) all.splice(to, 0, step);
  });
}

export function rename(id: string, name: string): void {
  const clean = name.trim().slice(0, 200);
  if (clean) withStep(id, "Rename step", (all, i) => { if (all[i]) all[i].name = clean; });
}

export function toggle(id: string): void {
  withStep(id, "Switch step", (all, i) => { if (all[i]) all[i].on = !all[i].on; });
}

export function setStrength(id: string, strength: number, gesture?: string): void {
  useWork.getState().edit(
    "Strength",
    (draft) => {
      const step = draft.path.steps.find((s) => s.id === id);
      if (step) step.strength = Math.min(1, Math.max(0, strength));
    },
    gesture && `${id}/${gesture}`,
  );
}

/** Gives a step the values that change nothing. */
export function reset(id: string): void {
  const catalogue = useSession.getState().catalogue;
  withStep(id, "Reset step", (all, i) => {
    const step = all[i];
    const info = catalogue.find((k) => k.kind === step?.kind);
    if (step && info) step.values = neutral(info) as unknown as typeof step.values;
  });
}
