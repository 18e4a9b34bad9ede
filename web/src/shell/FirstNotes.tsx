/** Short notes on the first visit of a place, at the things that matter; each goes when its subject is used, all of them when dismissed. */
import { useEffect, useLayoutEffect, useState } from "react";
import type { Place } from "../session/session";
import { placeOf, type Note } from "../places/registry";
import { Button } from "../ui/controls";

/** How far down a note stands in something high, where it does not say. */
const DOWN = 0.66;
const WIDTH = 230;
/** About as high as a note gets. */
const HEIGHT = 84;

const keyOf = (place: Place) => `dusky-lantern seen ${place}`;
const keyOfNote = (note: Note) => `dusky-lantern seen note ${note.at}`;

interface Box {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

const boxAt = (x: number, y: number): Box => ({ left: x, top: y, right: x + WIDTH, bottom: y + HEIGHT });
const meet = (a: Box, b: Box) => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;

/** Places for a note beside its subject, the best one first; inside of it where it is large. */
function around(box: DOMRect, down: number): [number, number][] {
  const middle = box.left + box.width / 2 - WIDTH / 2;
  if (box.height > 140) return [[middle, Math.min(box.top + box.height * down, window.innerHeight - 110)]];
  return [
    [middle, box.bottom + 8],
    [middle, box.top - HEIGHT - 8],
    [box.left - WIDTH - 8, box.top],
    [box.right + 8, box.top],
  ];
}

interface Placed {
  note: Note;
  /** Where it stands; nowhere beside its subject where there is no room. */
  at: readonly [number, number] | null;
}

/** Where the notes of a place stand: on no card of a shot, and on no other note. */
function placed(notes: Note[]): Placed[] {
  const taken: Box[] = [...document.querySelectorAll("article")].map((card) => card.getBoundingClientRect());
  return notes.flatMap((note) => {
    if (localStorage.getItem(keyOfNote(note))) return [];
    const box = document.querySelector(note.at)?.getBoundingClientRect();
    if (!box) return [];
    const inside = around(box, note.down ?? DOWN).map(([x, y]) => [
      Math.min(Math.max(8, x), window.innerWidth - WIDTH - 8),
      Math.min(Math.max(44, y), window.innerHeight - HEIGHT - 28),
    ] as const);
    const found = inside.find(([x, y]) => !taken.some((t) => meet(t, boxAt(x, y))));
    if (found) taken.push(boxAt(...found));
    return [{ note, at: found ?? null }];
  });
}

export function FirstNotes({ place }: { place: Place }) {
  const [open, setOpen] = useState(() => localStorage.getItem(keyOf(place)) === null);
  const [at, setAt] = useState<Placed[]>([]);
  const { notes } = placeOf(place);
  useLayoutEffect(() => {
    if (!open) return;
    const measure = () => setAt(placed(notes));
    measure();
    const timer = window.setTimeout(measure, 600);
    window.addEventListener("resize", measure);
    return () => {
      window.clearTimeout(timer);
      window.removeEventListener("resize", measure);
    };
  }, [open, notes]);
  useEffect(() => {
    if (!open) return;
    // What somebody uses needs no note any more.
    const used = (e: Event) => {
      const done = e.target instanceof Element ? notes.filter((n) => (e.target as Element).closest(n.at)) : [];
      for (const note of done) localStorage.setItem(keyOfNote(note), "1");
      if (done.length > 0) setAt((all) => all.filter((a) => !done.includes(a.note)));
    };
    document.addEventListener("click", used, true);
    document.addEventListener("change", used, true);
    return () => {
      document.removeEventListener("click", used, true);
      document.removeEventListener("change", used, true);
    };
  }, [open, notes]);
  if (!open || at.length === 0) return null;
  const dismiss = () => {
    localStorage.setItem(keyOf(place), "1");
    setOpen(false);
  };
  const beside = at.flatMap(({ note, at: place }) => (place ? [{ note, x: place[0], y: place[1] }] : []));
  const below = at.filter((a) => a.at === null);
  const number = (note: Note) => at.findIndex((a) => a.note === note) + 1;
  return (
    <aside aria-label="First notes" data-notes={place} className="flex shrink-0 flex-wrap items-center gap-x-6 gap-y-1 border-t border-lantern bg-wall px-4 py-1.5 leading-4 text-bright">
      {below.map(({ note }) => (
        <p key={note.at} className="flex gap-2">
          <span className="text-lantern">{number(note)}</span>
          {note.says}
        </p>
      ))}
      <span className="flex-1" />
      <Button kind="main" onClick={dismiss}>
        Got it
      </Button>
      {beside.map(({ note, x, y }) => (
        <div key={note.at} className="pointer-events-none fixed z-20 flex gap-2 rounded-md border border-lantern bg-wall p-2.5 shadow-xl" style={{ left: x, top: y, width: WIDTH }}>
          <span className="text-lantern">{number(note)}</span>
          <span className="flex-1">{note.says}</span>
        </div>
      ))}
    </aside>
  );
}
