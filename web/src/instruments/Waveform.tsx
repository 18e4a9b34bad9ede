/** The waveform of the delivered picture: R, G and B over each other or side by side, or its brightness. */
import type { Frame } from "../preview/preview";
import { useHdrDisplays } from "../session/encodings";
import { useInstruments, type Wave } from "../session/instruments";
import { Button } from "../ui/controls";
import { type Mode, type Scope, type Source, sourcesOf, Traces } from "./counts";
import { drawLuma, drawWave } from "./draw";

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
/** Where the signal from 0 to 100 % lies on the axis. */
const INSIDE = { top: up(100), height: `${(100 / (AXIS.high - AXIS.low)) * 100}%` };

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
        <Traces id="wave" source={source} label="Waveform of the picture" draw={drawAnyWave} className="inset-x-0" style={INSIDE} />
      </div>
    </div>
  );
}

function Panel({ mode }: { mode: Mode }) {
  if (mode === "narrow") {
    return (
      <section aria-label="Waveform" className="flex min-h-[110px] flex-1 flex-col">
        <WaveHead />
        <div className="max-h-[260px] min-h-0 flex-1">
          <Waveform source="hand" />
        </div>
      </section>
    );
  }
  return (
    <section aria-label="Waveform" className="col-span-2">
      <WaveHead />
      <div className={`flex gap-2 ${mode === "two" ? "h-[104px]" : "h-[176px] [@media(max-height:720px)]:h-[140px]"}`}>
        {sourcesOf(mode).map((s) => (
          <Waveform key={s} source={s} />
        ))}
      </div>
    </section>
  );
}

export const waveform: Scope = {
  id: "waveform",
  places: ["look", "balance"],
  asks: ({ wave }) => ({ wave: wave !== "luma", luma: wave === "luma" }),
  Panel,
};
