/** Playing a sequence at its rate: the frame that belongs to the moment is shown; frames that come too late are left out. */
import { shotInHand, useSession } from "../../session/session";

interface Playing {
  shown: number;
  wanted: number;
}

/** Frames shown and frames that the clock went through since playing began; tests and the page read it. */
export const played: Playing = { shown: 0, wanted: 0 };

/** Plays the shot in hand from its current frame, around and around between in and out, until playing is switched off. */
export function playFrom(session: ReturnType<typeof useSession.getState>): void {
  const shot = shotInHand(session);
  if (!shot || shot.frames < 2) {
    session.set({ playing: false });
    return;
  }
  const { in_frame: first, out_frame: last, rate } = shot;
  const count = last - first + 1;
  const from = Math.min(last, Math.max(first, session.frame ?? shot.poster));
  const begun = performance.now();
  played.shown = 0;
  played.wanted = 0;
  const tick = () => {
    const now = useSession.getState();
    if (!now.playing || now.shot !== shot.id) return;
    played.wanted = Math.floor(((performance.now() - begun) / 1000) * rate);
    const frame = first + ((from - first + played.wanted) % count);
    if (frame !== now.frame) {
      played.shown += 1;
      now.set({ frame });
    }
    requestAnimationFrame(tick);
  };
  tick();
}
