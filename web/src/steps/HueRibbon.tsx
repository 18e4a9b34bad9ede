/** The hue ribbon: a curve over the hue circle, its free points and its bumps, on the picture's own hues. */
import type { Bump, Field, Zone } from "../data/client";
import { setValue } from "../document/work";
import { follow } from "../gestures/drag";
import { tonePlace } from "../ui/units";
import { Population, Strip } from "./HueStrip";
import { type Point, PointHandles, usePoints } from "./points";
import { hueColour, useCurves } from "./reading";

type Ring = Field & Extract<Field, { type: "ring" }>;

interface Props {
  step: string;
  zone: Zone;
  field: Ring;
  points: Point[];
  bumps: Bump[];
  /** The bump in hand, by its place in the list. */
  inHand: number | null;
  onTake: (bump: number | null) => void;
}

/** The least distance of two points, in degrees. */
const GAP = 2;
/** What is drawn of each curve's range: the middle of it, where most work is done. */
const SHOWN: Record<string, [number, number]> = { hue: [-90, 90], saturation: [0, 2], brightness: [-2, 2] };
/** Per cent and degrees that a value moves by an arrow key. */
const STEPS: Record<string, number> = { hue: 1, saturation: 0.02, brightness: 0.05 };

const wrap = (v: number) => ((v % 360) + 360) % 360;
const turn = (v: number) => wrap(v + 180) - 180;

export function HueRibbon({ step, zone, field, points, bumps, inHand, onTake }: Props) {
  const reading = useCurves();
  const [low, high] = SHOWN[field.id] ?? [0, 1];
  const rest = field.rest === "one" ? 1 : 0;
  const py = (v: number) => 1 - (Math.min(high, Math.max(low, v)) - low) / (high - low);
  const [bottom = low, top = high] = field.up;
  const { setBox, ...edit } = usePoints({
    id: field.id,
    points,
    drawn: { across: [0, 360], up: [low, high] },
    held: { across: [0, 360 - GAP], up: [bottom, top] },
    gap: GAP,
    decimals: [1, 3],
    arrows: [1, STEPS[field.id] ?? 1],
    fine: 0.1,
    // Two that rest, a sixth of the circle away on both sides.
    ends: ([x]) => [wrap(x - 60), wrap(x + 60)].map((v): Point => [Math.min(357, v), rest]).sort((a, b) => a[0] - b[0]),
    write: (next, gesture) => setValue(step, field.id, field.title, next, gesture),
  });
  const { placeOf, endGesture } = edit;
  const add = (e: React.PointerEvent) => {
    if (edit.add(e)) onTake(null);
  };

  const writeBump = (i: number, part: Partial<Bump>, gesture?: string) =>
    setValue(step, "bumps", "Bump", bumps.map((b, k) => (k === i ? { ...b, ...part } : b)), gesture);
  /** Height of a bump's own value on this curve. */
  const own = (b: Bump) => b[field.id as "hue" | "saturation" | "brightness"];
  const dragBump = (i: number) => (e: React.PointerEvent) => {
    e.stopPropagation();
    onTake(i);
    const from = placeOf(e);
    const b = bumps[i];
    if (!from || !b) return;
    const move = (m: PointerEvent, gesture: string) => {
      const at = placeOf(m);
      if (!at) return;
      const value = Math.round(Math.min(top, Math.max(bottom, own(b) + at[1] - from[1])) * 1000) / 1000;
      writeBump(i, { centre: Math.round(wrap(b.centre + at[0] - from[0])), [field.id]: value }, gesture);
    };
    follow(e, `bump ${i}`, move, endGesture);
  };
  const dragEdge = (i: number, side: "down" | "up") => (e: React.PointerEvent) => {
    e.stopPropagation();
    onTake(i);
    const b = bumps[i];
    if (!b) return;
    const move = (m: PointerEvent, gesture: string) => {
      const at = placeOf(m);
      if (!at) return;
      const away = turn(at[0] - b.centre) * (side === "up" ? 1 : -1);
      // Further than the opposite side of the circle there is nothing.
      writeBump(i, { [side]: Math.round(Math.min(170, Math.max(4, away))) }, gesture);
    };
    follow(e, `${side} ${i}`, move, endGesture);
  };
  const bumpKeys = (i: number) => (e: React.KeyboardEvent) => {
    const size = e.shiftKey ? 10 : e.altKey ? 0.1 : 1;
    const b = bumps[i];
    if (!b) return;
    const up = { ArrowUp: 1, ArrowDown: -1 }[e.key];
    const along = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
    if (along) writeBump(i, { centre: wrap(b.centre + along * size) }, "keys");
    else if (up) writeBump(i, { [field.id]: Math.min(top, Math.max(bottom, own(b) + up * size * (STEPS[field.id] ?? 1))) }, "keys");
    else if (e.key === "Delete" || e.key === "Backspace") {
      setValue(step, "bumps", "Delete bump", bumps.filter((_, k) => k !== i));
      onTake(null);
    } else return;
    e.preventDefault();
  };

  const curve = reading?.curves.find((c) => c.id === field.id);
  const line = curve?.values.map((v, i, all) => `${i ? "L" : "M"}${(i / (all.length - 1)).toFixed(4)} ${py(v).toFixed(4)}`).join("");
  const say = (v: number) => (field.id === "hue" ? `${v.toFixed(0)}°` : field.id === "saturation" ? `${(v * 100).toFixed(0)} %` : tonePlace(v, zone));
  return (
    <figure aria-label={field.title} className="flex min-w-0 flex-1 flex-col">
      <div className="relative min-h-0 flex-1">
        <svg
          ref={setBox}
          viewBox="0 0 1 1"
          preserveAspectRatio="none"
          className="absolute inset-0 h-full w-full cursor-crosshair bg-pit"
          data-ribbon={field.id}
          onPointerDown={add}
        >
          <Population />
          {[60, 120, 180, 240, 300].map((d) => (
            <path key={d} d={`M${d / 360} 0V1`} stroke="var(--color-shelf)" vectorEffect="non-scaling-stroke" />
          ))}
          <path d={`M0 ${py(rest)}H1`} stroke="var(--color-edge)" vectorEffect="non-scaling-stroke" />
          <path d={`M${123 / 360} 0V1`} stroke="var(--color-ember)" strokeDasharray="2 4" vectorEffect="non-scaling-stroke" />
          {line && <path d={line} fill="none" stroke="var(--color-bright)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />}
        </svg>
        {bumps.map((b, i) => (
          <BumpMarks key={i} bump={b} lit={inHand === i} top={py(own(b))} onCentre={dragBump(i)} onEdge={(side) => dragEdge(i, side)} onKeys={bumpKeys(i)} onBlur={endGesture} label={`Bump ${i + 1} at ${b.centre.toFixed(0)}°, ${say(own(b))}`} index={i} onFocus={() => onTake(i)} />
        ))}
        <PointHandles
          edit={edit}
          points={points}
          data="data-ring-point"
          label={(p, i) => `Point ${i + 1} at ${p[0].toFixed(0)}°, ${say(p[1])}`}
          place={(p) => [p[0] / 360, py(p[1])]}
          lit={() => false}
        />
      </div>
      <Strip className="mt-1" />
    </figure>
  );
}

function BumpMarks(props: {
  bump: Bump;
  index: number;
  lit: boolean;
  top: number;
  label: string;
  onCentre: (e: React.PointerEvent) => void;
  onEdge: (side: "down" | "up") => (e: React.PointerEvent) => void;
  onKeys: (e: React.KeyboardEvent) => void;
  onBlur: () => void;
  onFocus: () => void;
}) {
  const { bump, lit, top, index } = props;
  const at = (degrees: number) => `${(wrap(degrees) / 360) * 100}%`;
  return (
    <>
      {(["down", "up"] as const).map((side) => (
        <span
          key={side}
          aria-hidden
          data-edge={`${index} ${side}`}
          onPointerDown={props.onEdge(side)}
          className="absolute inset-y-0 flex w-2.5 -translate-x-1/2 cursor-ew-resize justify-center"
          style={{ left: at(side === "down" ? bump.centre - bump.down : bump.centre + bump.up) }}
        >
          <span className={`h-full border-l border-dashed ${lit ? "border-lantern" : "border-faint"}`} />
        </span>
      ))}
      <button
        type="button"
        aria-label={props.label}
        data-bump={index}
        onPointerDown={props.onCentre}
        onKeyDown={props.onKeys}
        onFocus={props.onFocus}
        onBlur={props.onBlur}
        className={`absolute h-3.5 w-3.5 -translate-x-1/2 -translate-y-1/2 rounded-[4px] border-2 ${lit ? "border-lantern" : "border-bright"}`}
        style={{ left: at(bump.centre), top: `${top * 100}%`, background: hueColour(bump.centre) }}
      />
    </>
  );
}
