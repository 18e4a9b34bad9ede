/**
 * Colour families: a ring with the picture's own hues. A family is dragged along the ring to turn its hues, across it for
 * saturation; its borders are handles; darks, neutrals and lights stand at the hub.
 */
import { useState } from "react";
import type { Family, KindInfo, Step } from "../data/client";
import { say } from "../session/session";
import { changeStep, setValues, useWork } from "../document/work";
import { Button } from "../ui/controls";
import { follow } from "../gestures/drag";
import { NumberField } from "../ui/NumberField";
import { hueColour, useHues } from "./reading";
import {
  away,
  centre,
  divide,
  familiesOf,
  fromPopulation,
  hasRoom,
  merge,
  moveBorder,
  namedAtRest,
  nameOf,
  span,
  STILL,
  turn,
  type FamiliesField,
} from "./families";

type FamilyStep = Extract<Step, { kind: "colour-families" }>;

/** Radii in a box of 200: the hub, where a family stands that moves nothing, the ring's inner and outer edge. */
const HUB = 36;
const REST = 60;
const RING = 82;
const EDGE = 92;

const HUBS = [
  { id: "darks", y: 26, colour: "#3a3a3a" },
  { id: "neutrals", y: 0, colour: "#808080" },
  { id: "lights", y: -26, colour: "#e4e4e4" },
] as const;

const point = (degrees: number, r: number): [number, number] => {
  const a = (degrees * Math.PI) / 180;
  return [r * Math.cos(a), -r * Math.sin(a)];
};

/** Saturation as a radius, and back. */
const radius = (saturation: number) => (saturation <= 1 ? HUB + saturation * (REST - HUB) : REST + ((saturation - 1) / 2) * (RING - REST));
const saturationAt = (r: number) => (r <= REST ? (r - HUB) / (REST - HUB) : 1 + (2 * (r - REST)) / (RING - REST));

function sector(from: number, wide: number, inner: number, outer: number): string {
  const round = (from: number, to: number, r: number, line: boolean) => {
    const steps = Math.max(2, Math.ceil(Math.abs(to - from) / 6));
    return Array.from({ length: steps + 1 }, (_, i) => {
      const [x, y] = point(from + ((to - from) * i) / steps, r);
      return `${i === 0 && !line ? "M" : "L"}${x.toFixed(2)} ${y.toFixed(2)}`;
    }).join("");
  };
  return `${round(from, from + wide, outer, false)}${round(from + wide, from, inner, true)}Z`;
}

export function FamiliesBody({ step, info }: { step: FamilyStep; info: KindInfo }) {
  const field = info.fields.find((f) => f.type === "families") as FamiliesField | undefined;
  const [taken, setTaken] = useState<number | "darks" | "neutrals" | "lights">(1);
  if (!field) return null;
  const { families, earlier } = familiesOf(step.values, field);
  const selected = typeof taken === "number" ? Math.min(taken, families.length - 1) : taken;
  return (
    <div className="flex w-full min-w-0 gap-4">
      <Ring step={step} field={field} families={families} earlier={earlier} selected={selected} onSelect={setTaken} />
      <div className="flex min-w-0 flex-1 flex-col gap-1 overflow-y-auto pr-1">
        <Picked step={step} info={info} field={field} families={families} earlier={earlier} selected={selected} onSelect={setTaken} />
      </div>
    </div>
  );
}

/** Writes a step's families as they are now changed; a step of the six named ones gets borders by that. */
function write(step: FamilyStep, label: string, families: Family[], gesture?: string): void {
  setValues(step.id, label, { families, ...namedAtRest() }, gesture);
}

function Ring(props: {
  step: FamilyStep;
  field: FamiliesField;
  families: Family[];
  earlier: boolean;
  selected: number | string;
  onSelect: (at: number | "darks" | "neutrals" | "lights") => void;
}) {
  const { step, field, families, earlier, selected, onSelect } = props;
  const hues = useHues();
  const endGesture = useWork((s) => s.endGesture);
  const place = (e: { clientX: number; clientY: number }, on: Element) => {
    const box = on.closest("svg")?.getBoundingClientRect();
    if (!box) return { hue: 0, r: 0 };
    const [x, y] = [((e.clientX - box.left) / box.width - 0.5) * 200, ((e.clientY - box.top) / box.height - 0.5) * 200];
    return { hue: turn((Math.atan2(-y, x) * 180) / Math.PI), r: Math.hypot(x, y) };
  };
  const put = (i: number, change: Partial<Family>, label: string, gesture?: string) => {
    // As the families are now: a drag is not drawn anew with every move.
    const now = useWork.getState().document?.path.steps.find((s) => s.id === step.id);
    if (now?.kind !== "colour-families") return;
    const all = familiesOf(now.values, field).families;
    write(step, label, all.map((f, k) => (k === i ? { ...f, ...change } : f)), gesture);
  };
  const drag = (i: number) => (e: React.PointerEvent<SVGElement>) => {
    onSelect(i);
    if (earlier) return;
    const own = families[i];
    if (!own) return;
    const on = e.currentTarget;
    const [begun, r0] = [place(e, on), radius(own.saturation)];
    const move = (m: PointerEvent, gesture: string) => {
      const now = place(m, on);
      const by = away(begun.hue, now.hue) * (m.altKey ? 0.2 : 1);
      const r = r0 + (now.r - begun.r) * (m.altKey ? 0.2 : 1);
      const hue = Math.round(Math.min(60, Math.max(-60, own.hue + by)) * 2) / 2;
      const saturation = Math.round(Math.min(3, Math.max(0, saturationAt(r))) * 100) / 100;
      put(i, { hue, saturation }, `Move ${nameOf(families, i).toLowerCase()}`, gesture);
    };
    follow(e, `family ${i}`, move, endGesture);
  };
  const keys = (i: number) => (e: React.KeyboardEvent) => {
    const own = families[i];
    const by = e.shiftKey ? 10 : e.altKey ? 0.1 : 1;
    const hue = { ArrowLeft: 1, ArrowRight: -1 }[e.key];
    const saturation = { ArrowUp: 0.01, ArrowDown: -0.01 }[e.key];
    if (!own || earlier) return;
    const name = nameOf(families, i).toLowerCase();
    if (hue !== undefined) put(i, { hue: Math.min(60, Math.max(-60, own.hue + hue * by)) }, `Turn ${name}`, "keys");
    else if (saturation !== undefined) put(i, { saturation: Math.min(3, Math.max(0, own.saturation + saturation * by)) }, `Saturation of ${name}`, "keys");
    else if (e.key === "Delete" || e.key === "Backspace") put(i, STILL, `Reset ${name}`);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const border = (i: number) => (e: React.PointerEvent<SVGElement>) => {
    if (earlier) return;
    const on = e.currentTarget;
    let at = i;
    const move = (m: PointerEvent, gesture: string) => {
      const now = useWork.getState().document?.path.steps.find((s) => s.id === step.id);
      if (now?.kind !== "colour-families") return;
      const moved = moveBorder(familiesOf(now.values, field).families, at, place(m, on).hue, field.gap);
      at = moved.at;
      write(step, "Move border", moved.families, gesture);
    };
    follow(e, `border ${i}`, move, endGesture);
  };
  const borderKeys = (i: number) => (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: 1, ArrowUp: 1, ArrowRight: -1, ArrowDown: -1 }[e.key];
    const own = families[i];
    if (!own || earlier) return;
    if (by !== undefined) write(step, "Move border", moveBorder(families, i, own.border + by * (e.shiftKey ? 10 : 1), field.gap).families, `${step.id}/keys`);
    else if (e.key === "Delete" || e.key === "Backspace") write(step, "Merge families", merge(families, i));
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const most = Math.max(0.01, ...hues);
  return (
    <svg viewBox="-100 -100 200 200" role="group" aria-label="Ring of colour families" className="h-full max-h-[186px] shrink-0 touch-none" data-ring={families.length}>
      {families.map((f, i) => (
        <path
          key={`s${i}`}
          d={sector(f.border, span(families, i), HUB, RING)}
          fill={i === selected ? "var(--color-shelf)" : "var(--color-room)"}
          stroke="none"
          onPointerDown={drag(i)}
          onDoubleClick={() => put(i, STILL, `Reset ${nameOf(families, i).toLowerCase()}`)}
        />
      ))}
      <g pointerEvents="none" data-population={hues.filter((h) => h > 0.02).length}>
        {hues.map((h, i) => {
          if (h < 0.01) return null;
          const [[x1, y1], [x2, y2]] = [point(i * 2 + 1, HUB), point(i * 2 + 1, HUB + (h / most) * (RING - HUB - 4))];
          return <line key={i} x1={x1} y1={y1} x2={x2} y2={y2} stroke={hueColour(i * 2 + 1, 0.34, 0.14)} strokeWidth={1.6} />;
        })}
        <circle r={REST} fill="none" stroke="var(--color-edge)" strokeDasharray="1.5 3" />
        {Array.from({ length: 60 }, (_, i) => (
          <path key={i} d={sector(i * 6 - 0.2, 6.4, RING, EDGE)} fill={hueColour(i * 6 + 3)} />
        ))}
      </g>
      {families.map((f, i) => {
        const at = centre(families, i);
        const [x0, y0] = point(at, REST);
        const [x, y] = point(at + f.hue, radius(f.saturation));
        const name = nameOf(families, i);
        const on = i === selected;
        return (
          <g key={`k${i}`}>
            <line x1={x0} y1={y0} x2={x} y2={y} stroke="var(--color-bright)" strokeWidth={0.8} pointerEvents="none" />
            <circle
              cx={x}
              cy={y}
              r={on ? 6 : 4.6}
              fill={hueColour(at + f.hue, 0.5 + f.brightness * 0.08, 0.06 + 0.14 * Math.min(1.4, f.saturation))}
              stroke={on ? "var(--color-lantern)" : "var(--color-bright)"}
              strokeWidth={on ? 2 : 1}
              role="slider"
              tabIndex={0}
              aria-label={name}
              aria-valuemin={-60}
              aria-valuemax={60}
              aria-valuenow={f.hue}
              aria-valuetext={`hue ${f.hue.toFixed(0)} degrees, saturation ${(f.saturation * 100).toFixed(0)} per cent`}
              data-family={name}
              onPointerDown={drag(i)}
              onFocus={() => onSelect(i)}
              onKeyDown={keys(i)}
              onBlur={endGesture}
              onDoubleClick={() => put(i, STILL, `Reset ${name.toLowerCase()}`)}
            />
          </g>
        );
      })}
      {!earlier &&
        families.map((f, i) => {
          const [[x1, y1], [x2, y2]] = [point(f.border, HUB + 4), point(f.border, EDGE + 3)];
          const [hx, hy] = point(f.border, (RING + EDGE) / 2 + 1);
          const before = nameOf(families, (i + families.length - 1) % families.length);
          return (
            <g key={`b${i}`}>
              <line x1={x1} y1={y1} x2={x2} y2={y2} stroke="var(--color-pit)" strokeWidth={1.2} pointerEvents="none" />
              <circle
                cx={hx}
                cy={hy}
                r={4.4}
                fill="var(--color-wall)"
                stroke="var(--color-bright)"
                role="slider"
                tabIndex={0}
                aria-label={`Border between ${before} and ${nameOf(families, i)}`}
                aria-valuemin={0}
                aria-valuemax={360}
                aria-valuenow={f.border}
                aria-valuetext={`${f.border.toFixed(0)} degrees`}
                data-border={f.border}
                onPointerDown={border(i)}
                onKeyDown={borderKeys(i)}
                onBlur={endGesture}
              />
            </g>
          );
        })}
      {HUBS.map((h) => (
        <circle
          key={h.id}
          cy={h.y}
          r={7}
          fill={h.colour}
          stroke={selected === h.id ? "var(--color-lantern)" : "var(--color-edge)"}
          strokeWidth={selected === h.id ? 2 : 1}
          role="button"
          tabIndex={0}
          aria-label={h.id}
          aria-pressed={selected === h.id}
          data-hub={h.id}
          onPointerDown={() => onSelect(h.id)}
          onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && onSelect(h.id)}
        />
      ))}
    </svg>
  );
}

/** The values of what is selected on the ring, and what can be done to the families. */
function Picked(props: {
  step: FamilyStep;
  info: KindInfo;
  field: FamiliesField;
  families: Family[];
  earlier: boolean;
  selected: number | "darks" | "neutrals" | "lights";
  onSelect: (at: number) => void;
}) {
  const { step, info, field, families, earlier, selected, onSelect } = props;
  const hues = useHues();
  const endGesture = useWork((s) => s.endGesture);
  const hub = typeof selected === "string";
  const values = step.values as unknown as Record<string, number>;
  const name = hub ? `${selected[0]?.toUpperCase()}${selected.slice(1)}` : nameOf(families, selected);
  const prefix = hub ? selected : (["magentas", "reds", "yellows", "greens", "cyans", "blues"] as const)[selected];
  const parts = (["hue", "saturation", "brightness"] as const).flatMap((part) => {
    // Those of the hub, and of earlier looks, have fields of their own; a family has those of the list.
    const own = hub || earlier ? info.fields.find((f) => f.id === `${prefix}_${part}`) : field.fields.find((f) => f.id === part);
    const value = hub || earlier ? values[`${prefix}_${part}`] : families[selected]?.[part];
    return own?.type === "number" && value !== undefined ? [{ part, own, value }] : [];
  });
  const put = (part: string, value: number, gesture?: string) => {
    if (hub || earlier) setValues(step.id, `${name} ${part}`, { [`${prefix}_${part}`]: value }, gesture);
    else {
      changeStep(
        step.id,
        `${name} ${part}`,
        (found) => {
          if (found.kind !== "colour-families") return;
          const all = familiesOf(found.values, field).families.map((f, i) => (i === selected ? { ...f, [part]: value } : f));
          Object.assign(found.values, namedAtRest(), { families: all });
        },
        gesture,
      );
    }
  };
  const middle = hub ? 0 : centre(families, selected);
  const room = !hub && families.length < field.most && hasRoom(families, middle, field.gap);
  const cluster = () => {
    const found = fromPopulation(hues, families, field.gap, field.most);
    if (found === families) say("The picture has one group of hues only: nothing to divide.");
    else write(step, `${found.length} families from the picture`, found);
  };
  return (
    <>
      <h3 className="text-value text-bright" data-picked-family={name}>
        {name}
      </h3>
      <div className="grid grid-cols-3 gap-x-5 @max-[560px]:grid-cols-1">
        {parts.map(({ part, own, value }) => (
          <NumberField
            key={`${step.id} ${prefix ?? selected} ${part}`}
            field={own}
            label={part === "brightness" ? "Brightness" : part === "hue" ? "Hue" : "Saturation"}
            value={value}
            zone={step.zone}
            onChange={(v, gesture) => put(part, v, gesture && `${gesture} ${name}`)}
            onEnd={endGesture}
          />
        ))}
      </div>
      <p className="text-dim @max-[560px]:hidden">Drag a family along the ring to turn its hues, across it for saturation. Borders are dragged on the ring.</p>
      <div className="mt-auto flex flex-wrap gap-1.5">
        {earlier ? (
          <Button title="Made before borders could be moved. Its colours may change a little." onClick={() => write(step, "Movable borders", families)}>
            Make borders movable
          </Button>
        ) : (
          <>
            <Button disabled={hub || !room} title="A border through the middle of the selected family" onClick={() => !hub && write(step, `Divide ${name.toLowerCase()}`, divide(families, middle))}>
              Divide
            </Button>
            <Button
              disabled={hub || families.length < 2}
              title="The selected family becomes a part of the one before it"
              onClick={() => {
                if (hub) return;
                write(step, `Merge ${name.toLowerCase()}`, merge(families, selected));
                onSelect(Math.max(0, selected - 1));
              }}
            >
              Merge
            </Button>
            <Button title="A family for each group of hues that is in the picture" onClick={cluster}>
              From the picture
            </Button>
            <Button kind="quiet" title="Six families that move nothing" onClick={() => write(step, "Six families", field.borders.map((border) => ({ border, ...STILL })))}>
              Reset to six families
            </Button>
          </>
        )}
        <Button kind="quiet" onClick={() => (hub || earlier ? setValues(step.id, `Reset ${name}`, { [`${prefix}_hue`]: 0, [`${prefix}_saturation`]: 1, [`${prefix}_brightness`]: 0 }) : write(step, `Reset ${name.toLowerCase()}`, families.map((f, i) => (i === selected ? { ...f, ...STILL } : f))))}>
          Reset {name.toLowerCase()}
        </Button>
      </div>
    </>
  );
}
