/** Paths and catalogues for tests: no more than a test says. */
import type { KindInfo, Look, Step, Zone } from "../data/client";
import { useSession } from "../session/session";
import { useWork } from "../document/work";

/** A step whose name is its id. */
export function step(id: string, more: Partial<Step> & { kind?: string } = {}): Step {
  return { id, name: id, zone: "scene", on: true, strength: 1, kind: "tone", values: { exposure: 0 }, ...more } as unknown as Step;
}

/** A kind of step, with a number and a list for values. */
export function kind(id: string, zones: Zone[] = ["scene", "screen"]): KindInfo {
  const fields = [
    { id: "exposure", title: "Exposure", type: "number", unit: "stops", default: 0 },
    { id: "points", title: "Points", type: "points", unit: "plain" },
  ];
  return { kind: id, title: id, zones, fields, picture_only: "" } as unknown as KindInfo;
}

/** Light goes through the kinds of the Film zone in this order. */
export const CATALOGUE = [
  kind("balance"),
  kind("tone"),
  kind("bloom", ["film"]),
  kind("negative", ["film"]),
  kind("grain", ["film"]),
  kind("print", ["film"]),
  kind("plain-rendering", ["film"]),
];

/** Puts a look of these steps into the hand, with nothing to undo. */
export function inHand(steps: Step[], groups: { id: string; name: string; on?: boolean; strength?: number }[] = []): void {
  const document = { version: 3, name: "Dusk", notes: "", tags: [], path: { steps, groups: groups.map((g) => ({ on: true, strength: 1, ...g })) } };
  useSession.setState({ catalogue: CATALOGUE, notice: "" });
  useWork.setState({
    ...useWork.getInitialState(),
    id: "dusk",
    revision: 1,
    document: document as unknown as Look,
    step: steps[0]?.id ?? null,
  });
}

export function steps(): Step[] {
  return useWork.getState().document?.path.steps ?? [];
}

/** The path in hand as its ids, with those of groups in brackets: `a (g: b c) d`. */
export function shape(): string {
  const parts: string[] = [];
  let open: string | undefined;
  for (const s of steps()) {
    const group = s.group ?? undefined;
    if (open && group !== open) parts[parts.length - 1] += ")";
    parts.push(group && group !== open ? `(${group}: ${s.id}` : s.id);
    open = group;
  }
  return parts.join(" ") + (open ? ")" : "");
}

/** The same with the names of steps, for those whose ids are made up on the way. */
export function names(): string[] {
  return steps().map((s) => s.name);
}
