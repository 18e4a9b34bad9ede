/** The instruments: one set of scopes for the whole app, of the picture as it is delivered. */
import { useEffect, useRef, useState } from "react";
import { preview, type Frame } from "../preview/preview";
import { useHdrDisplays } from "../session/encodings";
import { useInstruments, type Wave } from "../session/instruments";
import { useSession } from "../session/session";
import { Button } from "../ui/controls";
import { Chromaticity } from "./Chromaticity";
import { drawHistogram, drawLuma, drawVector, drawWave } from "./draw";
import { SKIN_DEGREES, TARGETS, VECTOR_SPAN } from "./plane";

/** Whose counts are drawn: the shot's in hand, or those of the one beside it. */
export type Source = "hand" | "beside";

/** Draws each frame that has counts into a canvas. */
export function useCounts(source: Source, draw: (canvas: HTMLCanvasElement, frame: Frame) => void) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const from = source === "hand" ? preview.counted : preview.besides;
    return from.add((frame) => {
      if (!canvas.current) return;
      draw(canvas.current, frame);
      canvas.current.dataset.seq = String(frame.seq);
    });
  }, [source, draw]);
  return canvas;
}

/** The two that are always open beside a look. */
export function Scopes({ className = "" }: { className?: string }) {
  return (
    <aside aria-label="Scopes" className={`flex w-[312px] shrink-0 flex-col gap-2 overflow-hidden bg-wall p-3 max-[1150px]:w-[256px] max-[1150px]:px-2 ${className}`}>
      <WholeFrame />
      <section aria-label="Waveform" className="flex min-h-[110px] flex-1 flex-col">
        <WaveHead />
        <div className="max-h-[260px] min-h-0 flex-1">
          <Waveform source="hand" />
        </div>
      </section>
      <section aria-label="Vectorscope" className="mx-auto w-full max-w-[calc(100vh-470px)] min-w-[180px] shrink-0">
        <VectorHead />
        <Vectorscope source="hand" />
      </section>
    </aside>
  );
}

/** Says that the scopes are held to an area, and lets them go. */
function WholeFrame() {
  const drawn = useInstruments((s) => s.area !== null || s.areaBeside !== null);
  const set = useInstruments((s) => s.set);
  if (!drawn) return null;
  return (
    <Button className="shrink-0 text-lantern" title="Esc" data-whole-frame onClick={() => set({ area: null, areaBeside: null })}>
      Scopes of the drawn area: back to the whole frame
    </Button>
  );
}

/** All of them; of two shots on the same axes where one stands beside the other. */
export function AllScopes({ className = "" }: { className?: string }) {
  const two = useInstruments((s) => s.beside !== null);
  const sources: Source[] = two ? ["hand", "beside"] : ["hand"];
  return (
    <aside aria-label="Scopes" className={`flex w-[432px] shrink-0 flex-col gap-2 overflow-y-auto bg-wall px-3 py-2 max-[1150px]:w-[340px] ${className}`}>
      <WholeFrame />
      <section aria-label="Waveform">
        <WaveHead />
        <div className={`flex gap-2 ${two ? "h-[104px]" : "h-[176px] [@media(max-height:720px)]:h-[140px]"}`}>
          {sources.map((s) => (
            <Waveform key={s} source={s} />
          ))}
        </div>
      </section>
      {two ? (
        <>
          <section aria-label="Vectorscope">
            <VectorHead />
            <Pair of={Vectorscope} />
          </section>
          <section aria-label="Chromaticity" className="-mt-1">
            <Pair of={Chromaticity} />
          </section>
        </>
      ) : (
        <div className="grid grid-cols-2 gap-2">
          <section aria-label="Vectorscope">
            <VectorHead />
            <Vectorscope source="hand" />
          </section>
          <section aria-label="Chromaticity">
            <header className="flex h-6 items-center justify-between">
              <span>Chromaticity</span>
              <span className="text-faint">scene, u′v′</span>
            </header>
            <Chromaticity source="hand" />
          </section>
        </div>
      )}
      <section aria-label="Histogram">
        <div className={`flex gap-2 ${two ? "h-[44px]" : "h-[92px] [@media(max-height:720px)]:h-[72px]"}`}>
          {sources.map((s) => (
            <Histogram key={s} source={s} />
          ))}
        </div>
      </section>
      {sources.map((s) => (
        <Limits key={s} source={s} />
      ))}
    </aside>
  );
}

function Pair({ of: One }: { of: (props: { source: Source }) => React.ReactNode }) {
  return (
    <div className="grid grid-cols-2 justify-items-center gap-2 [&>*]:w-[168px]">
      <One source="hand" />
      <One source="beside" />
    </div>
  );
}

const WAVES: Record<Wave, { title: string; next: Wave }> = {
  overlay: { title: "RGB overlay", next: "parade" },
  parade: { title: "RGB parade", next: "luma" },
  luma: { title: "brightness", next: "overlay" },
};

function WaveHead() {
  const wave = useInstruments((s) => s.wave);
  const set = useInstruments((s) => s.set);
  return (
    <header className="flex h-6 items-center justify-between">
      <span>
        Waveform<WaveUnit />
      </span>
      <Button kind="quiet" aria-label={`Waveform shows ${WAVES[wave].title}`} onClick={() => set({ wave: WAVES[wave].next })}>
        {WAVES[wave].title}
      </Button>
    </header>
  );
}

function WaveUnit() {
  const display = useInstruments((s) => s.display);
  const hdr = useHdrDisplays().some((e) => e.id === display);
  return hdr ? <span className="text-faint"> cd/m²</span> : null;
}

/** The waveform's axis in per cent: wide enough for the limits of EBU R 103. */
const AXIS = { low: -7, high: 107 };
const up = (v: number) => `${((AXIS.high - v) / (AXIS.high - AXIS.low)) * 100}%`;
const R103 = [-5, 105];

function drawAnyWave(canvas: HTMLCanvasElement, frame: Frame) {
  if (frame.luma) drawLuma(canvas, frame.luma, frame.columns);
  else if (frame.wave) drawWave(canvas, frame.wave, frame.columns, useInstruments.getState().wave === "parade");
}

/** Marks of the waveform's axis: per cent of the signal, or light in cd/m² where an HDR display is delivered to. */
function useMarks(): { at: number; label: string }[] {
  const display = useInstruments((s) => s.display);
  const hdr = useHdrDisplays().find((e) => e.id === display);
  if (!hdr) return [0, 25, 50, 75, 100].map((v) => ({ at: v, label: String(v) }));
  return hdr.marks.map(([light, code]) => ({ at: (code ?? 0) * 100, label: light && light >= 1000 ? `${light / 1000}k` : String(light) }));
}

function Waveform({ source }: { source: Source }) {
  const canvas = useCounts(source, drawAnyWave);
  const marks = useMarks();
  const hdr = marks.length !== 5 || marks[1]?.at !== 25;
  return (
    <div className="flex h-full min-w-0 flex-1">
      <div className="relative w-7 shrink-0 text-faint">
        {marks.map(({ at, label }) => (
          <span key={label} className="absolute right-1.5 -translate-y-1/2" style={{ top: up(at) }}>
            {label}
          </span>
        ))}
      </div>
      <div className="relative min-w-0 flex-1 bg-pit">
        {marks.map(({ at, label }) => (
          <div key={label} className={`absolute inset-x-0 h-px ${(hdr ? label !== "203" : at % 100) ? "bg-shelf" : "bg-edge"}`} style={{ top: up(at) }} />
        ))}
        {!hdr && R103.map((v) => (
          <div key={v} title="Limit of EBU R 103" className="absolute inset-x-0 border-t border-dashed border-ember" style={{ top: up(v) }} />
        ))}
        <canvas
          ref={canvas}
          data-scope={source === "hand" ? "wave" : "wave-beside"}
          role="img"
          aria-label="Waveform of the picture"
          className="absolute inset-x-0 w-full"
          style={{ top: up(100), height: `${(100 / (AXIS.high - AXIS.low)) * 100}%` }}
        />
      </div>
    </div>
  );
}

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
  const canvas = useCounts(source, drawAnyVector);
  return (
    <div className="relative aspect-square bg-pit">
      <canvas
        ref={canvas}
        data-scope={source === "hand" ? "vector" : "vector-beside"}
        role="img"
        aria-label="Vectorscope of the picture"
        className="absolute inset-0 h-full w-full"
      />
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

function drawAnyHistogram(canvas: HTMLCanvasElement, frame: Frame) {
  if (frame.histogram) drawHistogram(canvas, frame.histogram);
}

function Histogram({ source }: { source: Source }) {
  const canvas = useCounts(source, drawAnyHistogram);
  return (
    <div className="relative min-w-0 flex-1 bg-pit">
      <canvas
        ref={canvas}
        data-scope={source === "hand" ? "histogram" : "histogram-beside"}
        role="img"
        aria-label="Histogram of the picture"
        className="absolute inset-0 h-full w-full"
      />
    </div>
  );
}

/** Shares of pixels at and beyond the limits, of the frame or of the drawn area. */
function Limits({ source }: { source: Source }) {
  const area = useSession((s) => s.scopes?.r103_area ?? 0.01);
  const [shares, setShares] = useState<number[] | null>(null);
  useEffect(() => {
    const from = source === "hand" ? preview.counted : preview.besides;
    return from.add((frame) => frame.limits && setShares([...frame.limits]));
  }, [source]);
  if (!shares) return null;
  const [black = 0, white = 0, gamut = 0, beyond = 0] = shares;
  const say = (v: number) => `${(v * 100).toFixed(v > 0 && v < 0.1 ? 2 : 1)} %`;
  const rows: { id: string; title: string; more?: string; value: number; bad: boolean }[] = [
    { id: "black", title: "at 0 %", value: black, bad: false },
    { id: "white", title: "at 100 %", value: white, bad: false },
    { id: "gamut", title: "out of gamut", value: gamut, bad: false },
    { id: "r103", title: "outside R 103", more: "Outside of the limits of EBU R 103", value: beyond, bad: beyond > area },
  ];
  return (
    <dl className="grid grid-cols-4 gap-x-2" aria-label={source === "hand" ? "Limits" : "Limits of the shot beside"}>
      {rows.map((r) => (
        <div key={r.id} className="flex flex-col" data-limit={source === "hand" ? r.id : undefined}>
          <dt className="truncate text-faint" title={r.more}>{r.title}</dt>
          <dd className={`text-value ${r.bad ? "text-alarm" : "text-text"}`}>{say(r.value)}</dd>
        </div>
      ))}
    </dl>
  );
}
