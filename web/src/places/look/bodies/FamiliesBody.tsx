/** Colour families: nine columns, each with hue, saturation and brightness. */
import type { KindInfo, Step } from "../../../api/client";
import { setValues } from "../../../state/work";
import { fieldsOf, Numbers } from "./values";

/** Families with the display colour that stands for each. */
const FAMILIES = [
  ["reds", "#d05a50"],
  ["yellows", "#c9b24e"],
  ["greens", "#5aa860"],
  ["cyans", "#4fa9ad"],
  ["blues", "#5f7fd0"],
  ["magentas", "#b463b0"],
  ["darks", "#262626"],
  ["neutrals", "#7a7a7a"],
  ["lights", "#e6e6e6"],
] as const;
const PARTS = ["hue", "saturation", "brightness"] as const;

export function FamiliesBody({ step, info }: { step: Extract<Step, { kind: "colour-families" }>; info: KindInfo }) {
  return (
    <div className="grid w-full grid-cols-[60px_repeat(9,minmax(0,1fr))] content-start gap-x-2.5">
      <div aria-hidden className="pt-9 text-dim">
        {PARTS.map((p) => (
          <div key={p} className="h-[34px]">
            {p}
          </div>
        ))}
      </div>
      {FAMILIES.map(([family, colour]) => {
        const ids = PARTS.map((p) => `${family}_${p}`);
        const fields = fieldsOf(info.fields, ...ids);
        const reset = () =>
          setValues(step.id, `Reset ${family}`, Object.fromEntries(fields.map((f) => [f.id, f.type === "number" ? f.default : 0])));
        return (
          <div key={family} role="group" aria-label={family} className={family === "darks" ? "border-l border-shelf pl-1.5" : ""}>
            <button type="button" title={`Double click resets ${family}`} onDoubleClick={reset} className="flex h-9 w-full flex-col items-start gap-1 text-bright">
              <span className="h-2 w-full rounded-sm border border-edge" style={{ background: colour }} />
              {family}
            </button>
            <Numbers step={step} fields={fields} bare />
          </div>
        );
      })}
    </div>
  );
}
