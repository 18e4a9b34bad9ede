/** The frames of a sequence or a clip: which one is shown, where it begins and ends, and playing it. Under the picture in Balance and Look. */
import { Pause, Play } from "lucide-react";
import { api } from "../data/client";
import { attempt, shotInHand, told, useSession } from "../session/session";
import { Button } from "../ui/controls";
import { hasTexture } from "./reel";

/** Changes in, out or poster of the shot in hand. */
export function cut(change: { in_frame?: number; out_frame?: number; poster?: number }): void {
  const shot = shotInHand(useSession.getState());
  if (shot) told(attempt(() => api.editShot(shot.id, change)));
}

/** Plays, or stops. A live picture has no time for grain: in Look, with texture, frames are rendered first. */
export function play(): void {
  const session = useSession.getState();
  if (session.reel || (session.place === "look" && hasTexture())) session.set({ reel: !session.reel });
  else if ((shotInHand(session)?.frames ?? 0) > 1) session.set({ playing: !session.playing });
}

export function Transport() {
  const shot = useSession(shotInHand);
  const frame = useSession((s) => s.frame);
  const playing = useSession((s) => s.playing || s.reel);
  const set = useSession((s) => s.set);
  if (!shot || shot.frames < 2) return null;
  const at = frame ?? shot.poster;
  return (
    <div role="group" aria-label="Sequence" className="flex min-w-0 flex-wrap items-center gap-x-1.5">
      <Button aria-label={playing ? "Pause" : "Play"} title="P" onClick={play}>
        {playing ? <Pause size={14} /> : <Play size={14} />}
      </Button>
      <input
        type="range"
        aria-label="Frame"
        aria-valuetext={`frame ${shot.first_number + at}`}
        min={0}
        max={shot.frames - 1}
        value={at}
        onChange={(e) => set({ playing: false, frame: Number(e.target.value) })}
        className="w-28 min-w-16 accent-lantern"
      />
      <span className="text-faint tabular-nums" data-frame={at}>
        frame {shot.first_number + at} · {shot.rate} /s
      </span>
      <Button kind="quiet" className="px-1!" title="This frame is the first (I)" onClick={() => cut({ in_frame: at })}>
        in {shot.first_number + shot.in_frame}
      </Button>
      <Button kind="quiet" className="px-1!" title="This frame is the last (O)" onClick={() => cut({ out_frame: at })}>
        out {shot.first_number + shot.out_frame}
      </Button>
      <Button kind="quiet" className="px-1!" title="This frame is shown for the shot" disabled={at === shot.poster} onClick={() => cut({ poster: at })}>
        poster
      </Button>
    </div>
  );
}
