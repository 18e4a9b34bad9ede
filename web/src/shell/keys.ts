/** The keys that work everywhere. */
import { useEffect } from "react";
import { cut, play } from "../picture/Transport";
import { PATH_COMMANDS } from "../commands/commands";
import { commandOf, type CommandId } from "../commands/keymap";
import { fill } from "../picture/ViewBar";
import { printerPoint } from "../steps/film/printer";
import { useInstruments, type Surround } from "../session/instruments";
import { rowOf, say, shotInHand, useSession, type Held } from "../session/session";
import { usePlan } from "../document/plan";
import { useWork } from "../document/work";

/** What is shown while a key is held. */
const HELD: Partial<Record<CommandId, Held>> = { untouched: "untouched", version: "version", middleGrey: "rest", bypassStep: "step", bypassGroup: "group" };

/** The printer's lights: a point more, with Shift a point less. */
const LIGHTS: Partial<Record<CommandId, "red" | "green" | "blue" | "all">> = { red: "red", green: "green", blue: "blue", allLights: "all" };

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

/** What does the same in Balance and Look. */
const SEEING: Partial<Record<CommandId, () => void>> = {
  nextShot: () => step(1),
  shotBefore: () => step(-1),
  toAndFro: () => {
    const { before, show } = useSession.getState();
    if (before) show(before);
  },
  markIn: () => mark("in_frame"),
  markOut: () => mark("out_frame"),
  frameBefore: () => turn(-1),
  nextFrame: () => turn(1),
  closeup: () => {
    const { closeup, set } = useInstruments.getState();
    set({ closeup: closeup === null ? 1 : null });
  },
  surround: () => {
    const { surround, set } = useInstruments.getState();
    set({ surround: SURROUNDS[(SURROUNDS.indexOf(surround) + 1) % SURROUNDS.length] ?? "black" });
  },
  whole: () => fill(!useInstruments.getState().full),
  loupe: () => {
    const { loupe, set } = useInstruments.getState();
    if (useSession.getState().place === "look") set({ loupe: !loupe });
  },
  play,
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
  // In Handoff the plan is what is worked on.
  const plan = useSession.getState().place === "handoff" && usePlan.getState().id !== null;
  const state = plan ? usePlan.getState() : useWork.getState();
  const label = (way === "undo" ? state.past : state.future).at(-1)?.label;
  state[way]();
  if (label) say(`${way === "undo" ? "Undone" : "Done again"}: ${label}`);
}

const EVERYWHERE: Partial<Record<CommandId, () => void>> = {
  undo: () => travel("undo"),
  redo: () => travel("redo"),
  keys: () => useSession.getState().set({ keys: true }),
};

/** Milliseconds until steps are pasted where the clipboard might hold a picture. */
const PASTE_AFTER = 40;

export function useKeys() {
  useEffect(() => {
    const set = useSession.getState().set;
    let pasting: number | undefined;
    const pasted = (e: ClipboardEvent) => {
      if ([...(e.clipboardData?.files ?? [])].length > 0) window.clearTimeout(pasting);
    };
    const down = (e: KeyboardEvent) => {
      // Shift is no part of what is held: a hold goes on while another key needs it.
      const id = commandOf(e) ?? commandOf({ key: e.key, ctrlKey: e.ctrlKey, metaKey: e.metaKey, altKey: e.altKey, shiftKey: false });
      if (!id) return;
      if (id === "escape") {
        if (!e.defaultPrevented) escape();
        return;
      }
      if (typing(e.target)) return;
      const held = HELD[id];
      if (held) {
        if (!e.repeat) set({ held });
        return;
      }
      if (EVERYWHERE[id]) {
        EVERYWHERE[id]();
        e.preventDefault();
        return;
      }
      if (!inPath()) return;
      const run = PATH_COMMANDS[id];
      if (run) {
        if (id === "paste" && useSession.getState().shelf) {
          // A picture on the clipboard becomes a reference: whether there is one, the paste itself says.
          pasting = window.setTimeout(run, PASTE_AFTER);
          return;
        }
        run();
        e.preventDefault();
        return;
      }
      if (e.defaultPrevented) return;
      const light = LIGHTS[id];
      const lit = light && useSession.getState().place === "look" && printerPoint(light, e.shiftKey ? -1 : 1);
      const seeing = SEEING[id];
      if (seeing) seeing();
      if (lit || seeing) e.preventDefault();
    };
    const up = (e: KeyboardEvent) => {
      // A press of a printer key is one step of undo; a drag that goes on meanwhile is its own.
      const { gesture, endGesture } = useWork.getState();
      const id = commandOf({ key: e.key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false });
      if (id && LIGHTS[id] && gesture?.includes("/points ")) endGesture();
      const held = id && HELD[id];
      if (held && useSession.getState().held === held) set({ held: null });
    };
    const leave = () => set({ held: null });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", leave);
    window.addEventListener("paste", pasted);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", leave);
      window.removeEventListener("paste", pasted);
    };
  }, []);
}

