/** A value that can be typed, dragged, scrolled, stepped with keys, and reset by double click. */
import { memo, useEffect, useRef, useState } from "react";
import type { Field, Zone } from "../data/client";
import { say } from "../session/session";
import { follow } from "../gestures/drag";
import { parse, show } from "./units";

type NumberKind = Extract<Field, { type: "number" }>;

interface Props {
  field: Field & NumberKind;
  value: number;
  zone: Zone;
  /** Called with the gesture's key while dragging, without one for single steps. */
  onChange: (value: number, gesture?: string) => void;
  onEnd: () => void;
  label?: string;
  /** Leaves its name to whoever stands beside it; screen readers still have it. */
  bare?: boolean;
}

/** Temperature is felt in reciprocal kelvin: its slider runs evenly in mired. */
function toTrack(field: Field & NumberKind, value: number): number {
  const f = field.unit === "kelvin" ? (v: number) => 1 / v : (v: number) => v;
  return (f(value) - f(field.min)) / (f(field.max) - f(field.min));
}

function fromTrack(field: Field & NumberKind, t: number): number {
  if (field.unit !== "kelvin") return field.min + t * (field.max - field.min);
  return 1 / (1 / field.min + t * (1 / field.max - 1 / field.min));
}

/**
 * Drawn anew only for another value: its callbacks are new in every render but do the same, as long as the field is
 * keyed by the step that it belongs to.
 */
export const NumberField = memo(Drawn, (a, b) => a.value === b.value && a.field === b.field && a.zone === b.zone && a.label === b.label);

function Drawn({ field, value, zone, onChange, onEnd, label, bare }: Props) {
  const track = useRef<HTMLDivElement>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const clamp = (v: number) => Math.min(field.max, Math.max(field.min, v));
  const settle = (v: number) => clamp(Math.round(v / (field.nudge / 10)) * (field.nudge / 10));
  const name = label ?? field.title;

  const step = (direction: number, e: { shiftKey: boolean; altKey: boolean }) =>
    onChange(settle(value + direction * field.nudge * (e.shiftKey ? 10 : e.altKey ? 0.1 : 1)), "keys");
  const latest = useRef(step);
  useEffect(() => {
    latest.current = step;
  });

  // React's wheel listener is passive and could not keep the page still.
  useEffect(() => {
    const element = track.current;
    const turn = (e: WheelEvent) => {
      e.preventDefault();
      latest.current(e.deltaY < 0 ? 1 : -1, e);
    };
    element?.addEventListener("wheel", turn, { passive: false });
    return () => element?.removeEventListener("wheel", turn);
  }, []);

  const drag = (e: React.PointerEvent<HTMLDivElement>) => {
    const width = e.currentTarget.getBoundingClientRect().width;
    let last = e.clientX;
    let at = toTrack(field, value);
    const move = (m: PointerEvent, gesture: string) => {
      at += ((m.clientX - last) / width) * (m.altKey ? 0.1 : 1);
      last = m.clientX;
      onChange(settle(fromTrack(field, Math.min(1, Math.max(0, at)))), gesture);
    };
    follow(e, field.id, move, onEnd);
  };

  const keys = (e: React.KeyboardEvent) => {
    const direction = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (direction !== undefined) step(direction, e);
    else if (e.key === "Home") onChange(field.min);
    else if (e.key === "End") onChange(field.max);
    else if (e.key === "Delete" || e.key === "Backspace") onChange(field.default);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };

  const finish = () => {
    setTyped(null);
    if (typed === null || typed === show(field, value, zone)) return;
    const number = parse(field, typed, zone);
    // A value at the end of the range may come back a rounding error beyond it.
    const slack = (field.max - field.min) * 1e-3;
    if (number === null || number < field.min - slack || number > field.max + slack) {
      say(`“${typed.slice(0, 20)}” was not taken: ${name} goes from ${show(field, field.min, zone)} to ${show(field, field.max, zone)}.`);
    } else onChange(clamp(number));
  };

  const share = toTrack(field, value);
  const origin = Math.min(1, Math.max(0, toTrack(field, field.default)));
  const changed = Math.abs(value - field.default) > field.nudge / 100;
  return (
    <div className="relative h-9 min-w-0" title={field.help}>
      <div
        ref={track}
        role="slider"
        tabIndex={0}
        aria-label={name}
        aria-valuemin={field.min}
        aria-valuemax={field.max}
        aria-valuenow={value}
        aria-valuetext={show(field, value, zone)}
        data-field={field.id}
        onPointerDown={drag}
        onDoubleClick={() => onChange(field.default)}
        onKeyDown={keys}
        onBlur={onEnd}
        className="absolute inset-0 cursor-ew-resize"
      >
        <div className="absolute inset-x-0 bottom-[5px] h-0.5 rounded bg-edge" />
        <div
          className="absolute bottom-[5px] h-0.5 bg-dim"
          style={{ left: `${Math.min(origin, share) * 100}%`, width: `${Math.abs(share - origin) * 100}%` }}
        />
        <div
          className={`absolute bottom-px h-2.5 w-2.5 -translate-x-1/2 rounded-full ${changed ? "bg-bright" : "bg-dim"}`}
          style={{ left: `${share * 100}%` }}
        />
      </div>
      <div className="pointer-events-none absolute inset-x-0 top-0 flex h-6 items-center justify-between gap-1">
        <span className="truncate text-dim">{!bare && name}</span>
        <input
          aria-label={`${name}, value`}
          value={typed ?? show(field, value, zone)}
          onFocus={(e) => {
            setTyped(show(field, value, zone));
            e.currentTarget.select();
          }}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={finish}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") {
              setTyped(null);
              e.currentTarget.blur();
            }
            e.stopPropagation();
          }}
          className={`pointer-events-auto h-6 field-sizing-content max-w-[75%] min-w-6 bg-transparent text-right text-value outline-offset-0 select-text ${changed ? "text-bright" : "text-text"}`}
        />
      </div>
    </div>
  );
}
