/** What is being looked at: shots, the held key, the dropper. */
import { create } from "zustand";
import type { EncodingInfo, KindInfo, Production } from "../api/client";

export type Held = "untouched" | "version" | "rest" | null;

interface Session {
  production: Production | null;
  catalogue: KindInfo[];
  encodings: EncodingInfo[];
  place: "look" | "handoff";
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

/** All shots of the production in order. */
export function shotsOf(production: Production | null) {
  return production?.scenes.flatMap((scene) => scene.shots) ?? [];
}
