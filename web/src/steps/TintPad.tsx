/** Tone tint: one round pad over the live vectorscope, three handles, a line between darks and lights. */
import { useEffect, useRef } from "react";
import type { Step } from "../data/client";
import { preview } from "../preview/preview";
import { drawVector } from "../instruments/draw";
import { SKIN_DEGREES, VECTOR_SPAN } from "../data/constants";
import { placeOf, polarOf } from "../instruments/plane";
import { useInstruments } from "../session/instruments";
import { setValue, useWork } from "../document/work";
import { follow } from "../gestures/drag";
import { AXIS, curvePath, outline, useCurves, useTones } from "./reading";
import { Ticks } from "./TonePlot";

type TintStep = Extract<Step, { kind: "tone-tint" }>;
export const RANGES = ["darks", "middles", "lights"] as const;
type Range = (typeof RANGES)[number];

const FILL: Record<Range, string> = { darks: "var(--color-pit)", middles: "var(--color-faint)", lights: "var(--color-bright)" };
/** Amount at the pad's rim: log values move less than display values. */
const RIM = { scene: 0.12, film: 0.12, screen: 0.3 };
/** Steps of the arrow keys on a handle, as a share of the rim. */
const KEY_STEP = 0.02;

function write(step: TintStep, range: Range, hue: number, amount: number, gesture: string): void {
  const other: Record<Range, Range | null> = { darks: "lights", lights: "darks", middles: null };
  useWork.getState().edit(
    "Tone tint",
    (draft) => {
      const found = draft.path.steps.find((s) => s.id === step.id);
      if (found?.kind !== "tone-tint") return;
      const set = (r: Range, h: number, a: number) => {
        found.values[`${r}_hue`] = Math.round(h * 10) / 10;
        found.values[`${r}_amount`] = Math.round(Math.min(0.5, a) * 10000) / 10000;
      };
      set(range, hue, amount);
      const facing = other[range];
      if (found.values.opposite && facing) set(facing, (hue + 180) % 360, amount);
    },
    `${step.id}/${gesture}`,
  );
}

export function TintPad({ step }: { step: TintStep }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const pad = useRef<SVGSVGElement>(null);
  const endGesture = useWork((s) => s.endGesture);
  const rim = RIM[step.zone];
  // The trace comes as the vectorscope is zoomed; the pad keeps its own size.
  const zoom = useInstruments((s) => s.zoom);
  useEffect(
    () =>
      preview.counted.add((frame) => {
        // The pad shows the inner part of the scope, where pictures live.
        if (canvas.current && frame.vector) drawVector(canvas.current, frame.vector, VECTOR_SPAN);
      }),
    [],
  );

  const at = (range: Range) => {
    const { cb, cr } = placeOf(step.values[`${range}_hue`], step.values[`${range}_amount`]);
    return { x: cb / rim, y: -cr / rim };
  };
  const put = (range: Range, x: number, y: number, gesture: string) => {
    const { hue, amount } = polarOf(x * rim, -y * rim);
    write(step, range, hue, amount, gesture);
  };
  const drag = (range: Range) => (e: React.PointerEvent<SVGCircleElement>) => {
    const box = pad.current?.getBoundingClientRect();
    if (!box) return;
    const move = (m: PointerEvent, gesture: string) => {
      const x = ((m.clientX - box.left) / box.width) * 2.2 - 1.1;
      const y = ((m.clientY - box.top) / box.height) * 2.2 - 1.1;
      const length = Math.max(1, Math.hypot(x, y));
      put(range, x / length, y / length, gesture);
    };
    follow(e, range, move, endGesture);
  };
  const keys = (range: Range) => (e: React.KeyboardEvent) => {
    const d = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    const { x, y } = at(range);
    const size = KEY_STEP * (e.shiftKey ? 5 : e.altKey ? 0.2 : 1);
    if (d) put(range, x + (d[0] ?? 0) * size, y + (d[1] ?? 0) * size, "keys");
    else if (e.key === "Delete" || e.key === "Backspace") put(range, 0, 0, "keys");
    else return;
    e.preventDefault();
  };

  const [darks, lights] = [at("darks"), at("lights")];
  const skin = (SKIN_DEGREES * Math.PI) / 180;
  return (
    <div className="relative aspect-square h-full shrink-0">
      <canvas
        ref={canvas}
        aria-hidden
        className="absolute top-[4.5%] left-[4.5%] h-[91%] w-[91%] rounded-full opacity-55"
        style={{ clipPath: `circle(${50 * zoom}%)`, scale: String(1 / zoom) }}
      />
      <svg ref={pad} viewBox="-1.1 -1.1 2.2 2.2" className="absolute inset-0 h-full w-full" data-pad>
        <g fill="none" stroke="var(--color-edge)" strokeWidth={0.012}>
          <circle r={1} />
          <circle r={0.5} stroke="var(--color-shelf)" />
          <path d="M-1 0H1M0 -1V1" stroke="var(--color-shelf)" />
        </g>
        <path d={`M0 0L${Math.cos(skin)} ${-Math.sin(skin)}`} stroke="var(--color-ember)" strokeWidth={0.014} />
        <text x={Math.cos(skin) * 1.0 - 0.16} y={-Math.sin(skin) * 1.02 - 0.03} fontSize={0.12} fill="var(--color-dim)" textAnchor="middle">
          skin
        </text>
        <path d={`M${darks.x} ${darks.y}L${lights.x} ${lights.y}`} stroke="var(--color-lantern)" strokeWidth={0.02} />
        {RANGES.map((range) => {
          const { x, y } = at(range);
          return (
            <circle
              key={range}
              cx={x}
              cy={y}
              r={range === "middles" ? 0.07 : 0.085}
              fill={FILL[range]}
              stroke={range === "darks" ? "var(--color-dim)" : "var(--color-lantern)"}
              strokeWidth={0.022}
              role="slider"
              tabIndex={0}
              aria-label={`${range}: hue and amount`}
              aria-valuenow={step.values[`${range}_amount`]}
              aria-valuetext={`hue ${step.values[`${range}_hue`].toFixed(0)} degrees, amount ${step.values[`${range}_amount`].toFixed(3)}`}
              data-handle={range}
              onPointerDown={drag(range)}
              onKeyDown={keys(range)}
              onBlur={endGesture}
              onDoubleClick={() => put(range, 0, 0, "reset")}
            />
          );
        })}
      </svg>
      <button
        type="button"
        role="switch"
        aria-checked={step.values.opposite}
        onClick={() => setValue(step.id, "opposite", "Link to complementary hue", !step.values.opposite)}
        title="Keeps lights opposite to darks while either is dragged"
        className={`absolute bottom-0 left-0 h-6 ${step.values.opposite ? "text-lantern" : "text-faint hover:text-bright"}`}
      >
        ⟷ Link to complementary hue
      </button>
    </div>
  );
}

/** The three weights over the picture's tones, with the two crossovers to drag. */
export function Crossovers({ step }: { step: TintStep }) {
  const reading = useCurves();
  const tones = useTones();
  const box = useRef<SVGSVGElement>(null);
  const endGesture = useWork((s) => s.endGesture);
  const { from, to } = AXIS[step.zone];
  const x = (v: number) => (v - from) / (to - from);

  const limits = { low: [-6, step.values.high], high: [step.values.low, 6] } as const;
  const put = (id: "low" | "high", value: number, gesture: string) => {
    const [least, most] = limits[id];
    setValue(step.id, id, "Crossover", Math.round(Math.min(most, Math.max(least, value)) * 100) / 100, gesture);
  };
  const drag = (id: "low" | "high") => (e: React.PointerEvent<SVGPathElement>) => {
    const area = box.current?.getBoundingClientRect();
    if (!area) return;
    const value = (m: PointerEvent) => from + ((m.clientX - area.left) / area.width) * (to - from);
    follow(e, id, (m, gesture) => put(id, value(m), gesture), endGesture);
  };
  const keys = (id: "low" | "high") => (e: React.KeyboardEvent) => {
    const d = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    if (d === undefined) return;
    put(id, step.values[id] + d * (e.shiftKey ? 0.5 : e.altKey ? 0.01 : 0.05), "keys");
    e.preventDefault();
  };
  return (
    <figure aria-label="Weights over the picture's tones" className="flex min-h-0 flex-1 flex-col">
      <svg ref={box} viewBox="0 0 1 1" preserveAspectRatio="none" className="min-h-0 flex-1 bg-pit">
        <path d={outline(tones, from, to)} fill="var(--color-edge)" />
        {RANGES.map((range) => {
          const curve = reading?.curves.find((c) => c.id === range);
          const tone = { darks: "var(--color-faint)", middles: "var(--color-dim)", lights: "var(--color-bright)" }[range];
          return (
            curve && (
              <path
                key={range}
                d={curvePath(curve.values, from, to, -0.05, 1.1)}
                fill="none"
                stroke={tone}
                strokeWidth={1.3}
                vectorEffect="non-scaling-stroke"
              />
            )
          );
        })}
        {(["low", "high"] as const).map((id) => (
          <g key={id}>
            <path d={`M${x(step.values[id])} 0V1`} stroke="var(--color-lantern)" strokeDasharray="2 3" vectorEffect="non-scaling-stroke" />
            <path
              d={`M${x(step.values[id])} 0V1`}
              stroke="transparent"
              strokeWidth={14}
              vectorEffect="non-scaling-stroke"
              className="cursor-ew-resize"
              role="slider"
              tabIndex={0}
              aria-label={id === "low" ? "Darks to middles" : "Middles to lights"}
              aria-valuenow={step.values[id]}
              data-crossover={id}
              onPointerDown={drag(id)}
              onKeyDown={keys(id)}
              onBlur={endGesture}
            />
          </g>
        ))}
      </svg>
      <Ticks zone={step.zone} />
    </figure>
  );
}
