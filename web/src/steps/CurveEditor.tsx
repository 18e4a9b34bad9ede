/** A free curve: points that are dragged, added by a click, taken away by Delete or double click. */
import type { Field, Zone } from "../data/client";
import { setValue } from "../document/work";
import { tonePlace } from "../ui/units";
import { type Point, PointHandles, usePoints } from "./points";
import { AXIS, curvePath, outline, useCurves, useTones } from "./reading";
import { Ticks } from "./TonePlot";

type CurveField = Field & Extract<Field, { type: "curve" }>;
/** The least distance of two points, in the units of the axis. */
const GAP = 0.05;
/** How far an arrow key goes. */
const ARROW = 0.05;

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
  const { from, to, ticks } = shares ? SHARES : AXIS[zone];
  const same = field.rest === "same";
  const [low, high] = same ? [from, to] : [0, field.up[1] ?? 2];
  const px = (v: number) => (v - from) / (to - from);
  const py = (v: number) => 1 - (v - low) / (high - low);
  const [left = -8, right = 8] = field.across;
  const [bottom = -8, top = 8] = field.up;
  const { setBox, ...edit } = usePoints({
    id: field.id,
    points,
    drawn: { across: [from, to], up: [low, high] },
    held: { across: [left, right], up: [bottom, top] },
    gap: shares ? 0.02 : GAP,
    decimals: [3, 3],
    arrows: [ARROW, same ? ARROW : ARROW / 5],
    fine: 0.2,
    ends: () => (same ? [[from, from], [to, to]] : [[from, 1], [to, 1]]),
    write: (next, gesture) => setValue(step, field.id, `${field.title} curve`, next, gesture),
  });

  const curve = reading?.curves.find((c) => c.id === field.id);
  return (
    <figure aria-label={`${field.title} curve`} className="flex min-w-0 flex-1 flex-col">
      <div className="relative min-h-0 flex-1">
        <svg
          ref={setBox}
          viewBox="0 0 1 1"
          preserveAspectRatio="none"
          className="absolute inset-0 h-full w-full cursor-crosshair bg-pit"
          data-curve={field.id}
          onPointerDown={edit.add}
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
        <PointHandles
          edit={edit}
          points={points}
          data="data-point"
          label={(p, i) => `Point ${i + 1} at ${tonePlace(p[0], zone)}, gives ${same ? tonePlace(p[1], zone) : p[1].toFixed(2)}`}
          place={(p) => [px(p[0]), py(p[1])]}
          lit={(i) => edit.active === i}
        />
      </div>
      {shares ? <p className="h-4 text-faint">saturation, from none to a display’s primaries</p> : <Ticks zone={zone} />}
    </figure>
  );
}
