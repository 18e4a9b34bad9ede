/** What can be done to a path: one record, used by menus, keys and buttons. */
import { LOOK_VERSION } from "../data/constants";
import { current } from "immer";
import { api, type KindInfo, type Look, type Path, type Region, type Step, type StepGroup, type Zone } from "../data/client";
import { pickedSteps, useWork } from "../document/work";
import { say, useSession } from "../session/session";
import { refusedName } from "../ui/units";
import { firstStock, withFilm } from "./film";
import type { CommandId } from "./keymap";

const ORDER: Zone[] = ["scene", "film", "screen"];

function freshId(): string {
  return crypto.randomUUID().slice(0, 8);
}

/** The values of a new step, as the catalogue gives them. */
function neutral(info: KindInfo): Record<string, unknown> {
  const begin = (f: KindInfo["fields"][number]) => {
    if (f.type === "number" || f.type === "switch") return f.default;
    if (f.type === "families") return f.borders.map((border) => ({ border, hue: 0, saturation: 1, brightness: 0 }));
    return f.type === "negativestock" || f.type === "printstock" ? firstStock(f.type) : [];
  };
  const entries = info.fields.map((f) => [f.id, begin(f)]);
  return Object.fromEntries(entries) as Record<string, unknown>;
}

/** A new step that changes nothing. */
export function freshStep(info: KindInfo, zone: Zone): Step {
  const step = { id: freshId(), name: info.title, zone, on: true, strength: 1, kind: info.kind, values: neutral(info) };
  return step as unknown as Step;
}

/**
 * Where something new goes in a zone: after the selected step or group where that stands there, else at its end. It goes
 * into a group only where that group does all of it everywhere: elsewhere the new step would do less than it says.
 */
export function placeIn(zone: Zone): { at: number; group: string | undefined } {
  const { document, step } = useWork.getState();
  const steps = document?.path.steps ?? [];
  const selected = steps.findLastIndex((s) => (s.id === step || s.group === step) && s.zone === zone);
  if (selected >= 0) {
    const group = document?.path.groups?.find((g) => g.id === steps[selected]?.group);
    if (!group) return { at: selected + 1, group: undefined };
    if (group.on && group.strength >= 1 && !group.region) return { at: selected + 1, group: group.id };
    return { at: steps.findLastIndex((s) => s.group === group.id) + 1, group: undefined };
  }
  return { at: steps.findLastIndex((s) => ORDER.indexOf(s.zone) <= ORDER.indexOf(zone)) + 1, group: undefined };
}

/** Adds a step after the step in hand where that stands in the same zone, else at the zone's end. */
export function add(info: KindInfo, zone: Zone): void {
  if (zone === "film") {
    const fresh = freshStep(info, zone);
    useWork.getState().edit(`Add ${info.title}`, (draft) => { draft.path.steps = withFilm(current(draft.path.steps), [fresh]); });
    useWork.getState().select(fresh.id);
    return;
  }
  const { at, group } = placeIn(zone);
  const fresh = { ...freshStep(info, zone), ...(group && { group }) };
  useWork.getState().edit(`Add ${info.title}`, (draft) => draft.path.steps.splice(at, 0, fresh));
  useWork.getState().select(fresh.id);
}

/** Takes away groups that no step belongs to. */
function tidy(path: Path): void {
  path.groups = (path.groups ?? []).filter((g) => path.steps.some((s) => s.group === g.id));
}

function withStep(id: string, label: string, change: (steps: Step[], at: number, path: Path) => void): void {
  useWork.getState().edit(label, (draft) => {
    const at = draft.path.steps.findIndex((s) => s.id === id);
    if (at >= 0) change(draft.path.steps, at, draft.path);
    tidy(draft.path);
  });
}

function nameOf(id: string): string {
  const path = useWork.getState().document?.path;
  return path?.steps.find((s) => s.id === id)?.name ?? path?.groups?.find((g) => g.id === id)?.name ?? "step";
}

/** A label for what is done to some steps. */
function labelled(what: string, steps: Step[]): string {
  return steps.length === 1 ? `${what} ${steps[0]?.name ?? ""}` : `${what} ${steps.length} steps`;
}

export function remove(id: string): void {
  removeAll([id]);
}

function removeAll(ids: string[]): void {
  const steps = useWork.getState().document?.path.steps ?? [];
  const goes = (s: Step) => ids.includes(s.id) || ids.includes(s.group ?? "");
  const gone = steps.filter(goes);
  if (gone.length === 0) return;
  const last = steps.findLastIndex(goes);
  const next = steps[last + 1] ?? steps.filter((s) => !goes(s)).at(-1);
  useWork.getState().edit(labelled("Delete", gone), (draft) => {
    draft.path.steps = draft.path.steps.filter((s) => !goes(s));
    tidy(draft.path);
  });
  useWork.getState().select(next?.id ?? null);
}

export function duplicate(id: string): void {
  const fresh = freshId();
  withStep(id, `Duplicate ${nameOf(id)}`, (all, i) => {
    const source = all[i];
    if (source && source.zone !== "film") all.splice(i + 1, 0, { ...structuredClone(current(source)), id: fresh, name: `${source.name} copy` });
  });
  useWork.getState().select(fresh);
}

/** Moves a step by places inside its zone, into and out of groups as it meets them. */
export function move(id: string, by: number): void {
  const steps = useWork.getState().document?.path.steps ?? [];
  const at = steps.findIndex((s) => s.id === id);
  const [step, other] = [steps[at], steps[at + by]];
  if (!step) return;
  // At the edge of its group a step first leaves that, then goes on.
  if (step.group && other?.group !== step.group && steps.filter((s) => s.group === step.group).length > 1) leaveGroup(id);
  else if (other && other.zone === step.zone) moveTo(id, other.id);
}

/** Moves a step to where another of its zone stands, into the group that stands there. */
export function moveTo(id: string, onto: string): void {
  withStep(id, `Move ${nameOf(id)}`, (all, from) => {
    const to = all.findIndex((s) => s.id === onto);
    const target = all[to];
    // Steps of the film stand in the order that light goes.
    if (!target || target.zone !== all[from]?.zone || target.zone === "film") return;
    const group = target.group;
    const [step] = all.splice(from, 1);
    if (!step) return;
    step.group = group;
    all.splice(to, 0, step);
  });
}

/** Moves a whole group to where a step of the same zone stands that is in another group or in none. */
export function moveGroupTo(id: string, onto: string): void {
  const steps = useWork.getState().document?.path.steps ?? [];
  const own = steps.filter((s) => s.group === id);
  const target = steps.find((s) => s.id === onto);
  if (!target || target.group === id || target.zone !== own[0]?.zone) return;
  useWork.getState().edit(`Move ${nameOf(id)}`, (draft) => {
    const down = steps.indexOf(target) > steps.indexOf(own[0] as Step);
    const rest = draft.path.steps.filter((s) => s.group !== id);
    // A group does not go into another one: it goes before or after all of it.
    const meets = (s: Step) => s.id === onto || (target.group && s.group === target.group);
    const at = down ? rest.findLastIndex(meets) + 1 : rest.findIndex(meets);
    const moved = draft.path.steps.filter((s) => s.group === id);
    draft.path.steps = [...rest.slice(0, at), ...moved, ...rest.slice(at)];
  });
}

export function rename(id: string, name: string): void {
  const clean = name.trim();
  const why = refusedName(clean);
  if (why) {
    say(`“${nameOf(id)}” keeps its name. ${why}`);
    return;
  }
  if (clean === nameOf(id)) return;
  useWork.getState().edit(`Rename ${nameOf(id)}`, (draft) => {
    const found = draft.path.steps.find((s) => s.id === id) ?? draft.path.groups?.find((g) => g.id === id);
    if (found) found.name = clean;
  });
}

/** What steps and groups have alike. */
type Shared = Pick<Step, "on" | "strength"> & { region?: Region | null };

function editShared(id: string, label: string, change: (found: Shared) => void, gesture?: string): void {
  useWork.getState().edit(
    label,
    (draft) => {
      const found = draft.path.steps.find((s) => s.id === id) ?? draft.path.groups?.find((g) => g.id === id);
      if (found) change(found);
    },
    gesture && `${id}/${gesture}`,
  );
}

export function toggle(id: string): void {
  editShared(id, `Switch ${nameOf(id)}`, (found) => { found.on = !found.on; });
}

export function setStrength(id: string, strength: number, gesture?: string): void {
  editShared(id, `Strength of ${nameOf(id)}`, (found) => { found.strength = Math.min(1, Math.max(0, strength)); }, gesture);
}

/** Holds a step or group to a region, or lets it work everywhere. */
export function setRegion(id: string, label: string, region: Region | null, gesture?: string): void {
  editShared(id, `${label} of ${nameOf(id)}`, (found) => {
    if (region) found.region = region;
    else delete found.region;
  }, gesture);
}

/** Changes a part of the range that a step or group is held to, as it is now. */
export function changeRange(id: string, label: string, part: Partial<Region["colours"]>, gesture?: string): void {
  editShared(id, `${label} of ${nameOf(id)}`, (found) => { if (found.region) Object.assign(found.region.colours, part); }, gesture);
}

/** Gives a step the values that change nothing. */
export function reset(id: string): void {
  const catalogue = useSession.getState().catalogue;
  withStep(id, `Reset ${nameOf(id)}`, (all, i) => {
    const step = all[i];
    const info = catalogue.find((k) => k.kind === step?.kind);
    if (step && info) step.values = neutral(info) as unknown as typeof step.values;
  });
}

/** Makes one group of the picked steps: those of the first one's zone, brought together where that stands. */
export function group(): void {
  const picked = pickedSteps(useWork.getState()).filter((s) => s.zone !== "film");
  const first = picked[0];
  if (!first) return;
  const ids = picked.filter((s) => s.zone === first.zone).map((s) => s.id);
  const fresh: StepGroup = { id: freshId(), name: ids.length > 1 ? "Group" : `Group of ${first.name}`, on: true, strength: 1 };
  useWork.getState().edit(`Group ${ids.length} steps`, (draft) => {
    const members = draft.path.steps.filter((s) => ids.includes(s.id));
    const rest = draft.path.steps.filter((s) => !ids.includes(s.id));
    const before = draft.path.steps.slice(0, draft.path.steps.findIndex((s) => s.id === first.id)).filter((s) => !ids.includes(s.id));
    let at = before.length;
    // Not into the middle of another group: after it.
    while (rest[at]?.group && rest[at]?.group === rest[at - 1]?.group) at += 1;
    for (const m of members) m.group = fresh.id;
    draft.path.steps = [...rest.slice(0, at), ...members, ...rest.slice(at)];
    draft.path.groups = [...(draft.path.groups ?? []), fresh];
    tidy(draft.path);
  });
  useWork.getState().select(fresh.id);
}

/** Takes a group apart; its steps stay where they are. */
export function ungroup(id: string): void {
  const first = useWork.getState().document?.path.steps.find((s) => s.group === id);
  useWork.getState().edit(`Ungroup ${nameOf(id)}`, (draft) => {
    for (const s of draft.path.steps) if (s.group === id) delete s.group;
    tidy(draft.path);
  });
  useWork.getState().select(first?.id ?? null);
}

/** Takes a step out of its group, to the side of it that is nearer. */
export function leaveGroup(id: string): void {
  withStep(id, `Take ${nameOf(id)} out of its group`, (all, from) => {
    const step = all[from];
    if (!step?.group) return;
    const own = all.flatMap((s, i) => (s.group === step.group ? [i] : []));
    const [top = from, bottom = from] = [own[0], own.at(-1)];
    delete step.group;
    all.splice(from, 1);
    all.splice(from - top <= bottom - from ? top : bottom, 0, step);
  });
}

/** Steps that were copied, with the groups that they stood in. Kept in the browser: they go to other productions. */
interface Clip {
  steps: Step[];
  groups: StepGroup[];
}
const CLIP = "dusky-lantern steps";

function clipOf(steps: Step[], path: Path): Clip {
  return { steps, groups: (path.groups ?? []).filter((g) => steps.some((s) => s.group === g.id)) };
}

export function copy(): void {
  const state = useWork.getState();
  const steps = pickedSteps(state);
  if (!state.document || steps.length === 0) return;
  localStorage.setItem(CLIP, JSON.stringify(clipOf(steps, state.document.path)));
  say(`${labelled("Copied", steps)}: paste with Ctrl V, in any look or trim`);
}

export function cutOut(): void {
  copy();
  removeAll(pickedSteps(useWork.getState()).map((s) => s.id));
}

export function paste(): void {
  const text = localStorage.getItem(CLIP);
  if (!text) say("Nothing was copied yet: select steps and press Ctrl C");
  else insert("Paste", JSON.parse(text) as Clip);
}

/** A change of a document that is ready to be made, or shown before it is. */
export interface Ready {
  label: string;
  change: (draft: Look) => void;
  /** What is selected once it is made. */
  select: string | null;
}

/** Puts steps into the path in hand, each into its own zone, under ids of their own. */
export function insert(label: string, clip: Clip): void {
  const ready = inserting(label, clip);
  if (ready) make(ready);
}

/** Makes a change that is ready. */
export function make(ready: Ready): void {
  useWork.getState().edit(ready.label, ready.change);
  useWork.getState().select(ready.select);
}

/** What [`insert`] would do; null where nothing of it fits. */
export function inserting(label: string, clip: Clip, quiet = false): Ready | null {
  const { kind, document } = useWork.getState();
  if (!document) return null;
  const fits = clip.steps.filter((s) => s.zone === "scene" || kind === "look");
  const left = clip.steps.length - fits.length;
  if (!quiet && fits.length === 0) say("A trim takes steps of the Scene zone only.");
  if (fits.length === 0) return null;
  if (!quiet && left > 0) say(`${left} of the steps have no place in this path and were left out.`);
  const groups = new Map(clip.groups.map((g) => [g.id, { ...g, id: freshId() }]));
  const fresh = fits.map((s) => {
    const own = s.group ? groups.get(s.group) : undefined;
    const copy: Step = { ...structuredClone(s), id: freshId(), group: own?.id };
    return copy;
  });
  const places = new Map(ORDER.map((zone) => [zone, placeIn(zone)]));
  const change = (draft: Look) => {
    // From the last zone to the first, so that places before stay what they are.
    for (const zone of [...ORDER].reverse()) {
      const own = fresh.filter((s) => s.zone === zone);
      const place = places.get(zone);
      if (!place || own.length === 0) continue;
      if (zone === "film") {
        draft.path.steps = withFilm(current(draft.path.steps), own);
        continue;
      }
      let at = place.at;
      const grouped = own.some((s) => s.group);
      // What has groups of its own does not go into another one.
      if (grouped) while (place.group && draft.path.steps[at]?.group === place.group) at += 1;
      draft.path.steps.splice(at, 0, ...own.map((s) => (grouped || !place.group ? s : { ...s, group: place.group })));
    }
    draft.path.groups = [...(draft.path.groups ?? []), ...[...groups.values()].filter((g) => fresh.some((s) => s.group === g.id))];
  };
  return { label: labelled(label, fresh), change, select: fresh.at(-1)?.id ?? null };
}

/** A look document that holds some steps. */
export function documentOf(name: string, path: Path, notes = ""): Look {
  return { version: LOOK_VERSION, name, notes, tags: [], path };
}

/** Keeps the picked steps among the favourites. */
export async function keepFavourite(): Promise<void> {
  const state = useWork.getState();
  const steps = pickedSteps(state);
  if (!state.document || steps.length === 0) return;
  const name = steps.length === 1 ? (steps[0]?.name ?? "step") : `${steps[0]?.name ?? ""} and ${steps.length - 1} more`;
  try {
    await api.keepOnShelf("steps", documentOf(name, clipOf(steps, state.document.path)));
    say(`“${name}” is among the favourites on the Shelf`);
  } catch (e) {
    say(e);
  }
}

/** Commands on what is selected that work by their keys wherever there is a path. */
export const PATH_COMMANDS: Partial<Record<CommandId, () => void>> = {
  copy,
  cut: cutOut,
  paste,
  group: () => {
    const { step, document } = useWork.getState();
    if (step && document?.path.groups?.some((x) => x.id === step)) ungroup(step);
    else group();
  },
};

/** What adding a look as groups of its own would do, or putting it in the place of the whole path. */
export function applying(name: string, path: Path, strength: number, replace: boolean): Ready | null {
  const parts = (["scene", "screen"] as const).flatMap((zone) => {
    const steps = path.steps.filter((s) => s.zone === zone);
    return steps.length > 0 ? [{ zone, steps, id: freshId() }] : [];
  });
  const own = path.groups ?? [];
  const weaker = <T extends { strength: number }>(x: T): T => ({ ...x, strength: x.strength * strength });
  const film = path.steps.filter((s) => s.zone === "film");
  // A film comes along at its share; a plain rendering leaves one's own way to the screen alone.
  const share = film.filter((s) => s.kind !== "plain-rendering").map(weaker);
  // Groups do not stand inside of each other: each keeps its own, at its share of the strength.
  const nested = own.length > 0;
  const groups = nested ? own.map(weaker) : parts.map((p) => ({ id: p.id, name: parts.length > 1 ? `${name} · ${p.zone}` : name, on: true, strength }));
  const steps = nested
    ? path.steps.filter((s) => s.zone !== "film").map((s) => (s.group ? s : weaker(s)))
    : parts.flatMap((p) => p.steps.map((s) => ({ ...s, group: p.id })));
  if (!replace) return inserting(`Add ${name} with`, { steps: [...steps, ...share], groups }, true);
  if (!useWork.getState().document) return null;
  const whole = strength >= 1;
  const of = (zone: Zone) => (whole ? path.steps : steps).filter((s) => s.zone === zone);
  const rendering = film.map((s) => (s.kind === "plain-rendering" || whole ? s : weaker(s)));
  const change = (draft: Look) => {
    draft.path = { steps: [...of("scene"), ...rendering, ...of("screen")], groups: whole ? own : groups };
  };
  return { label: `Replace the look by ${name}`, change, select: path.steps[0]?.id ?? null };
}

/** Adds a look as groups of its own, or puts it in the place of the whole path. */
export function apply(name: string, path: Path, strength: number, replace: boolean): void {
  const ready = applying(name, path, strength, replace);
  if (ready) make(ready);
}
