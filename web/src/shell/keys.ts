/** The keys that work everywhere. */
import { useEffect } from "react";
import { cut } from "../places/balance/Toolbar";
import { KEYS_OF_PATH } from "../commands/commands";
import { fill } from "../picture/ViewBar";
import { hasTexture } from "../picture/reel";
import { printerPoint } from "../steps/film/printer";
import { useInstruments, type Surround } from "../session/instruments";
import { rowOf, say, shotInHand, useSession, type Held } from "../session/session";
import { useWork } from "../document/work";

/** What is shown while a key is held. */
const HOLD: Record<string, Held> = { a: "untouched", v: "version", m: "rest", s: "step", d: "group" };

/** Keys of the printer's lights: a point more, with Shift a point less. */
const PRINTER = { r: "red", g: "green", b: "blue", l: "all" } as Record<string, "red" | "green" | "blue" | "all" | undefined>;

/** Whether keys go into a text; sliders and boxes have keys of their own, but no letters. */
function typing(target: EventTarget | null): boolean {
  if (target instanceof HTMLInputElement) return target.type !== "range" && target.type !== "checkbox";
  return target instanceof HTMLTextAreaElement;
}

const SURROUNDS: Surround[] = ["black", "grey", "white", "page"];

/** Whether there is a path on screen. */
function inPath(): boolean {
  const { place } = useSession.getState();
  return place === "look" || place === "balance";
}

/** Goes to the next shot of the row, or the one before. */
function step(by: number) {
  const { production, shot, show } = useSession.getState();
  const row = rowOf(production);
  const next = row[row.findIndex((s) => s.id === shot) + by];
  if (next) show(next.id);
}

/** Sets in or out of a sequence at the frame that is looked at. */
function mark(end: "in_frame" | "out_frame") {
  const session = useSession.getState();
  const shot = shotInHand(session);
  if (shot && shot.frames > 1) cut({ [end]: session.frame ?? shot.poster });
}

/** Goes on or back by a frame. */
function turn(by: number) {
  const session = useSession.getState();
  const shot = shotInHand(session);
  if (!shot || shot.frames < 2) return;
  const frame = Math.min(shot.frames - 1, Math.max(0, (session.frame ?? shot.poster) + by));
  session.set({ frame, playing: false });
}

/** Keys that do the same in Balance and Look. */
const KEYS: Record<string, () => void> = {
  PageDown: () => step(1),
  PageUp: () => step(-1),
  f: () => {
    const { before, show } = useSession.getState();
    if (before) show(before);
  },
  i: () => mark("in_frame"),
  o: () => mark("out_frame"),
  ArrowLeft: () => turn(-1),
  ArrowRight: () => turn(1),
  z: () => {
    const { closeup, set } = useInstruments.getState();
    set({ closeup: closeup === null ? 1 : null });
  },
  u: () => {
    const { surround, set } = useInstruments.getState();
    set({ surround: SURROUNDS[(SURROUNDS.indexOf(surround) + 1) % SURROUNDS.length] ?? "black" });
  },
  w: () => fill(!useInstruments.getState().full),
  k: () => {
    const { loupe, set } = useInstruments.getState();
    if (useSession.getState().place === "look") set({ loupe: !loupe });
  },
  p: () => {
    const session = useSession.getState();
    // A live picture has no time for grain: with texture, frames are rendered first.
    if (session.reel || (session.place === "look" && hasTexture())) session.set({ reel: !session.reel });
    else if ((shotInHand(session)?.frames ?? 0) > 1) session.set({ playing: !session.playing });
  },
};

/** Ends what was begun last, one thing at a press. */
function escape(): void {
  const session = useSession.getState();
  const { tool, show, area, areaBeside, full, set } = useInstruments.getState();
  if (tool) set({ tool: null });
  else if (session.reel) session.set({ reel: false });
  else if (session.trying) session.set({ trying: null });
  else if (show !== "picture") set({ show: "picture" });
  else if (full) fill(false);
  else if (area || areaBeside) set({ area: null, areaBeside: null });
  else if (session.shelf) session.set({ shelf: false });
}

/** Says what was undone or done again. */
function travel(way: "undo" | "redo"): void {
  const state = useWork.getState();
  const label = (way === "undo" ? state.past : state.future).at(-1)?.label;
  state[way]();
  if (label) say(`${way === "undo" ? "Undone" : "Done again"}: ${label}`);
}

export function useKeys() {
  useEffect(() => {
    const set = useSession.getState().set;
    const down = (e: KeyboardEvent) => {
      const command = e.ctrlKey || e.metaKey;
      const key = e.key.toLowerCase();
      if (command && key === "z" && !typing(e.target)) {
        travel(e.shiftKey ? "redo" : "undo");
        e.preventDefault();
      } else if (command && key === "y" && !typing(e.target)) {
        travel("redo");
        e.preventDefault();
      } else if (command && !typing(e.target) && inPath() && KEYS_OF_PATH[key]) {
        KEYS_OF_PATH[key]();
        e.preventDefault();
      } else if (e.key === "Escape" && !e.defaultPrevented) {
        escape();
      } else if (key === "?" && !command && !typing(e.target)) {
        set({ keys: true });
        e.preventDefault();
      } else if (!command && !e.repeat && !typing(e.target) && HOLD[key]) {
        set({ held: HOLD[key] });
      } else if (!command && !e.defaultPrevented && !typing(e.target)) {
        const light = PRINTER[key];
        if (light && useSession.getState().place === "look" && printerPoint(light, e.shiftKey ? -1 : 1)) {
          e.preventDefault();
          return;
        }
        const run = KEYS[e.key.length === 1 ? key : e.key];
        if (!run || !inPath()) return;
        run();
        e.preventDefault();
      }
    };
    const up = (e: KeyboardEvent) => {
      // A press of a printer key is one step of undo; a drag that goes on meanwhile is its own.
      const { gesture, endGesture } = useWork.getState();
      if (PRINTER[e.key.toLowerCase()] && gesture?.includes("/points ")) endGesture();
      const held = HOLD[e.key.toLowerCase()];
      if (held && useSession.getState().held === held) set({ held: null });
    };
    const leave = () => set({ held: null });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", leave);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", leave);
    };
  }, []);
}

