/** The picture in hand. Pixels go straight from the socket to the canvas. */
import { useEffect, useRef } from "react";
import { api, Problem } from "../api/client";
import { preview } from "../api/preview";
import { useLook } from "../state/look";
import { shotsOf, useSession } from "../state/session";

export function Picture() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const dropper = useSession((s) => s.dropper);
  const held = useSession((s) => s.held);
  const shot = useSession((s) => shotsOf(s.production).find((x) => x.id === s.shot));

  useEffect(
    () =>
      preview.frames.add((frame) => {
        const c = canvas.current;
        const context = c?.getContext("2d", { alpha: false });
        if (!c || !context) return;
        if (c.width !== frame.width || c.height !== frame.height) {
          c.width = frame.width;
          c.height = frame.height;
        }
        context.putImageData(new ImageData(frame.pixels, frame.width, frame.height), 0, 0);
        c.dataset.seq = String(frame.seq);
        c.dataset.quality = frame.rest ? "rest" : "drag";
      }),
    [],
  );

  const pick = async (e: React.MouseEvent<HTMLCanvasElement>) => {
    const session = useSession.getState();
    const look = useLook.getState();
    if (!session.dropper || !session.shot || !look.document) return;
    const box = e.currentTarget.getBoundingClientRect();
    const at: [number, number] = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
    const step = session.dropper;
    session.set({ dropper: null });
    try {
      const found = await api.dropper({ shot: session.shot, path: look.document.path, step, at });
      look.edit("Dropper", (draft) => {
        const target = draft.path.steps.find((s) => s.id === step);
        if (target?.kind === "balance") {
          target.values.temperature = Math.round(found.temperature);
          target.values.tint = Math.round(found.tint * 10) / 10;
        }
      });
      const where = `${found.stops >= 0 ? "+" : "−"}${Math.abs(found.stops).toFixed(1)} stops`;
      session.set({ notice: `Neutral at ${found.temperature.toFixed(0)} K, tint ${found.tint.toFixed(1)}, ${where}` });
    } catch (error) {
      session.set({ notice: error instanceof Problem ? error.message : String(error) });
    }
  };

  const sign = { untouched: "untouched shot", version: "last saved version", rest: "" };
  return (
    <section aria-label="Picture" className="flex min-h-0 flex-1 flex-col">
      <div className="relative flex min-h-0 flex-1 items-center justify-center bg-pit">
        <canvas
          ref={canvas}
          width={960}
          height={540}
          role="img"
          aria-label={shot ? `Picture of ${shot.name}` : "No shot"}
          data-picture
          onClick={(e) => void pick(e)}
          className={`max-h-full max-w-full ${dropper ? "cursor-crosshair" : ""}`}
        />
        {held === "rest" && <div className="absolute inset-0 bg-[#777777]" data-rest />}
      </div>
      <footer className="flex h-6 items-center gap-5 text-faint">
        <span className="text-text">{shot?.name ?? "no shot"}</span>
        {held && sign[held] ? (
          <span className="text-lantern">{sign[held]}</span>
        ) : (
          <>
            <span>hold A untouched</span>
            <span>hold V last version</span>
            <span>hold G rest on grey</span>
          </>
        )}
        {dropper && <span className="text-lantern">click something neutral, Esc to leave it</span>}
      </footer>
    </section>
  );
}
