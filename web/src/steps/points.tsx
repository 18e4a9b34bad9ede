/** Points of a curve: dragged, added by a click, moved by arrow keys, taken away by Delete or a double click. */
import { useState } from "react";
import { MAX_POINTS } from "../data/constants";
import { useWork } from "../document/work";
import { follow } from "../gestures/drag";

/** Across and up, in the curve's own units. */
export type Point = [number, number];
type Range = [number, number];

/** How far Shift makes an arrow key go. */
const FAR = 10;

interface Editing {
  /** The curve's id, by which its gestures are told apart. */
  id: string;
  points: Point[];
  /** What of the plane is drawn. */
  drawn: { across: Range; up: Range };
  /** Where points may lie. */
  held: { across: Range; up: Range };
  /** The least distance across of two points. */
  gap: number;
  /** Decimals that are kept, across and up. */
  decimals: Point;
  /** How far an arrow key goes, across and up; Alt makes that the share `fine` of it. */
  arrows: Point;
  fine: number;
  /** Points that come with a first one: alone it would move the whole curve. */
  ends: (at: Point) => Point[];
  write: (next: Point[], gesture?: string) => void;
}

const within = (v: number, [low, high]: Range) => Math.min(high, Math.max(low, v));

/** The place of a point once it is moved: between its neighbours, within what is held, rounded. */
export function moved(of: Pick<Editing, "held" | "gap" | "decimals">, list: Point[], i: number, [x, y]: Point): Point[] {
  const [left, right] = of.held.across;
  const between: Range = [(list[i - 1]?.[0] ?? left - of.gap) + of.gap, (list[i + 1]?.[0] ?? right + of.gap) - of.gap];
  const place = [within(x, between), within(y, of.held.up)].map((v, c) => Number(v.toFixed(of.decimals[c]))) as Point;
  return list.map((p, k) => (k === i ? place : p));
}

/** The points with one more, and its place among them; none where it would lie too close to another or there are enough. */
export function added(of: Pick<Editing, "points" | "gap" | "ends">, at: Point): [Point[], number] | null {
  if (of.points.length >= MAX_POINTS) return null;
  const base = of.points.length === 0 ? of.ends(at) : of.points;
  if (base.some((p) => Math.abs(p[0] - at[0]) < of.gap)) return null;
  const k = base.filter((p) => p[0] < at[0]).length;
  return [[...base.slice(0, k), at, ...base.slice(k)], k];
}

/** Editing of the points of one curve; `setBox` takes what it is drawn in. */
export function usePoints(of: Editing) {
  const [box, setBox] = useState<SVGSVGElement | null>(null);
  const [active, setActive] = useState<number | null>(null);
  const endGesture = useWork((s) => s.endGesture);

  const placeOf = (e: { clientX: number; clientY: number }): Point | null => {
    const area = box?.getBoundingClientRect();
    if (!area) return null;
    const [[left, right], [low, high]] = [of.drawn.across, of.drawn.up];
    return [left + ((e.clientX - area.left) / area.width) * (right - left), high - ((e.clientY - area.top) / area.height) * (high - low)];
  };
  const drag = (list: Point[], i: number, e: React.PointerEvent) => {
    const move = (m: PointerEvent, gesture: string) => {
      const at = placeOf(m);
      if (at) of.write(moved(of, list, i, at), gesture);
    };
    return follow(e, of.id, move, endGesture) ?? undefined;
  };
  /** Adds a point where the pointer is, and goes on dragging it. Gives whether it did. */
  const add = (e: React.PointerEvent): boolean => {
    const at = placeOf(e);
    const next = e.button === 0 && at ? added(of, at) : null;
    if (!at || !next) return false;
    const [list, i] = next;
    const gesture = drag(list, i, e);
    of.write(moved(of, list, i, at), gesture);
    setActive(i);
    return true;
  };
  const take = (i: number) => {
    of.write(of.points.filter((_, k) => k !== i));
    setActive(null);
  };
  const key = (i: number, e: React.KeyboardEvent) => {
    const size = e.shiftKey ? FAR : e.altKey ? of.fine : 1;
    const arrows: Record<string, Point> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
    const d = arrows[e.key];
    const p = of.points[i];
    if (d && p) of.write(moved(of, of.points, i, [p[0] + d[0] * size * of.arrows[0], p[1] + d[1] * size * of.arrows[1]]), "keys");
    else if (e.key === "Delete" || e.key === "Backspace") take(i);
    else return;
    e.preventDefault();
  };
  return { setBox, placeOf, add, active, setActive, drag, take, key, endGesture };
}

interface HandleProps {
  edit: Omit<ReturnType<typeof usePoints>, "setBox">;
  points: Point[];
  label: (p: Point, i: number) => string;
  /** The place of a point in the box, as shares of it. */
  place: (p: Point) => Point;
  lit: (i: number) => boolean;
  /** The attribute that tells which point one is. */
  data: "data-point" | "data-ring-point";
}

/** A handle for each point. */
export function PointHandles({ edit, points, label, place, lit, data }: HandleProps) {
  return points.map((p, i) => {
    const [left, top] = place(p);
    return (
      <button
        key={i}
        type="button"
        aria-label={label(p, i)}
        {...{ [data]: i }}
        onPointerDown={(e) => {
          e.stopPropagation();
          if (e.button !== 0) return;
          edit.setActive(i);
          edit.drag(points, i, e);
        }}
        onFocus={() => edit.setActive(i)}
        onDoubleClick={() => edit.take(i)}
        onKeyDown={(e) => edit.key(i, e)}
        onBlur={edit.endGesture}
        className={`absolute h-2.5 w-2.5 -translate-x-1/2 -translate-y-1/2 rounded-full border ${lit(i) ? "border-lantern bg-lantern" : "border-bright bg-pit"}`}
        style={{ left: `${left * 100}%`, top: `${top * 100}%` }}
      />
    );
  });
}
