/** What is being looked at: shots, the held key, the dropper. */
import { create } from "zustand";
import { api, type EncodingInfo, type KindInfo, type Production } from "../api/client";

export type Held = "untouched" | "version" | "rest" | null;

interface Session {
  production: Production | null;
  catalogue: KindInfo[];
  encodings: EncodingInfo[];
  place: "footage" | "look" | "handoff";
  shot: string | null;
  held: Held;
  /** The Balance step that waits for a place on the picture. */
  dropper: string | null;
  notice: string;
  set: (change: Partial<Omit<Session, "set">>) => void;
}

export const useSession = create<Session>((set) => ({
  production: null,
  catalogue: [],
  encodings: [],
  place: "look",
  shot: null,
  held: null,
  dropper: null,
  notice: "",
  set: (change) => set(change),
}));

/** Reads the production anew after it was changed. A shot that is gone is not in hand any more. */
export async function refreshProduction(): Promise<void> {
  const { production, shot, set } = useSession.getState();
  if (!production) return;
  const fresh = await api.production(production.id);
  const kept = rowOf(fresh).some((s) => s.id === shot);
  set({ production: fresh, shot: kept ? shot : (rowOf(fresh)[0]?.id ?? null) });
}

/** Changes the production and shows what came of it; a refusal is said in words. */
export async function attempt(change: () => Promise<unknown>): Promise<void> {
  try {
    await change();
  } catch (e) {
    useSession.getState().set({ notice: e instanceof Error ? e.message : String(e) });
  }
  await refreshProduction().catch(() => undefined);
}

/** The shots that can be shown: those whose encoding is known, in order. */
export function rowOf(production: Production | null) {
  return shotsOf(production).filter((s) => s.encoding !== "");
}

/** All shots of the production in order. */
export function shotsOf(production: Production | null) {
  return production?.scenes.flatMap((scene) => scene.shots) ?? [];
}
