/** The chromaticity diagram: CIE 1976 u'v' of the scene, with the gamuts that displays have. */
import type { Frame } from "../preview/preview";
import { useSession } from "../session/session";
import { drawChromaticity } from "./draw";
import { type Mode, Plot, type Scope, type Source } from "./counts";
import { Pair } from "./Pair";

/** The part of the diagram that is drawn: nothing lies beyond. */
const HIGH = 0.62;

function draw(canvas: HTMLCanvasElement, frame: Frame) {
  const diagram = useSession.getState().scopes?.diagram;
  if (frame.chromaticity && diagram) drawChromaticity(canvas, frame.chromaticity, diagram.span, diagram.white as [number, number]);
}

const STROKES = ["var(--color-dim)", "var(--color-faint)", "var(--color-edge)"];

function Chromaticity({ source }: { source: Source }) {
  const diagram = useSession((s) => s.scopes?.diagram);
  if (!diagram) return null;
  const { span } = diagram;
  const [u = 0, v = 0] = diagram.white;
  const place = (p: number[]) => `${(p[0] ?? 0).toFixed(4)} ${(span - (p[1] ?? 0)).toFixed(4)}`;
  const closed = (points: number[][]) => `M${points.map(place).join("L")}Z`;
  return (
    <div className="relative aspect-square overflow-hidden bg-pit">
      <Plot id="chromaticity" source={source} label="Chromaticity of the scene" draw={draw} />
      <svg viewBox={`0 0 ${span} ${span}`} className="absolute inset-0" aria-hidden>
        <g fill="none" strokeWidth={0.002}>
          <path d={closed(diagram.locus)} stroke="var(--color-edge)" />
          {diagram.gamuts.map((g, i) => (
            <path key={g.name} d={closed(g.corners)} stroke={STROKES[i]} strokeDasharray={i === 0 ? undefined : `${0.01 / i} 0.006`} />
          ))}
          <path
            d={`M${place([u - 0.008, v])}L${place([u + 0.008, v])}M${place([u, v - 0.008])}L${place([u, v + 0.008])}`}
            stroke="var(--color-bright)"
          />
        </g>
        {diagram.gamuts.map((g, i) => (
          <text key={g.name} x={0.36} y={HIGH - 0.09 + 0.034 * i} fontSize={0.026} fill={i === 2 ? "var(--color-faint)" : STROKES[i]}>
            {["solid", "dashes", "dots"][i]} {g.name}
          </text>
        ))}
      </svg>
    </div>
  );
}

function Panel({ mode }: { mode: Mode }) {
  if (mode === "two") {
    return (
      <section aria-label="Chromaticity" className="col-span-2 -mt-1">
        <Pair of={Chromaticity} />
      </section>
    );
  }
  return (
    <section aria-label="Chromaticity">
      <header className="flex h-6 items-center justify-between">
        <span>Chromaticity</span>
        <span className="text-faint">scene, u′v′</span>
      </header>
      <Chromaticity source="hand" />
    </section>
  );
}

export const chromaticity: Scope = { id: "chromaticity", places: ["balance"], asks: () => ({ chromaticity: true }), Panel };
