/** What a table does, drawn: where greys go, and where colours go on the plane of colour differences. */
import { useQuery } from "@tanstack/react-query";
import { api, type TableReading, type TableUse } from "../data/client";

/** The reading of a table between its encodings. */
export function useTableReading(use: Pick<TableUse, "table" | "from" | "to"> | undefined) {
  return useQuery({
    queryKey: ["table reading", use?.table, use?.from, use?.to],
    queryFn: () => (use ? api.readTable(use.table, use.from, use.to) : null),
    enabled: use !== undefined,
    staleTime: Infinity,
  });
}

const CHANNELS = ["red", "green", "blue"] as const;

/** Greys: what comes out over what is shown without the table; `bare` without words. */
export function GreysPlot({ reading, beside, bare = false }: { reading: TableReading; beside?: TableReading | undefined; bare?: boolean }) {
  const path = (r: TableReading, channel: number) =>
    r.greys.map((g, i) => `${i ? "L" : "M"}${g.plain.toFixed(4)} ${(1 - (g.out[channel] ?? 0)).toFixed(4)}`).join("");
  return (
    <figure aria-label="What becomes of greys" className="flex w-full min-w-0 flex-col">
      <svg viewBox="-0.01 -0.02 1.02 1.04" preserveAspectRatio="none" className="min-h-0 w-full flex-1 rounded bg-pit" data-greys={reading.greys.length}>
        <g fill="none" vectorEffect="non-scaling-stroke" strokeWidth={1}>
          {[0.25, 0.5, 0.75].map((v) => (
            <path key={v} d={`M${v} 0V1M0 ${v}H1`} stroke="var(--color-shelf)" vectorEffect="non-scaling-stroke" />
          ))}
          <path d="M0 1L1 0" stroke="var(--color-edge)" vectorEffect="non-scaling-stroke" />
          {beside && CHANNELS.map((c, i) => <path key={c} d={path(beside, i)} stroke="var(--color-faint)" strokeDasharray="3 3" vectorEffect="non-scaling-stroke" />)}
          {CHANNELS.map((c, i) => (
            <path key={c} d={path(reading, i)} stroke={`var(--color-${c})`} strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
          ))}
        </g>
      </svg>
      {!bare && <figcaption className="pt-0.5 text-faint">Greys, without it → with it</figcaption>}
    </figure>
  );
}

/** Half the side of the plane that is drawn. */
const SPAN = 0.2;

const place = ([x, y]: number[]) => [(x ?? 0) / SPAN, -(y ?? 0) / SPAN] as const;

/** Where the hues of a brightness go, as a line. */
const ringOf = (of: TableReading, brightness: number) =>
  of.arrows
    .filter((a) => a.brightness === brightness)
    .map((a, i) => `${i ? "L" : "M"}${place(a.to).map((v) => v.toFixed(3)).join(" ")}`)
    .join("");

/** How far two readings lie apart, in words. */
export function apart(a: TableReading, b: TableReading): string[] {
  const most = (values: number[]) => Math.max(0, ...values);
  const mean = (values: number[]) => values.reduce((sum, v) => sum + v, 0) / Math.max(1, values.length);
  const pairs = a.greys.flatMap((g, i) => (b.greys[i] ? [[g, b.greys[i]] as const] : []));
  const greys = pairs.map(([x, y]) => Math.abs(((x.out[1] ?? 0) - (y.out[1] ?? 0)) * 100));
  const tints = pairs.map(([x, y]) => Math.hypot((x.tint[0] ?? 0) - (y.tint[0] ?? 0), (x.tint[1] ?? 0) - (y.tint[1] ?? 0)));
  const hues = a.arrows.flatMap((x, i) => {
    const y = b.arrows[i];
    return y ? [Math.hypot((x.to[0] ?? 0) - (y.to[0] ?? 0), (x.to[1] ?? 0) - (y.to[1] ?? 0))] : [];
  });
  const at = pairs[greys.indexOf(most(greys))]?.[0].plain ?? 0;
  return [
    `Greys lie ${most(greys).toFixed(1)} % of the signal apart at most, about ${(at * 100).toFixed(0)} %; on average ${mean(greys).toFixed(1)} %.`,
    `Their tints differ by ${most(tints).toFixed(3)} at most.`,
    `Colours go ${mean(hues).toFixed(3)} apart on average, ${most(hues).toFixed(3)} at most, of ${CHROMA} that they are strong.`,
  ];
}

/** How strong the colours are whose ways are drawn. */
const CHROMA = 0.08;

/** Where colours of three brightnesses go. */
export function HuesPlot({ reading, beside }: { reading: TableReading; beside?: TableReading | undefined }) {
  const brightnesses = [...new Set(reading.arrows.map((a) => a.brightness))];
  return (
    <figure aria-label="Where colours go" className="flex w-[142px] shrink-0 flex-col">
      <svg viewBox="-1 -1 2 2" className="min-h-0 w-full flex-1 rounded bg-pit" data-arrows={reading.arrows.length}>
        <path d="M-1 0H1M0 -1V1" stroke="var(--color-shelf)" strokeWidth={0.008} />
        {beside &&
          brightnesses.map((b) => (
            <path key={`beside ${b}`} d={`${ringOf(beside, b)}Z`} fill="none" stroke="var(--color-dim)" strokeDasharray="0.04 0.03" strokeWidth={0.012} />
          ))}
        {brightnesses.map((b) => {
          const own = reading.arrows.filter((a) => a.brightness === b);
          const ring = ringOf(reading, b);
          return (
            <g key={b} opacity={0.4 + 0.6 * b} stroke="var(--color-lantern)" fill="none" strokeWidth={0.012}>
              {own.map((a) => {
                const [[x0, y0], [x1, y1]] = [place(a.from), place(a.to)];
                return (
                  <g key={a.hue}>
                    <path d={`M${x0} ${y0}L${x1} ${y1}`} />
                    <circle cx={x1} cy={y1} r={0.022} fill="var(--color-lantern)" stroke="none" />
                  </g>
                );
              })}
              <path d={`${ring}Z`} stroke="var(--color-faint)" strokeWidth={0.006} />
            </g>
          );
        })}
      </svg>
      <figcaption className="pt-0.5 text-faint">Where colours go</figcaption>
    </figure>
  );
}
