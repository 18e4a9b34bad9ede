/** What is played from rendered frames, over the picture; before that, how far rendering is. */
import { useEffect, useRef } from "react";
import { preview } from "../preview/preview";
import { useSession } from "../session/session";
import { useWork } from "../document/work";
import { Button } from "../ui/controls";
import { startReel, stopReel, useReel } from "./reel";

export function Reel() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { wanted, done, playing } = useReel();
  const asked = useSession((s) => s.reel);
  const set = useSession((s) => s.set);
  const path = useWork((s) => s.document?.path);
  const shot = useSession((s) => s.shot);
  useEffect(() => {
    if (!asked) return;
    startReel(() => canvas.current?.getContext("2d", { alpha: false }) ?? null);
    return stopReel;
  }, [asked]);
  // What cannot be rendered was said in words; the page goes on.
  useEffect(() => (asked ? preview.problems.next(() => set({ reel: false })) : undefined), [asked, set]);
  // Frames of another path or shot are of no use.
  useEffect(() => () => set({ reel: false }), [path, shot, set]);
  if (!asked) return null;
  return (
    <div className="absolute inset-0 z-10 flex items-center justify-center bg-pit" data-reel={playing ? "playing" : "rendering"}>
      <canvas ref={canvas} width={960} height={540} role="img" aria-label="The shot, playing" className={`max-h-full max-w-full object-contain ${playing ? "" : "hidden"}`} />
      {!playing && (
        <div className="flex w-64 flex-col gap-2 text-center text-text">
          <span>
            Rendering {done} of {wanted} frames
          </span>
          <progress value={done} max={Math.max(1, wanted)} aria-label="Frames rendered" className="h-1 w-full accent-lantern" />
          <Button kind="quiet" onClick={() => set({ reel: false })}>
            cancel (Esc)
          </Button>
        </div>
      )}
    </div>
  );
}
