/** Histograms of the delivered picture. */
import type { Frame } from "../preview/preview";
import { type Mode, Plot, type Scope, type Source, sourcesOf } from "./counts";
import { drawHistogram } from "./draw";

function drawAnyHistogram(canvas: HTMLCanvasElement, frame: Frame) {
  if (frame.histogram) drawHistogram(canvas, frame.histogram);
}

function Histogram({ source }: { source: Source }) {
  return (
    <div className="relative min-w-0 flex-1 bg-pit">
      <Plot id="histogram" source={source} label="Histogram of the picture" draw={drawAnyHistogram} />
    </div>
  );
}

function Panel({ mode }: { mode: Mode }) {
  return (
    <section aria-label="Histogram" className="col-span-2">
      <div className={`flex gap-2 ${mode === "two" ? "h-[44px]" : "h-[92px] [@media(max-height:720px)]:h-[72px]"}`}>
        {sourcesOf(mode).map((s) => (
          <Histogram key={s} source={s} />
        ))}
      </div>
    </section>
  );
}

export const histogram: Scope = { id: "histogram", places: ["balance"], asks: () => ({ histogram: true }), Panel };
