/**
 * Film on its curve: the stock's three characteristic curves over exposure, the print's response below, and the range
 * of the shot in hand on the exposure axis. Dragging that range is exposure.
 */
import type { FilmReading, NegativeStock } from "../../data/client";
import { setValue, useWork } from "../../document/work";
import { follow } from "../../gestures/drag";
import { useCurves, useTones } from "../reading";

/** The part of the exposure axis that is drawn, in stops. */
const FROM = -9;
const TO = 8;
/** Reflectances that people go by, in stops about middle grey: 3 % black, 90 % white. */
const MARKS = [
  { id: "black", at: Math.log2(0.03 / 0.18) },
  { id: "grey", at: 0 },
  { id: "white", at: Math.log2(0.9 / 0.18) },
];
const COLOURS = ["var(--color-red)", "var(--color-green)", "var(--color-blue)"];

function across(stops: number): number {
  return (stops - FROM) / (TO - FROM);
}

function line(values: number[], span: number[], most: number): string {
  const [a = 0, b = 1] = span;
  return values
    .map((v, i) => [across(a + ((b - a) * i) / (values.length - 1)), 1 - v / most] as const)
    .filter(([x]) => x >= -0.02 && x <= 1.02)
    .map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(4)} ${y.toFixed(4)}`)
    .join("");
}

/** The histogram of the scene, moved to where it falls on the film. */
function range(tones: number[], by: number): string {
  const points = tones.map((h, i) => [across(-8 + ((i + 0.5) * 16) / tones.length + by), 1 - h * 0.3] as const);
  const inside = points.filter(([x]) => x >= 0 && x <= 1);
  const [first, last] = [inside[0]?.[0] ?? 0, inside.at(-1)?.[0] ?? 0];
  return `M${first} 1${inside.map(([x, y]) => `L${x.toFixed(4)} ${y.toFixed(4)}`).join("")}L${last} 1Z`;
}

/** What was measured of a normal development: stops about grey, and densities. */
function measuredOf(stock: NegativeStock | undefined): [number, number[]][] {
  const wedge = stock?.measured?.wedges.find((w) => w.push === 0);
  return (wedge?.steps ?? []).map(([x = 0, ...densities]) => [x / Math.log10(2), densities]);
}

export function FilmCurve({ negative, exposure, push, stock }: { negative: string | null; exposure: number; push: number; stock?: NegativeStock }) {
  const film = useCurves()?.film;
  const tones = useTones();
  const endGesture = useWork((s) => s.endGesture);
  if (!film) return <div className="min-w-0 flex-1 bg-pit" />;
  const fallen = exposure - push;
  const set = (value: number, gesture?: string) => {
    if (negative) setValue(negative, "exposure", "Exposure on the film", Math.round(Math.min(4, Math.max(-4, value)) * 20) / 20, gesture);
  };
  const drag = (e: React.PointerEvent<HTMLDivElement>) => {
    if (!negative) return;
    const width = e.currentTarget.getBoundingClientRect().width;
    const [x0, from] = [e.clientX, exposure];
    follow(e, "range", (m, gesture) => set(from + ((m.clientX - x0) / width) * (TO - FROM) * (m.altKey ? 0.1 : 1), gesture), endGesture);
  };
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowRight: 0.1, ArrowUp: 0.1, ArrowLeft: -0.1, ArrowDown: -0.1 }[e.key];
    if (by === undefined) return;
    set(exposure + by * (e.shiftKey ? 10 : e.altKey ? 0.5 : 1), "keys");
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <figure aria-label="Film on its curve" className="-mx-1 flex min-w-0 flex-1 flex-col @max-[560px]:hidden">
      <div
        role="slider"
        tabIndex={negative ? 0 : -1}
        aria-label="Exposure on the film's curve"
        aria-valuemin={-4}
        aria-valuemax={4}
        aria-valuenow={exposure}
        aria-valuetext={`${exposure.toFixed(1)} stops`}
        aria-disabled={!negative}
        data-film-range
        title={negative ? "Drag the shot's range along the curve: that is exposure" : "There is no negative to expose"}
        onPointerDown={drag}
        onKeyDown={keys}
        onDoubleClick={() => set(0)}
        onBlur={endGesture}
        className={`relative min-h-0 flex-1 bg-pit ${negative ? "cursor-ew-resize" : ""}`}
      >
        <Plot film={film} tones={tones} fallen={fallen} measured={measuredOf(stock)} />
        {MARKS.map((m) => (
          <span key={m.id} className="pointer-events-none absolute top-0 -translate-x-1/2 px-0.5 text-[10px] text-faint" style={{ left: `${across(m.at + fallen) * 100}%` }}>
            {m.id}
          </span>
        ))}
        <span className="pointer-events-none absolute bottom-0 left-1 text-[10px] text-faint">{film.printed ? "print" : "reversal"}</span>
        <span className="pointer-events-none absolute top-3 left-1 text-[10px] text-faint">{film.printed ? "negative" : ""}</span>
      </div>
      <figcaption className="h-4 truncate text-center text-[10px] leading-4 text-faint" title="Slope of the whole film at grey; densities of grey and of the deepest black over the clear film">
        slope {film.slope.toFixed(2)} · grey {film.grey_density.toFixed(2)} · black {film.deepest.toFixed(1)}
      </figcaption>
    </figure>
  );
}

function Plot({ film, tones, fallen, measured }: { film: FilmReading; tones: number[]; fallen: number; measured: [number, number[]][] }) {
  const most = Math.max(2.4, ...film.layers.flat());
  const densest = Math.max(3, ...film.print.flat());
  return (
    <svg viewBox="0 0 1 1" preserveAspectRatio="none" className="absolute inset-0 h-full w-full" data-plot="film">
      {MARKS.map((m) => (
        <path key={m.id} d={`M${across(m.at + fallen)} 0V1`} stroke={m.id === "grey" ? "var(--color-ember)" : "var(--color-shelf)"} vectorEffect="non-scaling-stroke" />
      ))}
      {film.printed && (
        <g transform="scale(1 0.5)">
          {film.layers.map((v, i) => (
            <path key={i} d={line(v, film.span, most)} fill="none" stroke={COLOURS[i]} strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
          ))}
          {measured.flatMap(([stops, densities], k) =>
            densities.map((d, i) => (
              <path key={`${k} ${i}`} d={`M${across(stops)} ${1 - d / most}h0`} stroke={COLOURS[i]} strokeWidth={4} strokeLinecap="round" vectorEffect="non-scaling-stroke" data-measured />
            )),
          )}
        </g>
      )}
      <path d="M0 0.5H1" stroke="var(--color-shelf)" vectorEffect="non-scaling-stroke" />
      <g transform={film.printed ? "translate(0 0.5) scale(1 0.5)" : ""}>
        <path d={range(tones, fallen)} fill="var(--color-edge)" data-shot-range />
        {film.print.map((v, i) => (
          <path key={i} d={line(v, film.span, densest)} fill="none" stroke={COLOURS[i]} strokeDasharray="4 2" vectorEffect="non-scaling-stroke" />
        ))}
      </g>
    </svg>
  );
}
