/** Three short notes on the first visit of a place, at the things that matter; dismissed for good. */
import { useLayoutEffect, useState } from "react";
import type { Place } from "../session/session";
import { Button } from "../ui/controls";

interface Note {
  /** What it stands at. */
  at: string;
  says: string;
  /** How far down it stands in something high, as a share of its height. */
  down?: number;
}

const DOWN = 0.66;

const NOTES: Record<Place, Note[]> = {
  footage: [
    { at: "[data-bring]", says: "Bring in pictures, sequences or clips here, or drop them anywhere." },
    { at: "[data-encoding-button]", says: "Each shot says how it is encoded, and why. Press to set it." },
    { at: "[aria-label='Camera profiles']", says: "A camera's own log curve is described once, as a profile." },
  ],
  balance: [
    { at: "[data-picture]", says: "Bring each shot to a known state, beneath any look." },
    { at: "[aria-label='Balance tools']", says: "Hold the scopes to an area, or bring this shot to another one." },
    { at: "[aria-label='Shots']", says: "The other shots under their trims. Page Up and Page Down go through them." },
  ],
  look: [
    { at: "nav[aria-label='Path']", says: "The look is a path: light goes from the camera down to the screen, step by step." },
    { at: "[aria-label='Selected step']", says: "The selected step, with room to work. Every value can be dragged and typed." },
    { at: "[data-shelf-button]", says: "Starting looks, film stocks and your own looks are on the Shelf." },
  ],
  handoff: [
    { at: "aside[aria-label='New table']", says: "Choose the table's input and output.", down: 0.3 },
    { at: "section[aria-label='Report']", says: "Each table is read back and compared with the exact look: the report.", down: 0.3 },
    { at: "nav[aria-label='Places']", says: "A handoff is of a version, which stays as it is while you work on." },
  ],
};

const keyOf = (place: Place) => `dusky-lantern seen ${place}`;

const WIDTH = 230;

export function FirstNotes({ place }: { place: Place }) {
  const [open, setOpen] = useState(() => localStorage.getItem(keyOf(place)) === null);
  const [at, setAt] = useState<{ note: Note; x: number; y: number }[]>([]);
  useLayoutEffect(() => {
    if (!open) return;
    const measure = () =>
      setAt(
        NOTES[place].flatMap((note) => {
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
