/** The hue circle laid out straight, with the hues that are really in the picture behind. */
import { hueColour, useHues } from "./reading";

/** Colours of the strip, every six degrees. */
const STOPS = Array.from({ length: 61 }, (_, i) => hueColour(i * 6));
const STRIP = `linear-gradient(90deg, ${STOPS.join(", ")})`;

/** The strip of hues at the foot of a ribbon. */
export function Strip({ className = "" }: { className?: string }) {
  return <div aria-hidden className={`h-2 w-full rounded-sm ${className}`} style={{ background: STRIP }} />;
}

/** The population of hues as bars in a box of 0..1, each in its own colour. */
export function Population() {
  const hues = useHues();
  const width = 1 / Math.max(1, hues.length);
  return (
    <g data-population={hues.filter((h) => h > 0.02).length}>
      {hues.map((h, i) =>
        h > 0.01 ? (
          <rect key={i} x={i * width} y={1 - h * 0.85} width={width * 1.05} height={h * 0.85} fill={hueColour((i + 0.5) * 2, 0.3, 0.13)} />
        ) : null,
      )}
    </g>
  );
}
