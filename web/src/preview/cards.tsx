/** Small pictures of the shot in hand under several paths: what the Shelf and the film stocks show of themselves. */
import { useEffect, useRef, useState } from "react";
import type { Path } from "../data/client";
import { preview, type Thumbnail } from "../preview/preview";
import { useSession } from "../session/session";

/**
 * Pictures of the shot in hand under some paths, by their place in the list; they come one by one. Asked for anew when
 * the list is another one, after a pause; null keeps those that there are.
 */
export function useCards(paths: Path[] | null, width: number, pause = 0): Map<number, Thumbnail> {
  const shot = useSession((s) => s.shot);
  const frame = useSession((s) => s.frame);
  const [pictures, setPictures] = useState(new Map<number, Thumbnail>());
  useEffect(() => {
    if (!shot || !paths || paths.length === 0) return;
    let stop: (() => void) | undefined;
    const timer = window.setTimeout(() => {
      const seq = preview.askCards(shot, frame, paths, width);
      const fresh = new Map<number, Thumbnail>();
      stop = preview.cards.add((c) => {
        if (c.seq !== seq) return;
        fresh.set(c.thumbnail.index, c.thumbnail);
        setPictures(new Map(fresh));
      });
    }, pause);
    return () => {
      window.clearTimeout(timer);
      stop?.();
    };
  }, [shot, frame, paths, width, pause]);
  return pictures;
}

/** A card's picture, drawn when it comes. */
export function CardPicture({ picture, size, className }: { picture: Thumbnail | undefined; size: [number, number]; className: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const c = canvas.current;
    if (!c || !picture) return;
    [c.width, c.height] = [picture.width, picture.height];
    c.getContext("2d")?.putImageData(new ImageData(picture.pixels, picture.width, picture.height), 0, 0);
    c.dataset.drawn = "true";
  }, [picture]);
  return <canvas ref={canvas} width={size[0]} height={size[1]} aria-hidden className={`block w-full border-2 bg-pit object-contain ${className}`} />;
}
