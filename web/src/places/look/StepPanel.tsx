/** The step in hand, with room to work. */
import { useState } from "react";
import type { Field, KindInfo, Step } from "../../api/client";
import { useInstruments } from "../../state/instruments";
import { setValue, stepInHand, useWork } from "../../state/work";
import { useSession } from "../../state/session";
import { Button, TextField } from "../../ui/controls";
import { NumberField } from "../../ui/NumberField";
import { balanceStep } from "../../picture/tools";
import { setStrength, reset } from "./commands";
import { CurveEditor } from "./CurveEditor";
import { Crossovers, RANGES, TintPad } from "./TintPad";
import { TonePlot } from "./TonePlot";

const STRENGTH = {
  id: "strength",
  title: "Strength",
  help: "Share of the step's effect",
  unit: "percent",
  type: "number",
  min: 0,
  max: 1,
  default: 1,
  nudge: 0.01,
} as const satisfies Field;

export function StepPanel() {
  const step = useWork(stepInHand);
  const endGesture = useWork((s) => s.endGesture);
  const trim = useWork((s) => s.kind === "trim");
  const info = useSession((s) => s.catalogue.find((k) => k.kind === step?.kind));
  if (!step || !info) {
    return (
      <section aria-label="Step in hand" className="flex h-[238px] shrink-0 items-center justify-center rounded bg-wall text-faint">
        {trim ? (
          <Button kind="main" onClick={() => balanceStep()}>
            Begin with Balance
          </Button>
        ) : (
          "Choose a step on the path, or add one to a zone."
        )}
      </section>
    );
  }
  const domain = { scene: "ACEScct", film: "scene to display", screen: "2.4 power, P3" }[step.zone];
  return (
    <section aria-label="Step in hand" className="flex h-[238px] shrink-0 flex-col rounded bg-wall px-3.5 pt-2.5 pb-2">
      <header className="flex h-8 items-start gap-3">
        <h2 className="text-[14px] font-medium text-bright">{step.name}</h2>
        <span className="pt-0.5 text-faint" title={info.purpose}>
          {step.zone} · {step.kind === "balance" ? "linear light" : domain} · {trim ? "of this shot alone" : info.in_table ? "in the table" : "picture only"}
        </span>
        <span className="flex-1" />
        <div className="-mt-1 w-32">
          <NumberField
            key={step.id}
            field={STRENGTH}
            value={step.strength}
            zone={step.zone}
            onChange={(v, gesture) => setStrength(step.id, v, gesture)}
            onEnd={endGesture}
          />
        </div>
        <Button kind="quiet" onClick={() => reset(step.id)}>
          reset
        </Button>
      </header>
      <div className="flex min-h-0 flex-1 gap-5 pt-1">
        <Body step={step} info={info} />
      </div>
    </section>
  );
}

function Numbers({ step, fields, labels }: { step: Step; fields: Field[]; labels?: Record<string, string> }) {
  const endGesture = useWork((s) => s.endGesture);
  const values = step.values as Record<string, unknown>;
  return fields.map((field) => {
    const value = values[field.id];
    return field.type === "number" && typeof value === "number" ? (
      <NumberField
        key={`${step.id} ${field.id}`}
        field={field}
        value={value}
        zone={step.zone}
        label={labels?.[field.id]}
        onChange={(v, gesture) => setValue(step.id, field.id, field.title, v, gesture)}
        onEnd={endGesture}
      />
    ) : null;
  });
}

function Body({ step, info }: { step: Step; info: KindInfo }) {
  switch (step.kind) {
    case "balance":
      return <BalanceBody step={step} info={info} />;
    case "tone":
      return (
        <>
          <TonePlot zone={step.zone} pivot={step.values.pivot} />
          <div className="grid w-[340px] grid-cols-2 content-start gap-x-5 gap-y-0.5 overflow-y-auto pr-1">
            <Numbers step={step} fields={info.fields} />
          </div>
        </>
      );
    case "tone-tint":
      return <TintBody step={step} info={info} />;
    case "curves":
      return <CurvesBody key={step.id} step={step} info={info} />;
    case "saturation":
      return <SaturationBody step={step} info={info} />;
    case "plain-rendering":
      return (
        <div className="grid w-full grid-cols-3 content-start gap-x-6 gap-y-2">
          <Numbers step={step} fields={info.fields} />
        </div>
      );
  }
}

const PATCHES = [
  { title: "grey card", stops: 0 },
  { title: "white, 90 %", stops: 2.32 },
  { title: "light skin", stops: 1 },
];

function BalanceBody({ step, info }: { step: Step; info: KindInfo }) {
  const tool = useInstruments((s) => s.tool);
  const set = useInstruments((s) => s.set);
  const [stops, setStops] = useState(0);
  const waits = (kind: string) => tool?.kind === kind && "step" in tool && tool.step === step.id;
  return (
    <div className="flex w-full flex-col gap-4">
      <div className="grid grid-cols-3 gap-6">
        <Numbers step={step} fields={info.fields} />
      </div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <Button
          aria-pressed={waits("white")}
          kind={waits("white") ? "main" : "plain"}
          onClick={() => set({ tool: waits("white") ? null : { kind: "white", step: step.id } })}
        >
          White dropper
        </Button>
        <span className="text-faint">temperature and tint from something neutral</span>
      </div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <Button
          aria-pressed={waits("exposure")}
          kind={waits("exposure") ? "main" : "plain"}
          onClick={() => set({ tool: waits("exposure") ? null : { kind: "exposure", step: step.id, stops } })}
        >
          Exposure dropper
        </Button>
        <span className="text-faint">puts a patch at</span>
        <TextField
          label="Stops from grey of the patch"
          className="w-16 text-right"
          key={stops}
          defaultValue={stops.toFixed(2)}
          onBlur={(e) => {
            const typed = Number(e.target.value.replace("−", "-").replace(",", "."));
            if (Number.isFinite(typed)) setStops(Math.min(8, Math.max(-8, typed)));
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
        <span className="text-faint">stops:</span>
        {PATCHES.map((p) => (
          <Button key={p.title} kind="quiet" aria-pressed={stops === p.stops} className={stops === p.stops ? "text-bright" : ""} onClick={() => setStops(p.stops)}>
            {p.title}
          </Button>
        ))}
      </div>
    </div>
  );
}

function TintBody({ step, info }: { step: Extract<Step, { kind: "tone-tint" }>; info: KindInfo }) {
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

const CURVE_COLOURS: Record<string, string> = {
  brightness: "var(--color-bright)",
  red: "var(--color-red)",
  green: "var(--color-green)",
  blue: "var(--color-blue)",
  by_brightness: "var(--color-bright)",
};

function CurvesBody({ step, info }: { step: Extract<Step, { kind: "curves" }>; info: KindInfo }) {
  const [channel, setChannel] = useState("brightness");
  const field = info.fields.find((f) => f.id === channel);
  const points = ((step.values as unknown as Record<string, [number, number][]>)[channel] ?? []);
  return (
    <>
      <div role="radiogroup" aria-label="Channel" className="flex w-28 flex-col gap-1">
        {info.fields.map((f) => (
          <button
            key={f.id}
            type="button"
            role="radio"
            aria-checked={f.id === channel}
            onClick={() => setChannel(f.id)}
            className={`flex h-6 items-center gap-2 rounded px-2 text-left ${f.id === channel ? "bg-shelf text-bright" : "text-dim"}`}
          >
            <span className="h-2 w-2 rounded-full" style={{ background: CURVE_COLOURS[f.id] }} />
            {f.title}
          </button>
        ))}
        <Button kind="quiet" disabled={points.length === 0} onClick={() => setValue(step.id, channel, "Clear curve", [])}>
          clear
        </Button>
        <p className="pt-1 leading-4 text-faint">Click to add a point, drag it, double click takes it away.</p>
      </div>
      {field?.type === "curve" && (
        <CurveEditor step={step.id} zone={step.zone} field={field} points={points} colour={CURVE_COLOURS[channel] ?? ""} />
      )}
    </>
  );
}

function SaturationBody({ step, info }: { step: Extract<Step, { kind: "saturation" }>; info: KindInfo }) {
  const curve = info.fields.find((f) => f.type === "curve");
  return (
    <>
      <div className="flex w-[200px] flex-col gap-2">
        <Numbers step={step} fields={info.fields} />
      </div>
      <div className="flex min-w-0 flex-1 flex-col">
        <span className="pb-1 text-dim">Saturation by brightness</span>
        {curve?.type === "curve" && (
          <CurveEditor
            step={step.id}
            zone={step.zone}
            field={curve}
            points={step.values.by_brightness as [number, number][]}
            colour={CURVE_COLOURS.by_brightness ?? ""}
          />
        )}
      </div>
    </>
  );
}
