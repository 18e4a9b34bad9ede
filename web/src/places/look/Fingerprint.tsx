/** A tiny picture of what a step does: its neutral scale as a curve, its hue circle as twelve dots. */
import { memo, useEffect, useState } from "react";
import type { Fingerprint as Print } from "../../data/client";
import { preview } from "../../preview/preview";

/** Display colours of twelve hues of the plane at 30 degree steps, for the dots. */
const HUES = Array.from({ length: 12 }, (_, i) => {
  const a = (i * Math.PI) / 6;
  const [cb, cr] = [Math.cos(a) * 0.24, Math.sin(a) * 0.24];
  const rgb = [0.55 + 1.5748 * cr, 0.55 - 0.1873 * cb - 0.4681 * cr, 0.55 + 1.8556 * cb];
  return `rgb(${rgb.map((v) => Math.round(Math.min(1, Math.max(0, v)) * 255)).join(" ")})`;
});

const CHANNELS = ["var(--color-red)", "var(--color-green)", "var(--color-blue)"];

function usePrint(step: string): Print | undefined {
  const [print, setPrint] = useState<Print>();
  useEffect(() => {
    let before = "";
    return preview.readings.add((r) => {
      const found = r.fingerprints.find((p) => p.step === step);
      const now = JSON.stringify(found);
      if (now !== before) setPrint(found);
      before = now;
    });
  }, [step]);
  return print;
}

export const Fingerprint = memo(function Fingerprint({ step }: { step: string }) {
  const print = usePrint(step);
  if (!print) return <span className="h-[18px] w-[46px]" />;
  const [from = -6, to = 6] = print.span;
  const n = print.neutral.length;
  const line = (c: number) =>
    print.neutral
      .map((rgb, i) => {
        const y = ((rgb[c] ?? 0) - from) / (to - from);
        return `${i ? "L" : "M"}${((i / (n - 1)) * 18).toFixed(2)} ${(18 - Math.min(1, Math.max(0, y)) * 18).toFixed(2)}`;
      })
      .join("");
  const split = print.neutral.some((v) => Math.max(...v) - Math.min(...v) > 0.04);
  return (
    <svg viewBox="0 0 46 18" width={46} height={18} aria-hidden className="shrink-0" fill="none">
      <path d="M0 18L18 0" stroke="var(--color-edge)" strokeWidth={0.8} />
      {split ? (
        CHANNELS.map((colour, c) => <path key={colour} d={line(c)} stroke={colour} strokeWidth={1.1} />)
      ) : (
        <path d={line(1)} stroke="var(--color-text)" strokeWidth={1.2} />
      )}
      <g transform="translate(36 9)">
        <circle r={6.6} stroke="var(--color-shelf)" strokeWidth={0.8} />
        {print.hues.map(([cb = 0, cr = 0], i) => (
          <circle key={HUES[i]} cx={held(cb) * 6.6} cy={-held(cr) * 6.6} r={1.15} fill={HUES[i]} />
        ))}
      </g>
    </svg>
  );
});

function held(v: number): number {
  return Math.min(1.3, Math.max(-1.3, v));
}
