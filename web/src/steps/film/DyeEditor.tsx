/** The dyes of a print or reversal: bands of absorption, drawn over the spectrum. */
import { MAX_BANDS } from "../../data/constants";
import { useState } from "react";
import type { DyeSet, NegativeStock, PrintStock, Step } from "../../data/client";
import { useSession } from "../../session/session";
import { Button } from "../../ui/controls";
import { useCurves } from "../reading";
import { Part, StockName } from "./parts";
import { changeStock } from "./stock";

type OnFilm = Extract<Step, { kind: "print" | "negative" }>;

/** The dyes that a stock is projected by; a negative that is printed has none of its own here. */
function dyesOf(stock: NegativeStock | PrintStock): DyeSet | undefined {
  return "dyes" in stock ? stock.dyes : stock.projected?.dyes;
}

const DYES = ["cyan", "magenta", "yellow"] as const;
const COLOURS = { cyan: "#5fb9b9", magenta: "#b96ab0", yellow: "#b9b15a" };

export function DyeEditor({ step }: { step: OnFilm }) {
  const [dye, setDye] = useState<(typeof DYES)[number]>("cyan");
  const fields = useSession((s) => s.stockFields?.band ?? []);
  const film = useCurves()?.film;
  const bands = dyesOf(step.values.stock)?.[dye];
  const edit = (label: string, change: (dyes: DyeSet) => void, gesture?: string) =>
    changeStock<NegativeStock | PrintStock>(step.id, label, (stock) => {
      const dyes = dyesOf(stock);
      if (dyes) change(dyes);
    }, gesture);
  if (!bands) return null;
  const path = (values: number[]) => values.map((v, i) => `${i ? "L" : "M"}${i / (values.length - 1)} ${1 - v / 1.25}`).join("");
  return (
    <div className="flex min-h-0 flex-col gap-1 overflow-y-auto pr-1">
      <StockName step={step} name={step.values.stock.name} />
      <svg viewBox="0 0 1 1" preserveAspectRatio="none" className="h-12 w-full shrink-0 bg-pit" data-plot="dyes" role="img" aria-label="Density of the dyes from 380 to 730 nm">
        {DYES.map((d, i) => {
          const values = film?.dyes[i];
          return values && <path key={d} d={path(values)} fill="none" stroke={COLOURS[d]} strokeWidth={d === dye ? 2 : 1} vectorEffect="non-scaling-stroke" />;
        })}
      </svg>
      <div role="radiogroup" aria-label="Dye" className="flex gap-1">
        {DYES.map((d) => (
          <button key={d} type="button" role="radio" aria-checked={d === dye} onClick={() => setDye(d)} className={`h-5 rounded px-1.5 ${d === dye ? "bg-shelf text-bright" : "text-dim hover:text-bright"}`}>
            {d}
          </button>
        ))}
        <span className="flex-1" />
        <Button kind="quiet" disabled={bands.length >= MAX_BANDS} onClick={() => edit(`Another band of ${dye}`, (s) => s[dye].push({ height: 0.05, centre: 500, width: 40 }))}>
          + band
        </Button>
      </div>
      {bands.map((band, i) => (
        <div key={i} className="grid grid-cols-[1fr_1fr_1fr_auto] items-center gap-x-2">
          <Part
            step={step}
            fields={fields}
            value={band}
            label={`${dye} ${i}`}
            onChange={(id, v, gesture) => edit(`Band of ${dye}`, (s) => Object.assign(s[dye][i] ?? {}, { [id]: v }), gesture)}
          />
          <Button kind="quiet" className="px-1" aria-label={`Take band ${i + 1} away`} disabled={bands.length < 2} onClick={() => edit(`Band of ${dye} away`, (s) => s[dye].splice(i, 1))}>
            ×
          </Button>
        </div>
      ))}
    </div>
  );
}
