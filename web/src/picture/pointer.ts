/** The place under the pointer, read from the server at the pace of the screen. */
import { preview } from "../preview/preview";
import { useInstruments, type Corner } from "../session/instruments";

let newest: Corner | null = null;
let waiting = false;

/** The pointer is at a place of the picture, or has left it. */
export function point(at: Corner | null): void {
  newest = at;
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    const { pins } = useInstruments.getState();
    // Pins first, so that their readings keep their places in the answer.
    preview.look(newest ? [...pins, newest] : pins);
  });
}
