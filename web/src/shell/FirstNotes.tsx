/** Three short notes on the first visit of a place, at the things that matter; dismissed for good. */
import { useLayoutEffect, useState } from "react";
import type { Place } from "../session/session";
import { placeOf, type Note } from "../places/registry";
import { Button } from "../ui/controls";

/** How far down a note stands in something high, where it does not say. */
const DOWN = 0.66;

const keyOf = (place: Place) => `dusky-lantern seen ${place}`;

const WIDTH = 230;

export function FirstNotes({ place }: { place: Place }) {
  const [open, setOpen] = useState(() => localStorage.getItem(keyOf(place)) === null);
  const [at, setAt] = useState<{ note: Note; x: number; y: number }[]>([]);
  useLayoutEffect(() => {
    if (!open) return;
    const measure = () =>
      setAt(
        placeOf(place).notes.flatMap((note) => {
          const box = document.querySelector(note.at)?.getBoundingClientRect();
          if (!box) return [];
          const x = Math.min(Math.max(8, box.left + box.width / 2 - WIDTH / 2), window.innerWidth - WIDTH - 8);
          const below = box.bottom + 70 < window.innerHeight;
          const y = box.height > 140 ? Math.min(box.top + box.height * (note.down ?? DOWN), window.innerHeight - 110) : below ? box.bottom + 8 : box.top - 62;
          return [{ note, x, y }];
        }),
      );
    measure();
    const timer = window.setTimeout(measure, 600);
    window.addEventListener("resize", measure);
    return () => {
      window.clearTimeout(timer);
      window.removeEventListener("resize", measure);
    };
  }, [open, place]);
  if (!open || at.length === 0) return null;
  const dismiss = () => {
    localStorage.setItem(keyOf(place), "1");
    setOpen(false);
  };
  return (
    <aside aria-label="First notes" data-notes={place} className="pointer-events-none fixed inset-0 z-20">
      {at.map(({ note, x, y }, i) => (
        <div key={note.at} className="absolute flex gap-2 rounded-md border border-lantern bg-wall p-2.5 leading-4 text-bright shadow-xl" style={{ left: x, top: y, width: WIDTH }}>
          <span className="text-lantern">{i + 1}</span>
          <span className="flex-1">{note.says}</span>
          {i === at.length - 1 && (
            <Button kind="main" className="pointer-events-auto self-end" onClick={dismiss}>
              Got it
            </Button>
          )}
        </div>
      ))}
    </aside>
  );
}
