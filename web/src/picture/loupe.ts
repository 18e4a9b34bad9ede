/** Where the loupe looks. */
import { useInstruments } from "../session/instruments";
import { shotInHand, useSession } from "../session/session";

/** The loupe's size on screen, a pixel of the frame for each pixel of it. */
export const SIZE = [260, 240] as const;

/** The part of the frame that the loupe shows, as shares of it; null while there is no shot. */
export function loupePart(): [number, number, number, number] | null {
  const shot = shotInHand(useSession.getState());
  if (!shot?.width || !shot.height) return null;
  const [cx, cy] = useInstruments.getState().centre;
  const [w, h] = [Math.min(1, SIZE[0] / shot.width), Math.min(1, SIZE[1] / shot.height)];
  const held = (c: number, span: number) => Math.min(1 - span, Math.max(0, c - span / 2));
  return [held(cx, w), held(cy, h), w, h];
}
