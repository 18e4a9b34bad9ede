/**
 * Playing with all texture: frames are rendered once, exactly, kept, and then shown at their rate. A still plays too,
 * because its grain is new in each frame.
 */
import { create } from "zustand";
import { preview, type Frame } from "../preview/preview";
import { shotInHand, useSession } from "../session/session";
import { useWork } from "../document/work";

/** Frames of a still that are played around and around. */
const STILL_FRAMES = 24;
/** The most frames that are kept, and the width that they have: wide for few, smaller for many, to fit into memory. */
const MOST_FRAMES = 240;
const WIDE = { frames: 96, width: 960, narrow: 640 };

interface ReelState {
  /** How many frames there are in all; 0 while nothing is rendered or played. */
  wanted: number;
  /** How many are rendered. */
  done: number;
  playing: boolean;
  /** Frames shown and missed while playing; tests read it. */
  shown: number;
  missed: number;
}

export const useReel = create<ReelState>(() => ({ wanted: 0, done: 0, playing: false, shown: 0, missed: 0 }));

/** Rises whenever rendering or playing stops, so that what belongs to an older one goes no further. */
let run = 0;
let frames: ImageData[] = [];

/** Whether a path has texture, which a live picture cannot play at its rate. */
export function hasTexture(): boolean {
  const catalogue = useSession.getState().catalogue;
  const only = (kind: string) => catalogue.find((k) => k.kind === kind)?.picture_only;
  return (useWork.getState().document?.path.steps ?? []).some((s) => s.on && s.strength > 0 && only(s.kind));
}

/** Stops rendering or playing, and lets the frames go. */
export function stopReel(): void {
  run += 1;
  frames = [];
  useReel.setState({ wanted: 0, done: 0, playing: false });
}

/** Renders the shot in hand frame by frame, then plays it until it is stopped. */
export function startReel(draw: () => CanvasRenderingContext2D | null): void {
  stopReel();
  const own = run;
  const shot = shotInHand(useSession.getState());
  if (!shot) return;
  const [first, last] = [shot.in_frame, shot.out_frame];
  const count = shot.frames > 1 ? Math.min(MOST_FRAMES, last - first + 1) : STILL_FRAMES;
  const width = count > WIDE.frames ? WIDE.narrow : WIDE.width;
  useReel.setState({ wanted: count, done: 0, playing: false, shown: 0, missed: 0 });
  let asked = 0;
  const ask = (i: number) => { asked = preview.askReel(shot.frames > 1 ? first + i : null, shot.frames > 1 ? first + i : i, width); };
  const stopHearing = preview.reels.add((frame: Frame) => {
    if (own !== run) {
      stopHearing();
      return;
    }
    if (frame.seq !== asked) return;
    frames.push(new ImageData(new Uint8ClampedArray(frame.pixels), frame.width, frame.height));
    useReel.setState({ done: frames.length });
    if (frames.length < count) {
      ask(frames.length);
      return;
    }
    stopHearing();
    play(own, shot.rate || 24, draw);
  });
  ask(0);
}

function play(own: number, rate: number, draw: () => CanvasRenderingContext2D | null): void {
  useReel.setState({ playing: true });
  const begun = performance.now();
  let last = -1;
  const tick = () => {
    if (own !== run) return;
    const at = Math.floor(((performance.now() - begun) / 1000) * rate);
    if (at !== last) {
      const frame = frames[at % frames.length];
      const context = draw();
      if (frame && context) {
        if (context.canvas.width !== frame.width) [context.canvas.width, context.canvas.height] = [frame.width, frame.height];
        context.putImageData(frame, 0, 0);
        context.canvas.dataset.tick = String(at % frames.length);
      }
      const { shown, missed } = useReel.getState();
      // Counted without a render: nobody draws these numbers.
      Object.assign(useReel.getState(), { shown: shown + 1, missed: missed + Math.max(0, at - last - 1) });
      last = at;
    }
    requestAnimationFrame(tick);
  };
  tick();
}
