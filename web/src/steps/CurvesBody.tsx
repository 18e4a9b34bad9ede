/** Curves, and saturation by brightness. */
import { useState } from "react";
import type { KindInfo, Step } from "../data/client";
import { setValue } from "../document/work";
import { Button } from "../ui/controls";
import { CurveEditor } from "./CurveEditor";
import { Numbers } from "./values";

const CURVE_COLOURS: Record<string, string> = {
  brightness: "var(--color-bright)",
  red: "var(--color-red)",
  green: "var(--color-green)",
  blue: "var(--color-blue)",
  by_brightness: "var(--color-bright)",
};

export function CurvesBody({ step, info }: { step: Extract<Step, { kind: "curves" }>; info: KindInfo }) {
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
            className={`flex h-6 shrink-0 items-center gap-2 rounded px-2 text-left ${f.id === channel ? "bg-shelf text-bright" : "text-dim"}`}
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

export function SaturationBody({ step, info }: { step: Extract<Step, { kind: "saturation" }>; info: KindInfo }) {
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
