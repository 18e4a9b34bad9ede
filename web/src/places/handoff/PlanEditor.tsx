/** A delivery plan: its receivers, and what each gets. */
import { Redo2, Undo2 } from "lucide-react";
import type { ReactNode } from "react";
import type { Delivery, Plan, Receiver } from "../../data/client";
import { usePlan } from "../../document/plan";
import { encodingOptions } from "../../session/encodings";
import { told, useSession } from "../../session/session";
import { Button, Choice, Menu, TextField } from "../../ui/controls";
import { FORMATS, FORMS, MOVIES, PICTURES, RANGES, SIZES } from "./formats";
import { usualFrom } from "./usual";

type Kind = Delivery["kind"];

/** What can be delivered, with what each begins as. */
const KINDS: { kind: Kind; title: string; fresh: () => Delivery }[] = [
  { kind: "table", title: "Table", fresh: () => ({ kind: "table", format: "cube", from: usualFrom(), to: "rec709", size: 33, range: "full" }) },
  { kind: "look", title: "Look file", fresh: () => ({ kind: "look" }) },
  { kind: "stills", title: "Stills", fresh: () => ({ kind: "stills", format: "png", to: "rec709" }) },
  { kind: "frames", title: "Graded frames", fresh: () => ({ kind: "frames", format: "exr", to: "rec709" }) },
  { kind: "movies", title: "Review movies", fresh: () => ({ kind: "movies", format: "mp4", to: "rec709" }) },
  { kind: "corrections", title: "Trims as ASC CDL", fresh: () => ({ kind: "corrections", form: "ccc" }) },
  { kind: "metadata", title: "ACES metadata", fresh: () => ({ kind: "metadata", to: "rec709", size: 33 }) },
  { kind: "configuration", title: "Colour configuration", fresh: () => ({ kind: "configuration", displays: ["rec709"], size: 33 }) },
];

const titleOf = (kind: Kind) => KINDS.find((k) => k.kind === kind)?.title ?? kind;

export function PlanEditor() {
  const plan = usePlan((s) => s.plan);
  const id = usePlan((s) => s.id);
  const { edit } = usePlan.getState();
  if (!plan) return null;
  return (
    <article className="mx-auto flex max-w-[880px] flex-col gap-4" data-plan={id}>
      <header className="flex items-center gap-2">
        <TextField
          label="Name of the plan"
          maxLength={80}
          className="w-64 text-[14px]"
          value={plan.name}
          onChange={(e) => edit("Name of the plan", (p) => { p.name = e.target.value; }, "name")}
        />
        <Undo />
        <Saved />
      </header>
      {plan.receivers.map((receiver, r) => (
        <ReceiverPart key={r} receiver={receiver} at={r} />
      ))}
      <Button
        className="self-start"
        disabled={plan.receivers.length >= 40}
        onClick={() => edit("Add receiver", (p) => { p.receivers.push({ name: unused(p, "Receiver"), deliveries: [] }); })}
      >
        Add receiver
      </Button>
    </article>
  );
}

/** A name that no receiver has. */
function unused(plan: Plan, name: string): string {
  const taken = (n: string) => plan.receivers.some((r) => r.name.toLowerCase() === n.toLowerCase());
  let k = 2;
  let found = name;
  for (; taken(found); k += 1) found = `${name} ${k}`;
  return found;
}

function Undo() {
  const undoes = usePlan((s) => s.past.at(-1)?.label);
  const redoes = usePlan((s) => s.future.at(-1)?.label);
  const { undo, redo } = usePlan.getState();
  return (
    <div className="flex">
      <Button kind="quiet" aria-label="Undo" disabled={!undoes} title={undoes ? `Undo: ${undoes}` : ""} onClick={undo}>
        <Undo2 size={15} />
      </Button>
      <Button kind="quiet" aria-label="Redo" disabled={!redoes} title={redoes ? `Redo: ${redoes}` : ""} onClick={redo}>
        <Redo2 size={15} />
      </Button>
    </div>
  );
}

/** How far the plan is saved, and what to do where another window saved first. */
function Saved() {
  const saving = usePlan((s) => s.saving);
  const failure = usePlan((s) => s.failure);
  const { takeTheirs, keepMine } = usePlan.getState();
  if (saving === "conflict") {
    return (
      <span role="alert" className="flex items-center gap-2 text-alarm">
        Another window changed this plan.
        <Button onClick={() => told(takeTheirs())}>Take theirs</Button>
        <Button onClick={() => told(keepMine())}>Save mine over it</Button>
      </span>
    );
  }
  if (saving === "refused" || saving === "away") {
    return (
      <span role="alert" className="min-w-0 truncate text-alarm" title={failure}>
        Not saved: {failure}
      </span>
    );
  }
  return <span className="text-faint">{saving === "saved" ? "Saved" : "Saving…"}</span>;
}

function ReceiverPart({ receiver, at }: { receiver: Receiver; at: number }) {
  const { edit } = usePlan.getState();
  const change = (label: string, change: (r: Receiver) => void, field?: string) =>
    edit(label, (p) => {
      const found = p.receivers[at];
      if (found) change(found);
    }, field);
  return (
    <section aria-label={receiver.name || `Receiver ${at + 1}`} data-receiver={at} className="rounded bg-wall">
      <header className="flex items-center gap-2 px-3 pt-2.5 pb-1.5">
        <TextField
          label={`Name of receiver ${at + 1}`}
          maxLength={80}
          className="w-56"
          value={receiver.name}
          onChange={(e) => change("Name of a receiver", (r) => { r.name = e.target.value; }, `receiver ${at}`)}
        />
        <div className="flex-1" />
        <Menu
          trigger={<Button aria-label={`Add to ${receiver.name}`}>Add ▾</Button>}
          items={KINDS.map((k) => ({ label: k.title, run: () => change(`Add ${k.title}`, (r) => { r.deliveries.push(k.fresh()); }) }))}
        />
        <Button kind="quiet" aria-label={`Remove ${receiver.name}`} className="px-1.5" onClick={() => edit(`Remove ${receiver.name}`, (p) => { p.receivers.splice(at, 1); })}>
          ×
        </Button>
      </header>
      {receiver.deliveries.length === 0 && <p className="px-3 pb-2.5 text-faint">Nothing yet: add what they receive.</p>}
      <ul className="pb-1.5">
        {receiver.deliveries.map((delivery, d) => (
          <li key={d} data-delivery={delivery.kind} className="flex items-center gap-2 px-3 py-1">
            <span className="w-36 shrink-0 truncate text-text">{titleOf(delivery.kind)}</span>
            <Fields
              delivery={delivery}
              set={(label, next) => change(label, (r) => { r.deliveries[d] = next; })}
            />
            <div className="flex-1" />
            <Button
              kind="quiet"
              aria-label={`Remove ${titleOf(delivery.kind)} of ${receiver.name}`}
              className="px-1.5"
              onClick={() => change(`Remove ${titleOf(delivery.kind)}`, (r) => { r.deliveries.splice(d, 1); })}
            >
              ×
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What can be said of a delivery. */
function Fields({ delivery, set }: { delivery: Delivery; set: (label: string, next: Delivery) => void }) {
  const plain = (values: string[]) => values.map((v) => ({ value: v, label: `.${v}` }));
  switch (delivery.kind) {
    case "table":
      return (
        <Row>
          <Narrow><Choice name="Format" value={delivery.format} options={FORMATS.map((f) => ({ ...f, label: f.label.split(":")[0] ?? "" }))} onChange={(v) => set("Format", { ...delivery, format: FORMATS.find((f) => f.value === v)?.value ?? "cube" })} /></Narrow>
          <Encoding name="Input" value={delivery.from} onChange={(from) => set("Input", { ...delivery, from })} />
          <span className="text-faint">→</span>
          <Encoding name="Output" value={delivery.to} onChange={(to) => set("Output", { ...delivery, to })} />
          <Choice name="Points on a side" value={String(delivery.size)} options={SIZES.map((s) => ({ value: s, label: s }))} onChange={(v) => set("Points", { ...delivery, size: Number(v) })} />
          <Choice name="Range" value={delivery.range} options={RANGES.map((r) => ({ ...r, label: r.label.split(",")[0] ?? "" }))} onChange={(v) => set("Range", { ...delivery, range: v === "legal" ? "legal" : "full" })} />
        </Row>
      );
    case "look":
      return <span className="text-dim">with all its steps, for this program</span>;
    case "stills":
    case "frames":
      return (
        <Row>
          <Narrow><Choice name="Format" value={delivery.format} options={plain(PICTURES)} onChange={(format) => set("Format", { ...delivery, format })} /></Narrow>
          <Encoding name="Output" value={delivery.to} onChange={(to) => set("Output", { ...delivery, to })} />
          <span className="truncate text-dim">{delivery.kind === "stills" ? "one of each shot" : "of every moving shot"}</span>
        </Row>
      );
    case "movies":
      return (
        <Row>
          <Narrow><Choice name="Format" value={delivery.format} options={plain(MOVIES)} onChange={(format) => set("Format", { ...delivery, format })} /></Narrow>
          <Encoding name="Output" value={delivery.to} displays onChange={(to) => set("Output", { ...delivery, to })} />
          <span className="truncate text-dim">of every moving shot</span>
        </Row>
      );
    case "corrections":
      return (
        <Row>
          <Choice name="Form" value={delivery.form} options={FORMS} onChange={(form) => set("Form", { ...delivery, form })} />
          <span className="truncate text-dim">on ACEScct</span>
        </Row>
      );
    case "metadata":
      return (
        <Row>
          <span className="text-dim">AMF of each shot, for</span>
          <Encoding name="Output" value={delivery.to} displays onChange={(to) => set("Output", { ...delivery, to })} />
          <Choice name="Points on a side" value={String(delivery.size)} options={SIZES.map((s) => ({ value: s, label: s }))} onChange={(v) => set("Points", { ...delivery, size: Number(v) })} />
        </Row>
      );
    case "configuration":
      return (
        <Row>
          <Displays value={delivery.displays} onChange={(displays) => set("Displays", { ...delivery, displays })} />
          <Choice name="Points on a side" value={String(delivery.size)} options={SIZES.map((s) => ({ value: s, label: s }))} onChange={(v) => set("Points", { ...delivery, size: Number(v) })} />
        </Row>
      );
  }
}

function Row({ children }: { children: ReactNode }) {
  return <div className="flex min-w-0 flex-wrap items-center gap-1.5">{children}</div>;
}

function Narrow({ children }: { children: ReactNode }) {
  return <div className="grid w-24">{children}</div>;
}

function Encoding({ name, value, displays = false, onChange }: { name: string; value: string; displays?: boolean; onChange: (id: string) => void }) {
  const production = useSession((s) => s.production);
  const encodings = useSession((s) => s.encodings);
  const all = encodingOptions(production, encodings).filter((o) => !displays || o.kind === "display");
  // One that is gone is still what the plan says.
  const known = all.some((o) => o.value === value);
  const usual = production?.profiles.find((p) => p.usual && p.encoding === value);
  const options = known ? all : [{ value, label: usual?.body.name ?? `Unknown: ${value}` }, ...all];
  return (
    <div className="grid w-44">
      <Choice name={name} value={value} options={options.map(({ value, label }) => ({ value, label }))} onChange={onChange} />
    </div>
  );
}

/** Displays of a configuration, each on or off. */
function Displays({ value, onChange }: { value: string[]; onChange: (ids: string[]) => void }) {
  const encodings = useSession((s) => s.encodings);
  const left = encodings.filter((e) => e.display && !value.includes(e.id));
  const nameOf = (id: string) => encodings.find((e) => e.id === id)?.name ?? id;
  return (
    <>
      {value.map((id) => (
        <button
          key={id}
          type="button"
          title={`Take ${nameOf(id)} out`}
          onClick={() => onChange(value.filter((v) => v !== id))}
          className="h-6 rounded bg-shelf px-2 text-value hover:bg-edge"
        >
          {nameOf(id)} <span className="text-faint">×</span>
        </button>
      ))}
      <Menu
        trigger={
          <Button kind="quiet" disabled={left.length === 0}>
            {value.length === 0 ? "Choose a display ▾" : "+ ▾"}
          </Button>
        }
        items={left.map((e) => ({ label: e.name, run: () => onChange([...value, e.id]) }))}
      />
    </>
  );
}
