/** Where a step or group works: a colour range, made by dragging on the picture. */
import { useEffect } from "react";
import type { ColourRange, Field, Step, StepGroup, Zone } from "../../data/client";
import { useInstruments, type Show } from "../../session/instruments";
import { useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { Button } from "../../ui/controls";
import { NumberField } from "../../ui/NumberField";
import { changeRange, setRegion } from "../../commands/commands";
import { SwitchField } from "../../steps/values";
import { Population, Strip } from "../../steps/HueStrip";

const WAYS = [
  { want: "range", title: "Pick", help: "Drag over a colour on the picture: the range is made from it" },
  { want: "add", title: "Add", help: "Drag over what the range should hold too" },
  { want: "subtract", title: "Remove from range", help: "Drag over what the range should let go of" },
] as const;

const SHOWS: { value: Show; label: string }[] = [
  { value: "picture", label: "picture" },
  { value: "matte", label: "matte" },
  { value: "isolated", label: "on grey" },
];

/** The range that holds everything, as the catalogue has it. */
function open(fields: Field[]): ColourRange {
  return Object.fromEntries(fields.flatMap((f) => (f.type === "number" || f.type === "switch" ? [[f.id, f.default]] : []))) as unknown as ColourRange;
}

export function RegionPanel({ of, zone }: { of: Step | StepGroup; zone: Zone }) {
  const fields = useSession((s) => s.rangeFields);
  const show = useInstruments((s) => s.show);
  const tool = useInstruments((s) => s.tool);
  const set = useInstruments((s) => s.set);
  const range = of.region?.colours;
  // Elsewhere the picture is the picture.
  useEffect(() => () => set({ show: "picture", tool: null }), [set]);
  const waits = (want: string) => tool?.kind === "range" && tool.want === want;
  return (
    <>
      <div className="flex w-[150px] flex-col gap-1.5">
        {WAYS.map((w) => (
          <Button
            key={w.want}
            title={w.help}
            aria-pressed={waits(w.want)}
            disabled={!range && w.want !== "range"}
            kind={waits(w.want) ? "main" : "plain"}
            onClick={() => set({ tool: waits(w.want) ? null : { kind: "range", target: of.id, want: w.want } })}
          >
            {w.title}
          </Button>
        ))}
        <div role="radiogroup" aria-label="Shown of the range" className="mt-auto flex rounded bg-shelf">
          {SHOWS.map((s) => (
            <button
              key={s.value}
              type="button"
              role="radio"
              aria-checked={show === s.value}
              disabled={!range}
              onClick={() => set({ show: s.value })}
              className={`h-6 flex-1 rounded px-1 disabled:opacity-40 ${show === s.value ? "bg-edge text-bright" : "text-dim hover:text-bright"}`}
            >
              {s.label}
            </button>
          ))}
        </div>
        <Button kind="quiet" disabled={!range} onClick={() => setRegion(of.id, "No range", null)}>
          Remove limit
        </Button>
      </div>
      {range ? (
        <Range of={of} zone={zone} fields={fields} range={range} />
      ) : (
        <div className="flex flex-1 flex-col items-start gap-3 pt-2 text-faint">
          <p>It works everywhere. Pick colours on the picture, or start from all colours and narrow them by its values.</p>
          <Button onClick={() => setRegion(of.id, "Range", { colours: open(fields) })}>Start from all colours</Button>
        </div>
      )}
    </>
  );
}

const GROUPS = [
  ["hue", "hue_reach", "hue_softness"],
  ["saturation_low", "saturation_high", "saturation_softness"],
  ["brightness_low", "brightness_high", "brightness_softness"],
];

function Range({ of, zone, fields, range }: { of: Step | StepGroup; zone: Zone; fields: Field[]; range: ColourRange }) {
  const endGesture = useWork((s) => s.endGesture);
  const change = (part: Partial<ColourRange>, label: string, gesture?: string) =>
    changeRange(of.id, label, part, gesture);
  return (
    <div className="flex min-w-0 flex-1 flex-col gap-1.5">
      <HueSpan range={range} />
      <div className="grid grid-cols-3 gap-x-5">
        {GROUPS.map((ids) => (
          <div key={ids[0]}>
            {ids.map((id) => {
              const field = fields.find((f) => f.id === id);
              return field?.type === "number" ? (
                <NumberField
                  key={`${of.id} ${id}`}
                  field={field}
                  label={field.title.replace(/^(Hue|Brightness) (?=softness)/, "").replace("Saturation s", "s")}
                  value={range[id as keyof ColourRange] as number}
                  zone={zone}
                  onChange={(v, gesture) => change({ [id]: v }, field.title, gesture)}
                  onEnd={endGesture}
                />
              ) : null;
            })}
          </div>
        ))}
      </div>
      <SwitchField
        title="Invert"
        on={range.inverted}
        onChange={() => change({ inverted: !range.inverted }, "Invert")}
      />
    </div>
  );
}

/** The range's part of the hue circle, on the picture's own hues. */
function HueSpan({ range }: { range: ColourRange }) {
  const all = range.hue_reach >= 180;
  // A span across the wrap is drawn in two pieces.
  const from = (((range.hue - range.hue_reach) % 360) + 360) % 360;
  const width = Math.min(360, range.hue_reach * 2);
  const pieces = all ? [[0, 360]] : from + width > 360 ? [[from, 360 - from], [0, from + width - 360]] : [[from, width]];
  return (
    <figure aria-label="Hues of the range" className="flex h-[56px] flex-col">
      <svg viewBox="0 0 1 1" preserveAspectRatio="none" className="min-h-0 w-full flex-1 bg-pit">
        {pieces.map(([x = 0, w = 0]) => (
          <rect key={x} x={x / 360} y={0} width={w / 360} height={1} fill="var(--color-shelf)" />
        ))}
        <Population />
        {!all && <path d={`M${range.hue / 360} 0V1`} stroke="var(--color-lantern)" vectorEffect="non-scaling-stroke" />}
      </svg>
      <Strip className="mt-0.5" />
    </figure>
  );
}
