/** What the step in hand draws: curves from the core, and the histogram of what it is given. */
import { useEffect, useState } from "react";
import type { Reading } from "../data/client";
import { preview } from "../preview/preview";

export function useCurves(): Reading | null {
  const [reading, setReading] = useState<Reading | null>(null);
  useEffect(() => preview.readings.add(setReading), []);
  return reading;
}

/** Counts of the tonal histogram as heights 0..1, root-scaled so that small populations show. */
export function useTones(): number[] {
  const [tones, setTones] = useState<number[]>([]);
  useEffect(
    () =>
      preview.frames.add((frame) => {
        if (!frame.tones) return;
        // The end bins hold all that lies beyond and would flatten the rest.
        const inner = frame.tones.subarray(1, -1);
        const most = Math.max(1, ...inner);
        const heights = Array.from(frame.tones, (n, i) => (i === 0 || i === 127 ? 0 : Math.sqrt(n / most)));
        // What a step is given does not change while the step itself is dragged.
        setTones((old) => (old.length === heights.length && old.every((h, i) => h === heights[i]) ? old : heights));
      }),
    [],
  );
  return tones;
}

/** The population of hues that the step in hand is given, as heights 0..1 from 0 degrees on. */
export function useHues(): number[] {
  const [hues, setHues] = useState<number[]>([]);
  useEffect(
    () =>
      preview.frames.add((frame) => {
        if (!frame.hues) return;
        const most = Math.max(1, ...frame.hues);
        const heights = Array.from(frame.hues, (n) => Math.sqrt(n / most));
        setHues((old) => (old.length === heights.length && old.every((h, i) => h === heights[i]) ? old : heights));
      }),
    [],
  );
  return hues;
}

/** The display colour that stands for a hue of the plane. */
export function hueColour(degrees: number, light = 0.5, amount = 0.22): string {
  const a = (degrees * Math.PI) / 180;
  const [cb, cr] = [Math.cos(a) * amount, Math.sin(a) * amount];
  const rgb = [light + 1.5748 * cr, light - 0.1873 * cb - 0.4681 * cr, light + 1.8556 * cb];
  return `rgb(${rgb.map((v) => Math.round(Math.min(1, Math.max(0, v)) * 255)).join(" ")})`;
}

/** The tonal axis that is drawn, by zone, in axis units. */
export const AXIS = {
  scene: { from: -7, to: 7, ticks: [-6, -4, -2, 0, 2, 4, 6] },
  film: { from: -7, to: 7, ticks: [-6, -4, -2, 0, 2, 4, 6] },
  screen: { from: -3.83, to: 6.17, ticks: [-3.83, -1.83, 0.17, 2.17, 4.17, 6.17] },
};

/** A filled outline of the histogram in a box of 0..1, for an axis. */
export function outline(tones: number[], from: number, to: number): string {
  if (tones.length === 0) return "";
  const points = tones.map((h, i) => {
    const place = -8 + ((i + 0.5) * 16) / tones.length;
    return [(place - from) / (to - from), 1 - h * 0.9] as const;
  });
  const inside = points.filter(([x]) => x >= 0 && x <= 1);
  return `M0 1${inside.map(([x, y]) => `L${x.toFixed(4)} ${y.toFixed(4)}`).join("")}L1 1Z`;
}

/** A curve of the reading as a path in a box of 0..1. */
export function curvePath(values: number[], from: number, to: number, low = from, high = to): string {
  const out: string[] = [];
  values.forEach((v, i) => {
    const x = (-8 + (16 * i) / (values.length - 1) - from) / (to - from);
    if (x >= -0.02 && x <= 1.02) out.push(`${out.length ? "L" : "M"}${x.toFixed(4)} ${(1 - (v - low) / (high - low)).toFixed(4)}`);
  });
  return out.join("");
}
