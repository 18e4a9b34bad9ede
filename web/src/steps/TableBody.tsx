/** Table: imported tables with the encodings they expect and give, mixed by strength. */
import { useRef, useState } from "react";
import { api, type Field, type KindInfo, type Step, type TableLine, type TableUse } from "../data/client";
import { say, told, useSession } from "../session/session";
import { changeStep, setValue, useWork } from "../document/work";
import { Button, Choice, Dialog, FileInput } from "../ui/controls";
import { NumberField } from "../ui/NumberField";

const SHARE = {
  id: "strength",
  title: "Strength",
  help: "Its share in the mix",
  unit: "percent",
  type: "number",
  min: 0,
  max: 1,
  default: 1,
  nudge: 0.01,
} as const satisfies Field;

type Encoding = TableUse["from"];

/** Encodings to choose from: those that ship, and the cameras of the production, whose constants go into the look. */
function useEncodings(): { options: { value: string; label: string }[]; of: (value: string) => Encoding; name: (e: Encoding) => string } {
  const shipped = useSession((s) => s.encodings);
  const profiles = useSession((s) => s.production?.profiles) ?? [];
  const cameras = profiles.flatMap((p) => ("gives" in p.body ? [] : [p]));
  const value = (e: Encoding) => (typeof e === "string" ? e : `camera ${e.name}`);
  return {
    options: [
      ...cameras.map((p) => ({ value: `camera ${p.body.name}`, label: p.body.name })),
      ...shipped.map((e) => ({ value: e.id, label: e.name })),
    ],
    of: (v) => {
      const camera = cameras.find((p) => `camera ${p.body.name}` === v);
      return (camera ? camera.body : v) as Encoding;
    },
    name: value,
  };
}

export function TableBody({ step, info }: { step: Extract<Step, { kind: "table" }>; info: KindInfo }) {
  const file = useRef<HTMLInputElement>(null);
  const endGesture = useWork((s) => s.endGesture);
  const [coming, setComing] = useState<TableLine | null>(null);
  const [busy, setBusy] = useState(false);
  const encodings = useEncodings();
  const tables = step.values.tables;
  const most = info.fields.flatMap((f) => (f.type === "tables" ? [f.most] : []))[0] ?? 1;
  const write = (label: string, next: TableUse[]) => setValue(step.id, "tables", label, next);
  const change = (i: number, label: string, part: Partial<TableUse>, gesture?: string) =>
    changeStep(step.id, label, (now) => {
      const found = now.kind === "table" ? now.values.tables[i] : undefined;
      if (found) Object.assign(found, part);
    }, gesture);
  const bring = async (chosen: File) => {
    setBusy(true);
    try {
      setComing(await api.bringTable(chosen));
    } catch (e) {
      say(e);
    }
    setBusy(false);
  };
  return (
    <div className="flex w-full flex-col gap-1.5">
      <ul aria-label="Tables" className="flex min-h-0 flex-1 flex-col gap-1 overflow-y-auto">
        {tables.length === 0 && (
          <li className="pt-4 text-faint">
            No table yet. Bring in a .cube (1D, 3D or both) or a HaldCLUT PNG: its numbers stay inside the look.
          </li>
        )}
        {tables.map((t, i) => (
          <li key={`${t.table} ${i}`} className="grid grid-cols-[1fr_130px_130px_120px_20px] items-center gap-3" data-table={t.name}>
            <span className="truncate text-bright" title={t.name}>
              {t.name}
            </span>
            <Choice name="Input encoding" value={encodings.name(t.from)} options={encodings.options} onChange={(v) => change(i, "Input encoding", { from: encodings.of(v) })} />
            <Choice name="Output encoding" value={encodings.name(t.to)} options={encodings.options} onChange={(v) => change(i, "Output encoding", { to: encodings.of(v) })} />
            <NumberField
              key={`${step.id} ${i}`}
              field={SHARE}
              value={t.strength}
              zone={step.zone}
              onChange={(v, gesture) => change(i, `Strength of ${t.name}`, { strength: v }, gesture && `${gesture}${i}`)}
              onEnd={endGesture}
            />
            <Button kind="quiet" aria-label={`Take ${t.name} out`} className="px-0.5" onClick={() => write(`Take ${t.name} out`, tables.filter((_, k) => k !== i))}>
              ×
            </Button>
          </li>
        ))}
      </ul>
      <footer className="flex items-center gap-3">
        <FileInput ref={file} label="Table file" accept=".cube,.png" onFile={(chosen) => told(bring(chosen))} />
        <Button kind={tables.length === 0 ? "main" : "plain"} disabled={busy || tables.length >= most} onClick={() => file.current?.click()}>
          {busy ? "Reading…" : "Bring in a table…"}
        </Button>
        <span className="text-faint">Strengths of more than 100 % together are scaled down to 100 %.</span>
      </footer>
      {coming && (
        <Confirm
          line={coming}
          encodings={encodings.options}
          onClose={() => setComing(null)}
          onDone={(from, to) => {
            write(`Bring in ${coming.name}`, [...tables, { table: coming.table, name: coming.name, from: encodings.of(from), to: encodings.of(to), strength: 1 }]);
            setComing(null);
          }}
        />
      )}
    </div>
  );
}

/** Asks for both encodings: nothing is taken for granted, a name that speaks of them is only a guess. */
function Confirm({
  line,
  encodings,
  onClose,
  onDone,
}: {
  line: TableLine;
  encodings: { value: string; label: string }[];
  onClose: () => void;
  onDone: (from: string, to: string) => void;
}) {
  const [from, setFrom] = useState(line.from);
  const [to, setTo] = useState(line.to);
  const options = [{ value: "unsaid", label: "Choose…" }, ...encodings];
  const row = (title: string, value: string, set: (v: string) => void, guess: string) => (
    <div className="flex items-center gap-3">
      <span className="w-20 text-dim">{title}</span>
      <div className="w-44">
        <Choice name={title} value={value || "unsaid"} options={options} onChange={(v) => set(v === "unsaid" ? "" : v)} />
      </div>
      <span className="text-faint">{guess ? `${encodings.find((e) => e.value === guess)?.label ?? guess} by its name` : "not named in the file"}</span>
    </div>
  );
  return (
    <Dialog
      open
      title={`Add table “${line.name}”`}
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" disabled={!from || !to} onClick={() => onDone(from, to)}>
            Add table
          </Button>
        </>
      }
    >
      <p className="pb-3 text-dim">{line.says}</p>
      <div className="flex flex-col gap-3">
        {row("Input", from, setFrom, line.from)}
        {row("Output", to, setTo, line.to)}
      </div>
    </Dialog>
  );
}
