/** The vectorscope of the delivered picture. */
import { SKIN_DEGREES, VECTOR_SPAN } from "../data/constants";
import type { Frame } from "../preview/preview";
import { useInstruments } from "../session/instruments";
import { Button } from "../ui/controls";
import { type Mode, type Scope, type Source, Traces } from "./counts";
import { drawVector } from "./draw";
import { Pair } from "./Pair";
import { TARGETS } from "./plane";

function VectorHead() {
  const zoom = useInstruments((s) => s.zoom);
  const set = useInstruments((s) => s.set);
  return (
    <header className="flex h-6 items-center justify-between">
      <span>Vectorscope</span>
      <Button kind="quiet" aria-label={`Vectorscope at ${zoom} times`} onClick={() => set({ zoom: zoom >= 4 ? 1 : zoom * 2 })}>
        {zoom} ×
      </Button>
    </header>
  );
}

function drawAnyVector(canvas: HTMLCanvasElement, frame: Frame) {
  if (frame.vector) drawVector(canvas, frame.vector, VECTOR_SPAN / useInstruments.getState().zoom);
}

function Vectorscope({ source }: { source: Source }) {
  return (
    <div className="relative aspect-square bg-pit">
      <Traces id="vector" source={source} label="Vectorscope of the picture" draw={drawAnyVector} />
      <Graticule />
    </div>
  );
}

/** Circle, axes, skin line and target boxes, in the vectorscope's own coordinates. */
function Graticule() {
  const zoom = useInstruments((s) => s.zoom);
  const s = VECTOR_SPAN / zoom;
  const skin = (SKIN_DEGREES * Math.PI) / 180;
  const thin = 0.004 / zoom;
  return (
    <svg viewBox={`${-s} ${-s} ${2 * s} ${2 * s}`} className="absolute inset-0" aria-hidden>
      <g fill="none" stroke="var(--color-edge)" strokeWidth={thin}>
        <circle r={VECTOR_SPAN * 0.97} />
        <path d={`M${-s} 0H${s}M0 ${-s}V${s}`} stroke="var(--color-shelf)" />
      </g>
      <path
        d={`M0 0L${Math.cos(skin) * VECTOR_SPAN * 0.97} ${-Math.sin(skin) * VECTOR_SPAN * 0.97}`}
        stroke="var(--color-ember)"
        strokeWidth={thin}
      />
      {TARGETS.map((t) => (
        <g key={t.name} fill="none" stroke="var(--color-faint)" strokeWidth={thin}>
          <rect x={t.cb - 0.024} y={-t.cr - 0.024} width={0.048} height={0.048} />
          <text x={t.cb * 1.17} y={-t.cr * 1.17 + 0.015} fontSize={0.045} textAnchor="middle" fill="var(--color-dim)" stroke="none">
            {t.name}
          </text>
        </g>
      ))}
    </svg>
  );
}

function Panel({ mode }: { mode: Mode }) {
  const room = { narrow: "mx-auto w-full max-w-[calc(100vh-470px)] min-w-[180px] shrink-0", wide: "", two: "col-span-2" }[mode];
  return (
    <section aria-label="Vectorscope" className={room}>
      <VectorHead />
      {mode === "two" ? <Pair of={Vectorscope} /> : <Vectorscope source="hand" />}
    </section>
  );
}

export const vectorscope: Scope = { id: "vectorscope", places: ["look", "balance"], asks: ({ zoom }) => ({ vector: zoom }), Panel };
