/** Hue curves: the ribbon, the bumps, and saturation by brightness and by saturation. */
import { useState } from "react";
import type { Bump, Field, KindInfo, Step } from "../data/client";
import { useInstruments } from "../session/instruments";
import { changeStep, setValue, setValues, useWork } from "../document/work";
import { Button } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { CurveEditor } from "./CurveEditor";
import { HueRibbon } from "./HueRibbon";
import { hueColour } from "./reading";
import { fieldsOf, Numbers } from "./values";

type HueStep = Extract<Step, { kind: "hue-curves" }>;

const CURVES = [
  { id: "hue", title: "hue" },
  { id: "saturation", title: "saturation" },
  { id: "brightness", title: "brightness" },
  { id: "by_brightness", title: "sat by brightness" },
  { id: "by_saturation", title: "sat by saturation" },
];

/** Short names of a bump's values, for the room there is. */
const NAMES: Record<string, string> = { down: "Down", up: "Up", saturation: "Sat.", brightness: "Light" };

export function HueBody({ step, info }: { step: HueStep; info: KindInfo }) {
  const [shown, setShown] = useState("hue");
  const [taken, setTaken] = useState<number | null>(step.values.bumps.length > 0 ? 0 : null);
  const tool = useInstruments((s) => s.tool);
  const set = useInstruments((s) => s.set);
  const field = info.fields.find((f) => f.id === shown);
  const points = (step.values as unknown as Record<string, [number, number][]>)[shown] ?? [];
  const picking = tool?.kind === "bump" && tool.step === step.id;
  const bumps = step.values.bumps;
  // A bump that was picked just now is the one in hand.
  const [count, setCount] = useState(bumps.length);
  if (count !== bumps.length) {
    setCount(bumps.length);
    setTaken(bumps.length > count ? bumps.length - 1 : bumps.length > 0 ? Math.min(taken ?? 0, bumps.length - 1) : null);
  }
  return (
    <>
      <div className="flex w-32 flex-col">
        <div role="radiogroup" aria-label="Curve" className="flex flex-col">
          {CURVES.map((c) => (
            <button
              key={c.id}
              type="button"
              role="radio"
              aria-checked={shown === c.id}
              onClick={() => setShown(c.id)}
              className={`h-6 shrink-0 rounded px-2 text-left ${shown === c.id ? "bg-shelf text-bright" : "text-dim hover:text-bright"}`}
            >
              {c.title}
            </button>
          ))}
        </div>
        <Button kind="quiet" disabled={points.length === 0} onClick={() => setValue(step.id, shown, "Clear curve", [])}>
          clear points
        </Button>
        <div className="mt-auto">
          <Numbers step={step} fields={fieldsOf(info.fields, "others")} />
        </div>
      </div>
      {field?.type === "ring" && (
        <HueRibbon step={step.id} zone={step.zone} field={field} points={points} bumps={bumps} inHand={taken} onTake={setTaken} />
      )}
      {field?.type === "curve" && (
        <CurveEditor step={step.id} zone={step.zone} field={field} points={points} colour="var(--color-bright)" shares={shown === "by_saturation"} />
      )}
      <div className="flex w-[196px] flex-col gap-0.5">
        <Button kind={picking ? "main" : "plain"} aria-pressed={picking} onClick={() => set({ tool: picking ? null : { kind: "bump", step: step.id } })}>
          Pick from the picture
        </Button>
        <Bumps step={step} info={info} taken={taken} onTake={setTaken} />
      </div>
    </>
  );
}

/** The bumps as swatches, and the values of the one in hand. */
function Bumps({ step, info, taken, onTake }: { step: HueStep; info: KindInfo; taken: number | null; onTake: (i: number) => void }) {
  const endGesture = useWork((s) => s.endGesture);
  const bumps = step.values.bumps;
  const fields = info.fields.flatMap((f) => (f.type === "bumps" ? (f.fields as Field[]) : []));
  const bump = taken === null ? undefined : bumps[taken];
  const write = (id: string, title: string, value: number, gesture?: string) =>
    changeStep(step.id, title, (now) => {
      const found = now.kind === "hue-curves" && taken !== null ? now.values.bumps[taken] : undefined;
      if (found) Object.assign(found, { [id]: value });
    }, gesture);
  return (
    <>
      <div className="flex h-5 items-center gap-1.5">
        {bumps.map((b, i) => (
          <button
            key={i}
            type="button"
            aria-label={`Select bump ${i + 1}`}
            aria-pressed={i === taken}
            onClick={() => onTake(i)}
            className={`h-4 w-4 rounded-[4px] border-2 ${i === taken ? "border-lantern" : "border-edge"}`}
            style={{ background: hueColour(b.centre) }}
          />
        ))}
        <span className="flex-1" />
        {bump && (
          <>
            <Button
              kind="quiet"
              className="px-1"
              title="Drains all other hues"
              onClick={() => setValues(step.id, "Only this colour", { others: 0 })}
            >
              only
            </Button>
            <Button kind="quiet" className="px-1" onClick={() => setValue(step.id, "bumps", "Delete bump", bumps.filter((_, k) => k !== taken))}>
              delete
            </Button>
          </>
        )}
      </div>
      {bump ? (
        <div className="grid grid-cols-2 gap-x-3 overflow-y-auto pr-1">
          {fields.map((f) =>
            f.type === "number" ? (
              <NumberField
                key={`${step.id} ${taken} ${f.id}`}
                field={f}
                label={NAMES[f.id]}
                value={bump[f.id as keyof Bump]}
                zone={step.zone}
                onChange={(v, gesture) => write(f.id, f.title, v, gesture)}
                onEnd={endGesture}
              />
            ) : null,
          )}
        </div>
      ) : (
        <p className="leading-4 text-faint">
          Press, then drag on the picture over a colour: a bump appears there. Or click the ribbon for a free point.
        </p>
      )}
    </>
  );
}
