/** What is being looked at: shots, frames, the held key. */
import { replaceEqualDeep } from "@tanstack/react-query";
import { create } from "zustand";
import { api, type EncodingInfo, type Field, type KindInfo, type Path, type Production, type ScopeInfo, type Shot, type StockFields, type Stocks } from "../data/client";

export type Held = "untouched" | "version" | "rest" | "step" | "group" | null;
export type Place = "footage" | "balance" | "look" | "handoff";

interface Session {
  production: Production | null;
  catalogue: KindInfo[];
  encodings: EncodingInfo[];
  scopes: ScopeInfo | null;
  /** The parameters of a colour range. */
  rangeFields: Field[];
  /** Film stocks to choose from, and the parameters of their parts. */
  stocks: Stocks | null;
  stockFields: StockFields | null;
  /** Whether the Shelf is open. */
  shelf: boolean;
  /** What is previewed in place of the path: what it would be with something from the Shelf, and that thing's name. */
  trying: { name: string; path: Path } | null;
  place: Place;
  shot: string | null;
  /** The shot that was looked at before, for flipping to and fro. */
  before: string | null;
  /** The frame that is looked at, by its place in the order; null for the shot's poster. */
  frame: number | null;
  playing: boolean;
  /** Whether the shot is rendered frame by frame and played with all its texture. */
  reel: boolean;
  held: Held;
  /** The shots whose encoding is being chosen. */
  encode: string[] | null;
  /** Whether the sheet with all keys is open. */
  keys: boolean;
  notice: string;
  /** What can be done about the notice. */
  action: { label: string; run: () => void } | null;
  set: (change: Partial<Omit<Session, "set">>) => void;
  /** Takes another shot into the hand. */
  show: (shot: string) => void;
}

export const useSession = create<Session>((set, get) => ({
  production: null,
  catalogue: [],
  encodings: [],
  scopes: null,
  rangeFields: [],
  stocks: null,
  stockFields: null,
  shelf: false,
  trying: null,
  place: "look",
  shot: null,
  before: null,
  frame: null,
  playing: false,
  reel: false,
  held: null,
  encode: null,
  keys: false,
  notice: "",
  action: null,
  set: (change) => set(change),
  show: (shot) => {
    if (shot !== get().shot) set({ shot, before: get().shot, frame: null, playing: false });
  },
}));

/** Reads the production anew after it was changed. A shot that is gone is not in hand any more. */
export async function refreshProduction(): Promise<void> {
  const id = useSession.getState().production?.id;
  if (!id) return;
  const fresh = await api.production(id);
  // What is in hand now, not what was when the answer was still on its way.
  const { production, shot, before, set } = useSession.getState();
  if (production?.id !== id) return;
  const there = (id: string | null) => shotsOf(fresh).some((s) => s.id === id && isShown(s));
  // What has not changed stays the same thing, so that only what did is drawn again.
  set({ production: replaceEqualDeep(production, fresh), before: there(before) ? before : null });
  if (!there(shot)) set({ shot: rowOf(fresh)[0]?.id ?? null, frame: null, playing: false });
}

/** Says something for a moment. */
export function say(notice: unknown, action: Session["action"] = null): void {
  useSession.getState().set({ notice: notice instanceof Error ? notice.message : String(notice), action });
}

/** Lets something run by itself; a failure is said in words. */
export function told(work: Promise<unknown> | undefined): void {
  work?.catch(say);
}

/** Changes the production and shows what came of it; a refusal is said in words. Gives whether it was done. */
export async function attempt(change: () => Promise<unknown>): Promise<boolean> {
  let done = true;
  try {
    await change();
  } catch (e) {
    done = false;
    say(e);
  }
  await refreshProduction().catch(() => undefined);
  return done;
}

/** Whether a shot can be shown: a frame of it is here. Where its encoding is unknown, its code values are. */
export function isShown(shot: Shot): boolean {
  return shot.frames > 0;
}

/** Whether a shot's code values have a meaning, so that looks can be seen on it. */
export function isInterpreted(shot: Shot): boolean {
  return shot.encoding !== "";
}

/** The shots that wear looks and can be shown, in order. */
export function rowOf(production: Production | null): Shot[] {
  return (production?.scenes ?? []).filter((s) => !s.finished).flatMap((s) => s.shots).filter(isShown);
}

const places = new WeakMap<Production, Map<string, number>>();

/** The place of a shot among all that can be shown, finished stills included; -1 where it cannot be. */
export function placeOf(production: Production | null, shot: string): number {
  if (!production) return -1;
  let all = places.get(production);
  if (!all) {
    all = new Map(shotsOf(production).filter(isShown).map((s, i) => [s.id, i]));
    places.set(production, all);
  }
  return all.get(shot) ?? -1;
}

/** All shots of the production in order, finished stills included. */
export function shotsOf(production: Production | null): Shot[] {
  return production?.scenes.flatMap((scene) => scene.shots) ?? [];
}

/** The shot in hand. */
export function shotInHand(s: Session): Shot | undefined {
  return shotsOf(s.production).find((x) => x.id === s.shot);
}
