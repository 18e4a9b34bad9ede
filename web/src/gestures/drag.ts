/** Dragging: the one place that captures a pointer. */
import type { PointerEvent as Press } from "react";
import { preview } from "../preview/preview";

/**
 * Follows a pointer from its press until it is released or lost. Returns a name for the drag, under which all its
 * changes become one step of undo; null for other buttons, which are not followed.
 */
export function follow(press: Press<Element>, name: string, move: (at: PointerEvent, gesture: string) => void, end: () => void): string | null {
  if (press.button !== 0) return null;
  const gesture = `${name}-${press.timeStamp}`;
  // The pressed element itself: captured elsewhere, a double click would not reach it.
  const element = press.currentTarget as HTMLElement;
  element.setPointerCapture(press.pointerId);
  // Moves come faster than pictures: the newest one counts, as soon as the picture before it is there. So controls and
  // picture go in step, and the next picture is made while the page draws.
  let newest: PointerEvent | null = null;
  let waiting = false;
  const flush = () => {
    waiting = false;
    if (newest) move(newest, gesture);
    newest = null;
  };
  const moved = (at: PointerEvent) => {
    newest = at;
    if (waiting) return;
    waiting = true;
    preview.whenFree(flush);
  };
  const done = () => {
    flush();
    element.removeEventListener("pointermove", moved);
    element.removeEventListener("pointerup", done);
    element.removeEventListener("pointercancel", done);
    end();
  };
  element.addEventListener("pointermove", moved);
  element.addEventListener("pointerup", done);
  element.addEventListener("pointercancel", done);
  return gesture;
}
