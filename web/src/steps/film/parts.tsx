/** Fields of a stock's parts. */
import type { Field, Step } from "../../data/client";
import { useWork } from "../../document/work";
import { NumberField } from "../../ui/NumberField";
import { TextField } from "../../ui/controls";
import { changeStock } from "./stock";

export const LAYERS = ["red", "green", "blue"] as const;

/** A field of the catalogue under another id and name, the same object each time: fields are drawn anew for a new one. */
export function renamed(field: Field, id: string, title: string): Field {
  const key = `${field.id} ${id}`;
  const there = names.get(key);
  if (there) return there;
  const made = { ...field, id, title };
  names.set(key, made);
  return made;
}
const names = new Map<string, Field>();

/** Number fields of an object inside of a stock. */
export function Part({ step, fields, value, label, onChange }: { step: Step; fields: Field[]; value: object; label: string; onChange: (id: string, v: number, gesture?: string) => void }) {
  const endGesture = useWork((s) => s.endGesture);
  const values = value as Record<string, number>;
  return fields.map((f) => {
    const own = values[f.id];
    return f.type === "number" && typeof own === "number" ? (
      <NumberField
        key={`${step.id} ${label} ${f.id}`}
        field={f}
        value={own}
        zone="film"
        onChange={(v, gesture) => onChange(f.id, v, gesture && `${label} ${gesture}`)}
        onEnd={endGesture}
      />
    ) : null;
  });
}

/** Which layer is edited. */
export function LayerChoice({ layer, onChange }: { layer: number; onChange: (layer: number) => void }) {
  return (
    <div role="radiogroup" aria-label="Layer" className="flex gap-1">
      {[...LAYERS, "all"].map((name, i) => (
        <button
          key={name}
          type="button"
          role="radio"
          aria-checked={layer === i}
          onClick={() => onChange(i)}
          className={`flex h-5 items-center gap-1.5 rounded px-1.5 ${layer === i ? "bg-shelf text-bright" : "text-dim hover:text-bright"}`}
        >
          {i < 3 && <span className="h-2 w-2 rounded-full" style={{ background: `var(--color-${name})` }} />}
          {name}
        </button>
      ))}
    </div>
  );
}

/** The stock's own name; a copy is made of one that ships. */
export function StockName({ step, name }: { step: Step; name: string }) {
  return (
    <TextField
      key={name}
      label="Name of the stock"
      defaultValue={name}
      maxLength={100}
      className="w-full"
      onBlur={(e) => {
        const to = e.target.value.trim();
        if (to && to !== name) changeStock(step.id, "Name of the stock", (s) => { s.name = to; });
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        e.stopPropagation();
      }}
    />
  );
}
