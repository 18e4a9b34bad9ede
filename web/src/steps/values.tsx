/** Values of a step as fields and switches, built from the catalogue. */
import type { Field, Step } from "../data/client";
import { setValue, useWork } from "../document/work";
import { NumberField } from "../ui/NumberField";

export function Numbers({ step, fields, labels, bare }: { step: Step; fields: Field[]; labels?: Record<string, string>; bare?: boolean }) {
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
        bare={bare}
        onChange={(v, gesture) => setValue(step.id, field.id, field.title, v, gesture)}
        onEnd={endGesture}
      />
    ) : null;
  });
}

/** The switches among some fields. */
export function Switches({ step, fields }: { step: Step; fields: Field[] }) {
  const values = step.values as Record<string, unknown>;
  return fields.map((field) => {
    const on = values[field.id];
    return field.type === "switch" && typeof on === "boolean" ? (
      <SwitchField key={field.id} title={field.title} help={field.help} on={on} onChange={() => setValue(step.id, field.id, field.title, !on)} />
    ) : null;
  });
}

export function SwitchField({ title, help, on, onChange }: { title: string; help?: string; on: boolean; onChange: () => void }) {
  return (
    <button type="button" role="switch" aria-checked={on} title={help} onClick={onChange} className={`flex h-6 items-center gap-2 ${on ? "text-bright" : "text-dim hover:text-bright"}`}>
      <span className={`flex h-3 w-5 items-center rounded-full border ${on ? "border-lantern bg-lantern" : "border-faint"}`}>
        <span className={`h-2 w-2 rounded-full ${on ? "ml-auto mr-0.5 bg-pit" : "ml-0.5 bg-faint"}`} />
      </span>
      {title}
    </button>
  );
}

export function fieldsOf(fields: Field[], ...ids: string[]): Field[] {
  return ids.flatMap((id) => fields.filter((f) => f.id === id));
}
