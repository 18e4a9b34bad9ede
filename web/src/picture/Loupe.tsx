/** A part of the frame, pixel for pixel, beside the whole of it. */
import { useEffect, useRef } from "react";
import { preview } from "../preview/preview";
import { useInstruments } from "../session/instruments";
import { shotInHand, useSession } from "../session/session";
import { SIZE } from "./loupe";

export function Loupe() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const show = useInstruments((s) => s.show);
  const full = useSession((s) => shotInHand(s)?.width ?? 0);
  useEffect(
    () =>
      preview.loupes.add((frame) => {
        const c = canvas.current;
        if (!c) return;
        [c.width, c.height] = [frame.width, frame.height];
        c.getContext("2d", { alpha: false })?.putImageData(new ImageData(frame.pixels, frame.width, frame.height), 0, 0);
        c.dataset.seq = String(frame.seq);
      }),
    [],
  );
  const what = { halation: "halation alone", grain: "grain on grey" }[show as string] ?? "1:1";
  return (
    <figure aria-label="Loupe" className="flex h-full shrink-0 flex-col justify-center gap-1 px-1" style={{ width: SIZE[0] + 8 }}>
      <canvas ref={canvas} role="img" aria-label="Part of the frame, pixel for pixel" data-loupe width={SIZE[0]} height={SIZE[1]} style={{ width: SIZE[0], height: SIZE[1] }} className="block" />
      <figcaption className="truncate text-faint" title="Drag on the picture to move it">
        {what} · {full || "…"} pixels across the frame
      </figcaption>
    </figure>
  );
}
