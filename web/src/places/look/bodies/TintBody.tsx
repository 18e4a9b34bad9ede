/** Tone tint: the pad over the vectorscope, the three ranges, and their crossovers. */
import type { KindInfo, Step } from "../../../api/client";
import { Crossovers, RANGES, TintPad } from "../TintPad";
import { Numbers } from "./values";

export function TintBody({ step, info }: { step: Extract<Step, { kind: "tone-tint" }>; info: KindInfo }) {
  const dots = { darks: "border border-dim bg-pit", middles: "bg-faint", lights: "bg-bright" };
  const names = { hue: "hue", amount: "amount", brightness: "brightness" };
  return (
    <>
      <TintPad step={step} />
      <div className="flex min-w-0 flex-1 flex-col gap-1">
        <div className="grid grid-cols-3 gap-x-5">
          {RANGES.map((range) => (
            <div key={range} role="group" aria-label={range}>
              <div className="flex items-center gap-2 text-value text-bright">
                <span className={`h-2.5 w-2.5 rounded-full ${dots[range]}`} />
                {range[0]?.toUpperCase() + range.slice(1)}
              </div>
              <div className="grid grid-cols-[58px_1fr] gap-x-2">
                <Numbers
                  step={step}
                  fields={info.fields.filter((f) => f.id === `${range}_hue` || f.id === `${range}_amount`)}
                  labels={{ [`${range}_hue`]: names.hue, [`${range}_amount`]: names.amount }}
                />
              </div>
              <Numbers
                step={step}
                fields={info.fields.filter((f) => f.id === `${range}_brightness`)}
                labels={{ [`${range}_brightness`]: names.brightness }}
              />
            </div>
          ))}
        </div>
        <div className="flex min-h-0 flex-1 gap-4">
          <Crossovers step={step} />
          <div className="w-28">
            <Numbers step={step} fields={info.fields.filter((f) => f.id === "softness")} />
          </div>
        </div>
      </div>
    </>
  );
}
