/** What a step makes of the neutral scale, drawn in stops or per cent over the picture's own histogram. */
import type { Zone } from "../data/client";
import { tonePlace } from "../ui/units";
import { AXIS, curvePath, outline, useCurves, useTones } from "./reading";

export function Ticks({ zone }: { zone: Zone }) {
  const { from, to, ticks } = AXIS[zone];
  return (
    <div className="relative h-4 whitespace-nowrap text-faint">
      {ticks.map((t, i) => (
        <span
          key={t}
          className={`absolute ${i === 0 && zone === "screen" ? "" : i === ticks.length - 1 && zone === "screen" ? "-translate-x-full" : "-translate-x-1/2"}`}
          style={{ left: `${((t - from) / (to - from)) * 100}%` }}
        >
          {zone === "screen" ? tonePlace(t, zone).replace(".0", "") : t > 0 ? `+${t}` : t}
        </span>
      ))}
    </div>
  );
}

/** The curves that may be drawn, from back to front. */
const LINES = [
  { id: "blue", colour: "var(--color-blue)" },
  { id: "green", colour: "var(--color-green)" },
  { id: "red", colour: "var(--color-red)" },
  { id: "response", colour: "var(--color-bright)" },
];

export function TonePlot({ zone, pivot }: { zone: Zone; pivot?: number }) {
  const reading = useCurves();
  const tones = useTones();
  const { from, to, ticks } = AXIS[zone];
  const x = (v: number) => (v - from) / (to - from);
  return (
    <figure aria-label="Response over the picture's tones" className="flex min-w-0 flex-1 flex-col">
      <svg viewBox="0 0 1 1" preserveAspectRatio="none" className="min-h-0 flex-1 bg-pit" data-plot="response">
        <path d={outline(tones, from, to)} fill="var(--color-edge)" />
        {ticks.map((t) => (
          <path key={t} d={`M${x(t)} 0V1M0 ${1 - x(t)}H1`} stroke="var(--color-shelf)" vectorEffect="non-scaling-stroke" />
        ))}
        <path d="M0 1L1 0" stroke="var(--color-edge)" vectorEffect="non-scaling-stroke" />
        {pivot !== undefined && (
          <path d={`M${x(pivot)} 0V1`} stroke="var(--color-ember)" strokeDasharray="3 3" vectorEffect="non-scaling-stroke" />
        )}
        {LINES.map(({ id, colour }) => {
          const curve = reading?.curves.find((c) => c.id === id);
          return (
            curve && (
              <path key={id} d={curvePath(curve.values, from, to)} fill="none" stroke={colour} strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
            )
          );
        })}
      </svg>
      <Ticks zone={zone} />
    </figure>
  );
}
