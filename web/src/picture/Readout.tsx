/** What lies under the pointer and at the pins: per cent, code values, stops from grey, Lab. */
import { X } from "lucide-react";
import { useEffect, useState } from "react";
import type { Sample } from "../data/client";
import { preview, type Samples } from "../preview/preview";
import { useInstruments } from "../session/instruments";
import { Button } from "../ui/controls";

function useSamples(): Samples | null {
  const [samples, setSamples] = useState<Samples | null>(null);
  useEffect(() => preview.samples.add(setSamples), []);
  return samples;
}

const sign = (v: number, digits: number) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(digits)}`;

function Values({ sample }: { sample: Sample }) {
  const [l = 0, a = 0, b = 0] = sample.lab;
  const per = sample.signal.map((v) => (v * 100).toFixed(1)).join(" ");
  const code = sample.signal.map((v) => Math.round(v * 255)).join(" ");
  return (
    <>
      <span title="R, G, B in per cent of the signal">{per} %</span>
      <span title="R, G, B as 8-bit code values">{code}</span>
      <span title="Stops from middle grey in the scene" className="text-text">
        {sample.stops < -20 ? "no light" : `${sign(sample.stops, 2)} st`}
      </span>
      <span title="CIE L*a*b*">
        L* {l.toFixed(1)} a* {sign(a, 1)} b* {sign(b, 1)}
      </span>
    </>
  );
}

/** The place under the pointer; hints while it is elsewhere. */
export function Readout({ hints }: { hints: string[] }) {
  const samples = useSamples();
  const pins = useInstruments((s) => s.pins.length);
  const sample = samples && samples.found.length > pins ? samples.found.at(-1) : null;
  if (!sample) return hints.map((h) => <span key={h}>{h}</span>);
  return (
    <span className="flex gap-4" data-readout={samples?.seq} data-at={samples?.at.at(-1)?.map((v) => v.toFixed(3)).join(" ")}>
      <Values sample={sample} />
    </span>
  );
}

/** The pinned places, read anew with every picture. */
export function Pins() {
  const samples = useSamples();
  const pins = useInstruments((s) => s.pins);
  const set = useInstruments((s) => s.set);
  if (pins.length === 0) return null;
  return (
    <ol aria-label="Pinned places" className="absolute bottom-1 left-1 z-10 flex flex-col rounded bg-pit/80 px-2 py-0.5">
      {pins.map((_, i) => {
        const sample = samples?.found[i];
        return (
          <li key={i} className="flex items-center gap-3 text-dim" data-pin={i + 1}>
            <span className="text-bright">{i + 1}</span>
            {sample && <Values sample={sample} />}
            <Button
              kind="quiet"
              aria-label={`Take pin ${i + 1} away`}
              className="h-4 px-0"
              onClick={() => set({ pins: pins.filter((_, k) => k !== i) })}
            >
              <X size={12} />
            </Button>
          </li>
        );
      })}
    </ol>
  );
}
