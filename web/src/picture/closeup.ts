/** How large the picture is shown: fitted in, or close up, a part of the frame pixel for pixel. */
import { useEffect, useState, type RefObject } from "react";
import { useInstruments } from "../session/instruments";
import { shotInHand, useSession } from "../session/session";

/** The largest size of a ratio that fits into an element. */
export function useFit(room: RefObject<HTMLDivElement | null>, ratio: number): { width: number; height: number } {
  const [box, setBox] = useState({ width: 960, height: 540 });
  useEffect(() => {
    const element = room.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setBox({ width: element.clientWidth, height: element.clientHeight }));
    watch.observe(element);
    return () => watch.disconnect();
  }, [room]);
  const width = Math.min(box.width, box.height * ratio);
  return { width, height: width / ratio };
}

/** Keeps the part of the frame that a close-up shows, for a picture of some size on screen. */
export function useCloseup(hand: boolean, size: { width: number; height: number }): void {
  const closeup = useInstruments((s) => s.closeup);
  const [cx, cy] = useInstruments((s) => s.centre);
  const shot = useSession(shotInHand);
  const [width, height] = [shot?.width ?? 0, shot?.height ?? 0];
  useEffect(() => {
    if (!hand) return;
    const { set, view } = useInstruments.getState();
    if (closeup === null || width === 0 || height === 0) {
      if (view) set({ view: null });
      return;
    }
    const [w, h] = [Math.min(1, size.width / (closeup * width)), Math.min(1, size.height / (closeup * height))];
    const held = (c: number, span: number) => Math.min(1 - span, Math.max(0, c - span / 2));
    const next: [number, number, number, number] = [held(cx, w), held(cy, h), w, h];
    set({ view: next });
  }, [hand, closeup, cx, cy, width, height, size.width, size.height]);
}
