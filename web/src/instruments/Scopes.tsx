/** The instruments at the right: waveform and vectorscope of the picture as it is delivered. */
import { useEffect, useRef, useState } from "react";
import { preview } from "../api/preview";
import { Button } from "../ui/controls";
import { drawVector, drawWave } from "./draw";
import { SKIN_DEGREES, TARGETS, VECTOR_SPAN } from "./plane";

export function Scopes() {
  return (
    <aside aria-label="Scopes" className="flex w-[312px] shrink-0 flex-col gap-3 bg-wall p-3">
      <Waveform />
      <Vectorscope />
    </aside>
  );
}

function Waveform() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [parade, setParade] = useState(false);
  useEffect(
    () =>
      preview.counted.add((frame) => {
        if (canvas.current && frame.wave) drawWave(canvas.current, frame.wave, frame.columns, parade);
      }),
    [parade],
  );
  return (
    <section aria-label="Waveform" className="flex flex-col">
      <header className="flex items-center justify-between pb-1">
        <span className="text-text">Waveform</span>
        <Button kind="quiet" aria-pressed={parade} onClick={() => setParade(!parade)}>
          {parade ? "RGB parade" : "RGB overlay"}
        </Button>
      </header>
      <div className="flex h-[210px]">
        <div className="relative w-7 text-faint">
          {[100, 75, 50, 25, 0].map((v) => (
            <span key={v} className="absolute right-1.5 -translate-y-1/2" style={{ top: `${100 - v}%` }}>
              {v}
            </span>
          ))}
        </div>
        <div className="relative flex-1 bg-pit">
          {[0, 25, 50, 75, 100].map((v) => (
            <div key={v} className="absolute inset-x-0 h-px bg-shelf" style={{ top: `${v}%` }} />
          ))}
          <canvas ref={canvas} role="img" aria-label="Waveform of the picture" className="absolute inset-0 h-full w-full" />
        </div>
      </div>
    </section>
  );
}

function Vectorscope() {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(
    () =>
      preview.counted.add((frame) => {
        if (canvas.current && frame.vector) drawVector(canvas.current, frame.vector, VECTOR_SPAN);
      }),
    [],
  );
  return (
    <section aria-label="Vectorscope" className="flex flex-col">
      <header className="flex items-center justify-between pb-1">
        <span>Vectorscope</span>
        <span className="text-faint">75 % targets, skin line</span>
      </header>
      <div className="relative aspect-square bg-pit">
        <canvas
          ref={canvas}
          data-scope="vector"
          role="img"
          aria-label="Vectorscope of the picture"
          className="absolute inset-0 h-full w-full"
        />
        <Graticule />
      </div>
    </section>
  );
}

/** Circle, axes, skin line and target boxes, in the vectorscope's own coordinates. */
function Graticule() {
  const s = VECTOR_SPAN;
  const skin = (SKIN_DEGREES * Math.PI) / 180;
  return (
    <svg viewBox={`${-s} ${-s} ${2 * s} ${2 * s}`} className="absolute inset-0" aria-hidden>
      <g fill="none" stroke="var(--color-edge)" strokeWidth={0.003}>
        <circle r={s * 0.97} />
        <path d={`M${-s} 0H${s}M0 ${-s}V${s}`} stroke="var(--color-shelf)" />
      </g>
      <path
        d={`M0 0L${Math.cos(skin) * s * 0.97} ${-Math.sin(skin) * s * 0.97}`}
        stroke="var(--color-ember)"
        strokeWidth={0.004}
      />
      {TARGETS.map((t) => (
        <g key={t.name} fill="none" stroke="var(--color-faint)" strokeWidth={0.004}>
          <rect x={t.cb - 0.024} y={-t.cr - 0.024} width={0.048} height={0.048} />
          <text
            x={t.cb * 1.17}
            y={-t.cr * 1.17 + 0.015}
            fontSize={0.045}
            textAnchor="middle"
            fill="var(--color-dim)"
            stroke="none"
          >
            {t.name}
          </text>
        </g>
      ))}
    </svg>
  );
}
