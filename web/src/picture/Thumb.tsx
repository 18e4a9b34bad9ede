/** A small live picture of a shot, by its place in the row. */
import { useEffect, useRef } from "react";
import { preview } from "../preview/preview";

export function Thumb({ index, className }: { index: number; className: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(
    () =>
      preview.thumbnails.add(({ seq, thumbnail: t }) => {
        const c = canvas.current;
        if (t.index !== index || !c) return;
        c.width = t.width;
        c.height = t.height;
        c.getContext("2d")?.putImageData(new ImageData(t.pixels, t.width, t.height), 0, 0);
        c.dataset.drawn = "true";
        c.dataset.request = String(seq);
      }),
    [index],
  );
  return <canvas ref={canvas} width={148} height={83} aria-hidden className={`block bg-pit ${className}`} />;
}
