/** Tone tint: the pad over the vectorscope, the three ranges, and their crossovers. */
import type { KindInfo, Step } from "../data/client";
import { Crossovers, RANGES, TintPad } from "./TintPad";
import { fieldsOf, Numbers } from "./values";

export function TintBody({ step, info }: { step: Extract<Step, { kind: "tone-tint" }>; info: KindInfo }) {
  const dots = { darks: "border border-dim bg-pit", middles: "bg-faint", lights: "bg-bright" };
  return (
    <>
      <TintPad step={step} />
      <div className="flex min-w-0 flex-1 flex-col gap-1">
        <div className="grid grid-cols-3 gap-x-5 @max-[560px]:gap-x-2.5">
          {RANGES.map((range) => (
            <div key={range} role="group" aria-label={range}>
              <div className="flex items-center gap-2 text-value text-bright">
                <span className={`h-2.5 w-2.5 rounded-full ${dots[range]}`} />
                {range[0]?.toUpperCase() + range.slice(1)}
              </div>
              <Numbers
                step={step}
                fields={fieldsOf(info.fields, `${range}_hue`, `${range}_amount`, `${range}_brightness`)}
                labels={{ [`${range}_hue`]: "hue", [`${range}_amount`]: "amount", [`${range}_brightness`]: "brightness" }}
              />
            </div>
          ))}
        </div>
        <div className="flex min-h-0 flex-1 gap-4">
          <Crossovers step={step} />
          <div className="w-28 @max-[560px]:w-24">
            <Numbers step={step} fields={info.fields.filter((f) => f.id === "softness")} />
          </div>
        </div>
      </div>
    </>
  );
}
