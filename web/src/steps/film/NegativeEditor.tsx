/** What a negative stock is made of: curves, layers, grain. */
import { useState } from "react";
import type { NegativeStock, Step } from "../../data/client";
import { useSession } from "../../session/session";
import { LAYERS, LayerChoice, Part, StockName, renamed } from "./parts";
import { changeStock, setMix } from "./stock";

type Negative = Extract<Step, { kind: "negative" }>;

const OTHERS = [
  [1, 2],
  [0, 2],
  [0, 1],
] as const;

export function NegativeEditor({ step, part }: { step: Negative; part: string }) {
  const [layer, setLayer] = useState(1);
  const fields = useSession((s) => s.stockFields);
  const stock = step.values.stock;
  const which = layer === 3 ? [0, 1, 2] : [layer];
  const shown = layer === 3 ? 1 : layer;
  const edit = (label: string, change: (s: NegativeStock) => void, gesture?: string) => changeStock<NegativeStock>(step.id, label, change, gesture);
  if (!fields) return null;
  if (part === "layers") return <Layers step={step} layer={layer} setLayer={setLayer} />;
  const [list, own] = part === "grain" ? (["grain", fields.grain] as const) : (["layers", fields.layer] as const);
  const value = stock[list][shown];
  return (
    <div className="flex min-h-0 flex-col gap-1 overflow-y-auto pr-1">
      <StockName step={step} name={stock.name} />
      <LayerChoice layer={layer} onChange={setLayer} />
      <div className="grid grid-cols-2 gap-x-4">
        {value && (
          <Part
            step={step}
            fields={own}
            value={value}
            label={`${list} ${layer}`}
            onChange={(id, v, gesture) => edit(`${list === "grain" ? "Grain" : "Curve"} of the stock`, (s) => which.forEach((i) => Object.assign(s[list][i] ?? {}, { [id]: v })), gesture)}
          />
        )}
      </div>
    </div>
  );
}

/** What the layers see and how they hold each other back; for black and white, the taking filter. */
function Layers({ step, layer, setLayer }: { step: Negative; layer: number; setLayer: (layer: number) => void }) {
  const fields = useSession((s) => s.stockFields);
  const stock = step.values.stock;
  const edit = (label: string, change: (s: NegativeStock) => void, gesture?: string) => changeStock<NegativeStock>(step.id, label, change, gesture);
  if (!fields) return null;
  if (stock.kind === "black-and-white") {
    return (
      <div className="flex flex-col gap-1">
        <StockName step={step} name={stock.name} />
        <Part
          step={step}
          fields={fields.taking}
          value={{ red: stock.taking[0] ?? 0, green: stock.taking[1] ?? 0 }}
          label="taking"
          onChange={(id, v, gesture) =>
            edit("Taking filter", (s) => {
              const [red = 0, green = 0] = s.taking;
              s.taking = id === "red" ? [v, green, 1 - v - green] : [red, v, 1 - red - v];
            }, gesture)
          }
        />
        <span className="text-faint">blue sensitivity {((stock.taking[2] ?? 0) * 100).toFixed(0)} %</span>
      </div>
    );
  }
  const own = Math.min(layer, 2);
  const others = OTHERS[own] ?? OTHERS[0];
  const mixes = others.flatMap((j) => fields.neighbour.map((f) => renamed(f, `${f.id} ${j}`, `${f.title} ${LAYERS[j]}`)));
  const values = Object.fromEntries(others.flatMap((j) => [[`sees ${j}`, stock.capture[own]?.[j] ?? 0], [`holds ${j}`, stock.restraint[own]?.[j] ?? 0]]));
  return (
    <div className="flex min-h-0 flex-col gap-1 overflow-y-auto pr-1">
      <StockName step={step} name={stock.name} />
      <LayerChoice layer={own} onChange={(l) => setLayer(Math.min(2, l))} />
      <div className="grid grid-cols-2 gap-x-4">
        <Part
          step={step}
          fields={mixes}
          value={values}
          label={`mix ${own}`}
          onChange={(id, v, gesture) =>
            edit("Layers of the stock", (s) => {
              const [what, to] = id.split(" ");
              const j = Number(to);
              if (what === "sees") setMix(s.capture, own, j, v);
              else if (s.restraint[own]) s.restraint[own][j] = v;
            }, gesture)
          }
        />
      </div>
    </div>
  );
}
