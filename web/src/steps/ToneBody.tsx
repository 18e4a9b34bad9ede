/** Tone: its curve, and the black that it gives. */
import type { KindInfo, Step } from "../data/client";
import { useCurves } from "./reading";
import { TonePlot } from "./TonePlot";
import { Numbers } from "./values";

export function ToneBody({ step, info }: { step: Extract<Step, { kind: "tone" }>; info: KindInfo }) {
  return (
    <>
      <div className="relative flex min-w-0 flex-1">
        <TonePlot zone={step.zone} pivot={step.values.pivot} />
        <Black />
      </div>
      <div className="grid w-[340px] shrink-0 grid-cols-2 content-start gap-x-5 gap-y-0.5 overflow-y-auto pr-1 @max-[560px]:w-[170px] @max-[560px]:grid-cols-1">
        <Numbers step={step} fields={info.fields.filter((f) => f.id !== "fade" || step.values.fade > 0)} />
      </div>
    </>
  );
}

/** What a display shows of black under the whole path. */
function Black() {
  const black = useCurves()?.black;
  if (black === null || black === undefined) return null;
  return (
    <p data-black={black} className="absolute top-1 left-2 rounded bg-pit/80 px-1 text-text" title="Black as a reference display shows it under the whole look, in per cent of its signal">
      Black at {(black * 100).toFixed(1)} % of the display
    </p>
  );
}
