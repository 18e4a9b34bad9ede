/** The negative: which stock, how it is exposed and developed, and what it is made of. */
import { useState } from "react";
import type { KindInfo, NegativeStock, Step } from "../../data/client";
import { useCurves } from "../reading";
import { Numbers, Switches, fieldsOf } from "../values";
import { DyeEditor } from "./DyeEditor";
import { FilmCurve } from "./FilmCurve";
import { FilmFit } from "./FilmFit";
import { StockCards } from "./StockCards";
import { NegativeEditor } from "./NegativeEditor";
import { Tabs } from "./Tabs";
import { WedgeFit } from "./WedgeFit";

const USED = ["exposure", "push", "tone", "colour", "flash", "silver", "range_fit", "gauge", "scene_black", "scene_white"];
/** What has nothing to do on a kind of film: a reversal has no straight negative to go to, silver no colour and no dyes to drain. */
const IDLE: Record<NegativeStock["kind"], string[]> = { negative: [], reversal: ["tone"], "black-and-white": ["colour", "silver"] };
const DYES: [string, string][] = [["dyes", "dyes"]];

type Negative = Extract<Step, { kind: "negative" }>;

export function NegativeBody({ step, info }: { step: Negative; info: KindInfo }) {
  const [tab, setTab] = useState("use");
  const film = useCurves()?.film;
  const { kind } = step.values.stock;
  const reversal = kind === "reversal";
  const points = film?.made_up.map((p) => (p > 0 ? "+" : p < 0 ? "−" : "") + Math.abs(p).toFixed(0)).join(" ");
  return (
    <>
      <StockCards step={step} kind="negative" />
      <FilmCurve negative={step.id} exposure={step.values.exposure} push={step.values.push} stock={step.values.stock} />
      <div className="flex w-[262px] shrink-0 flex-col">
        <Tabs value={tab} onChange={setTab} tabs={[["use", "exposed"], ["curves", "curves"], ["layers", "layers"], ["grain", "grain"], ["fit", "data"], ...(reversal ? DYES : [])]} />
        {tab === "use" ? (
          <div className="grid min-h-0 grid-cols-2 content-start gap-x-4 gap-y-0 overflow-y-auto pr-1">
            <Numbers step={step} fields={fieldsOf(info.fields, ...USED.filter((f) => !IDLE[kind].includes(f)))} />
            {!reversal && <Switches step={step} fields={fieldsOf(info.fields, "compensate")} />}
            {!reversal && points && (
              <span className="col-span-2 text-faint" data-made-up>
                {step.values.compensate ? "the printer adds" : "the printer would add"} {points} points (R G B)
              </span>
            )}
          </div>
        ) : tab === "fit" ? (
          <FilmFit step={step} />
        ) : tab === "dyes" && reversal ? (
          <DyeEditor step={step} />
        ) : (
          <>
            {tab === "curves" && <WedgeFit step={step} />}
            <NegativeEditor step={step} part={tab} />
          </>
        )}
      </div>
    </>
  );
}
