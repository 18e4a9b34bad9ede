/** A free curve: points that are dragged, added by a click, taken away by Delete or double click. */
import { useRef, useState } from "react";
import type { Field, Zone } from "../data/client";
import { setValue, useWork } from "../document/work";
import { follow } from "../gestures/drag";
import { tonePlace } from "../ui/units";
import { AXIS, curvePath, outline, useCurves, useTones } from "./reading";
import { Ticks } from "./TonePlot";

type Point = [number, number];
type CurveField = Field & Extract<Field, { type: "curve" }>;
const GAP = 0.05;
const MOST = 16;

interface Props {
  step: string;
  zone: Zone;
  field: CurveField;
  points: Point[];
  colour: string;
  /** Runs over shares 0..1 in place of the zone's tones. */
  shares?: boolean;
}

const SHARES = { from: 0, to: 1, ticks: [0, 0.25, 0.5, 0.75, 1] };

function sharesPath(values: number[], low: number, high: number): string {
  const y = (v: number) => (1 - (v - low) / (high - low)).toFixed(4);
  return values.map((v, i) => `${i ? "L" : "M"}${(i / (values.length - 1)).toFixed(4)} ${y(v)}`).join("");
}

export function CurveEditor({ step, zone, field, points, colour, shares = false }: Props) {
  const reading = useCurves();
  const tones = useTones();
  const box = useRef<SVGSVGElement>(null);
  const endGesture = useWork((s) => s.endGesture);
  const [active, setActive] = useState<number | null>(null);
  const { from, to, ticks } = shares ? SHARES : AXIS[zone];
  const same = field.rest === "same";
  const [low, high] = same ? [from, to] : [0, field.up[1] ?? 2];
  const gap = shares ? 0.02 : GAP;
  const px = (v: number) => (v - from) / (to - from);
  const py = (v: number) => 1 - (v - low) / (high - low);
  const [left = -8, right = 8] = field.across;
  const [bottom = -8, top = 8] = field.up;

  const write = (next: Point[], gesture?: string) => setValue(step, field.id, `${field.title} curve`, next, gesture);
  const moved = (list: Point[], i: number, [x, y]: Point): Point[] => {
    const least = (list[i - 1]?.[0] ?? left - gap) + gap;
    const most = (list[i + 1]?.[0] ?? right + gap) - gap;
    const held: Point = [Math.min(most, Math.max(least, x)), Math.min(top, Math.max(bottom, y))];
    return list.map((p, k) => (k === i ? [Math.round(held[0] * 1000) / 1000, Math.round(held[1] * 1000) / 1000] : p));
  };
  const placeOf = (e: { clientX: number; clientY: number }): Point | null => {
    const area = box.current?.getBoundingClientRect();
    if (!area) return null;
    const x = from + ((e.clientX - area.left) / area.width) * (to - from);
    const y = high - ((e.clientY - area.top) / area.height) * (high - low);
    return [x, y];
  };

  const drag = (list: Point[], i: number, e: React.PointerEvent) => {
    const move = (m: PointerEvent, gesture: string) => {
      const at = placeOf(m);
      if (at) write(moved(list, i, at), gesture);
    };
    return follow(e, field.id, move, endGesture) ?? undefined;
  };

  const add = (e: React.PointerEvent) => {
    const at = placeOf(e);
    if (e.button !== 0 || !at || points.length >= MOST) return;
    // A first point alone would move the whole curve: ends that rest come with it.
    const ends: Point[] = same ? [[from, from], [to, to]] : [[from, 1], [to, 1]];
    const base = points.length === 0 ? ends : points;
    const i = base.findIndex((p) => p[0] > at[0]);
    const k = i < 0 ? base.length : i;
    if ([base[k - 1], base[k]].some((p) => p && Math.abs(p[0] - at[0]) < gap)) return;
    const next = [...base.slice(0, k), at, ...base.slice(k)] as Point[];
    const gesture = drag(next, k, e);
    write(moved(next, k, at), gesture);
    setActive(k);
  };
  const take = (i: number) => {
    write(points.filter((_, k) => k !== i));
    setActive(null);
  };
  const keys = (i: number) => (e: React.KeyboardEvent) => {
    const size = (e.shiftKey ? 0.5 : e.altKey ? 0.01 : 0.05) * (same ? 1 : 0.2);
    const d = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
    const p = points[i];
    if (d && p) write(moved(points, i, [p[0] + (d[0] ?? 0) * size * (same ? 1 : 5), p[1] + (d[1] ?? 0) * size]), "keys");
    else if (e.key === "Delete" || e.key === "Backspace") take(i);
    else return;
    e.preventDefault();
  };

  const curve = reading?.curves.find((c) => c.id === field.id);
  return (
    <figure aria-label={`${field.title} curve`} className="flex min-w-0 flex-1 flex-col">
      <div className="relative min-h-0 flex-1">
        <svg
          ref={box}
          viewBox="0 0 1 1"
          preserveAspectRatio="none"
          className="absolute inset-0 h-full w-full cursor-crosshair bg-pit"
          data-curve={field.id}
          onPointerDown={add}
        >
          {!shares && <path d={outline(tones, from, to)} fill="var(--color-edge)" />}
          {ticks.map((t) => (
            <path key={t} d={`M${px(t)} 0V1${same ? `M0 ${py(t)}H1` : ""}`} stroke="var(--color-shelf)" vectorEffect="non-scaling-stroke" />
          ))}
          <path d={same ? "M0 1L1 0" : `M0 ${py(1)}H1`} stroke="var(--color-edge)" vectorEffect="non-scaling-stroke" />
          {curve && (
            <path
              d={shares ? sharesPath(curve.values, low, high) : curvePath(curve.values, from, to, low, high)}
              fill="none"
              stroke={colour}
              strokeWidth={1.5}
              vectorEffect="non-scaling-stroke"
            />
          )}
        </svg>
        {points.map((p, i) => (
          <button
            key={i}
            type="button"
            aria-label={`Point ${i + 1} at ${tonePlace(p[0], zone)}, gives ${same ? tonePlace(p[1], zone) : p[1].toFixed(2)}`}
            data-point={i}
            onPointerDown={(e) => {
              if (e.button !== 0) return;
              e.stopPropagation();
              setActive(i);
              drag(points, i, e);
            }}
            onFocus={() => setActive(i)}
            onDoubleClick={() => take(i)}
            onKeyDown={keys(i)}
            onBlur={endGesture}
            className={`absolute h-2.5 w-2.5 -translate-x-1/2 -translate-y-1/2 rounded-full border ${active === i ? "border-lantern bg-lantern" : "border-bright bg-pit"}`}
            style={{ left: `${px(p[0]) * 100}%`, top: `${py(p[1]) * 100}%` }}
          />
        ))}
      </div>
      {shares ? <p className="h-4 text-faint">saturation, from none to a display’s primaries</p> : <Ticks zone={zone} />}
    </figure>
  );
}
