/** The print: which stock, the printer's light, and what the print is made of. */
import { useState } from "react";
import type { KindInfo, PrintStock, Step } from "../../data/client";
import { useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { Button } from "../../ui/controls";
import { useCurves } from "../reading";
import { Numbers, fieldsOf } from "../values";
import { DyeEditor } from "./DyeEditor";
import { FilmCurve } from "./FilmCurve";
import { FilmFit } from "./FilmFit";
import { LayerChoice, Part, StockName } from "./parts";
import { printerPoint, toward } from "./printer";
import { StockCards } from "./StockCards";
import { changeStock } from "./stock";
import { Tabs } from "./Tabs";
import { WedgeFit } from "./WedgeFit";

type Print = Extract<Step, { kind: "print" }>;

export function PrintBody({ step, info }: { step: Print; info: KindInfo }) {
  const [tab, setTab] = useState("use");
  const negative = useWork((s) => s.document?.path.steps.find((x) => x.kind === "negative" && x.on));
  const exposed = negative?.kind === "negative" ? negative.values : null;
  return (
    <>
      <StockCards step={step} kind="print" />
      <FilmCurve negative={negative?.id ?? null} exposure={exposed?.exposure ?? 0} push={exposed?.push ?? 0} />
      <div className="flex w-[262px] shrink-0 flex-col">
        <Tabs value={tab} onChange={setTab} tabs={[["use", "printed"], ["curves", "curves"], ["dyes", "dyes"], ["fit", "data"]]} />
        {tab === "use" ? <Printed step={step} info={info} /> : tab === "curves" ? <Curves step={step} /> : tab === "fit" ? <FilmFit step={step} /> : <DyeEditor step={step} />}
      </div>
    </>
  );
}

const LIGHTS = [
  { id: "red", key: "R" },
  { id: "green", key: "G" },
  { id: "blue", key: "B" },
  { id: "all", key: "L" },
] as const;

/** One press of a button: a step of undo of its own. */
function press(light: (typeof LIGHTS)[number]["id"], by: number): void {
  printerPoint(light, by);
  useWork.getState().endGesture();
}

function Printed({ step, info }: { step: Print; info: KindInfo }) {
  const film = useCurves()?.film;
  if (film && !film.printed) {
    return (
      <div className="flex flex-col gap-1">
        <span className="text-dim">A reversal is projected as it is: there is no printer and no print stock.</span>
        <div className="grid grid-cols-2 gap-x-4">
          <Numbers step={step} fields={fieldsOf(info.fields, "projector", "adapted", "black", "lock", "tone", "colour")} />
        </div>
      </div>
    );
  }
  return (
    <div className="flex min-h-0 flex-col gap-1 overflow-y-auto pr-1">
      <div className="grid grid-cols-4 gap-2" role="group" aria-label="Printer points">
        {LIGHTS.map(({ id, key }, i) => (
          <div key={id} className="flex min-w-0 flex-col" data-light={id}>
            <div className="flex h-5 items-center justify-between">
              <span className="flex items-center gap-1 text-dim">
                {id !== "all" && <span className="h-2 w-2 rounded-full" style={{ background: `var(--color-${id})` }} />}
                {key}
              </span>
              <span className="text-value text-bright" data-points>
                {id === "all" ? "" : step.values[id].toFixed(step.values[id] % 1 ? 1 : 0)}
              </span>
            </div>
            <div className="flex gap-0.5">
              <Button className="flex-1 px-0" aria-label={`One point less of ${id}`} title={`Shift ${key}`} onClick={() => press(id, -1)}>
                −
              </Button>
              <Button className="flex-1 px-0" aria-label={`One point more of ${id}`} title={key} onClick={() => press(id, 1)}>
                +
              </Button>
            </div>
            <span className="truncate text-[10px] text-faint" title="Which way one point more goes">
              + {toward(film?.moves[i])}
            </span>
          </div>
        ))}
      </div>
      <div className="grid grid-cols-2 gap-x-4">
        <Numbers step={step} fields={fieldsOf(info.fields, "tone", "colour", "silver", "black", "lock", "projector", "adapted")} />
      </div>
    </div>
  );
}

function Curves({ step }: { step: Print }) {
  const [layer, setLayer] = useState(3);
  const fields = useSession((s) => s.stockFields);
  const stock = step.values.stock;
  const which = layer === 3 ? [0, 1, 2] : [layer];
  const value = stock.layers[layer === 3 ? 1 : layer];
  return (
    <div className="flex min-h-0 flex-col gap-1 overflow-y-auto pr-1">
      <WedgeFit step={step} />
      <StockName step={step} name={stock.name} />
      <LayerChoice layer={layer} onChange={setLayer} />
      <div className="grid grid-cols-2 gap-x-4">
        {value && fields && (
          <Part
            step={step}
            fields={fields.layer}
            value={value}
            label={`print ${layer}`}
            onChange={(id, v, gesture) => changeStock<PrintStock>(step.id, "Curve of the print", (s) => which.forEach((i) => Object.assign(s.layers[i] ?? {}, { [id]: v })), gesture)}
          />
        )}
      </div>
    </div>
  );
}
