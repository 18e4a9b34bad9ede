/** Table: imported tables with the encodings they expect and give, mixed by strength. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, type Field, type KindInfo, type Path, type Step, type TableLine, type TableUse, type Unpicked } from "../data/client";
import { TABLE_ENDINGS } from "../data/constants";
import { CardPicture, useCards } from "../preview/cards";
import { say, told, useSession } from "../session/session";
import { changeStep, setValue, useWork } from "../document/work";
import { Button, Choice, Dialog, FileInput } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { useEncodings } from "./encodings";
import { GreysPlot, HuesPlot, useTableReading } from "./TableReading";

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

const RANGES = [
  { value: "full", label: "Full" },
  { value: "legal", label: "Legal (video)" },
];

export function TableBody({ step, info }: { step: Extract<Step, { kind: "table" }>; info: KindInfo }) {
  const file = useRef<HTMLInputElement>(null);
  const endGesture = useWork((s) => s.endGesture);
  const [coming, setComing] = useState<{ line: TableLine; file: File }[]>([]);
  const [busy, setBusy] = useState(0);
  const [chosen, setChosen] = useState(0);
  const encodings = useEncodings();
  const tables = step.values.tables;
  const inHand = tables[Math.min(chosen, tables.length - 1)];
  const others = tables.filter((t) => t !== inHand);
  const reading = useTableReading(inHand);
  const beside = useTableReading(others[0]);
  const most = info.fields.flatMap((f) => (f.type === "tables" ? [f.most] : []))[0] ?? 1;
  const rest = step.values.remainder;
  const write = (label: string, next: TableUse[]) => setValue(step.id, "tables", label, next);
  const change = (i: number, label: string, part: Partial<TableUse>, gesture?: string) =>
    changeStep(step.id, label, (now) => {
      const found = now.kind === "table" ? now.values.tables[i] : undefined;
      if (found) Object.assign(found, part);
    }, gesture);
  const bring = async (file: File) => {
    setBusy((n) => n + 1);
    try {
      const line = await api.bringTable(file);
      setComing((all) => [...all, { line, file }]);
    } catch (e) {
      say(e);
    }
    setBusy((n) => n - 1);
  };
  const next = coming[0];
  return (
    <div className="flex w-full min-w-0 gap-4">
      <div className={`flex flex-col gap-1.5 ${inHand ? "w-[216px] shrink-0" : "flex-1"}`}>
        {rest && <p className="text-dim">What the steps of this group leave of a table. With it on, the group is that table to the last digit; with it off, it is its steps alone.</p>}
        <ul aria-label="Tables" className="flex min-h-0 flex-1 flex-col gap-1 overflow-y-auto">
          {tables.length === 0 && (
            <li className="pt-4 text-faint">
              No table yet. Bring in one or more: .cube, .clf, .spi1d, .spi3d, ASC CDL or HaldCLUT PNG. Their numbers stay inside the look.
            </li>
          )}
          {tables.map((t, i) => (
            <li key={`${t.table} ${i}`} className={`flex flex-col gap-1 rounded border px-2 py-1 ${t === inHand ? "border-edge bg-room" : "border-transparent"}`} data-table={t.name}>
              <div className="flex items-center gap-2">
                <button type="button" aria-pressed={t === inHand} className="min-w-0 flex-1 truncate text-left text-bright" title={t.name} onClick={() => setChosen(i)}>
                  {t.name}
                </button>
                <div className="w-[110px]">
                  <NumberField
                    key={`${step.id} ${i}`}
                    field={SHARE}
                    value={t.strength}
                    zone={step.zone}
                    onChange={(v, gesture) => change(i, `Strength of ${t.name}`, { strength: v }, gesture && `${gesture}${i}`)}
                    onEnd={endGesture}
                  />
                </div>
                <Button kind="quiet" aria-label={`Take ${t.name} out`} className="px-0.5" disabled={rest} onClick={() => write(`Take ${t.name} out`, tables.filter((_, k) => k !== i))}>
                  ×
                </Button>
              </div>
              <div className="grid grid-cols-[1fr_12px_1fr] items-center gap-1">
                <Choice name="Input encoding" value={encodings.name(t.from)} options={encodings.options} disabled={rest} onChange={(v) => change(i, "Input encoding", { from: encodings.of(v) })} />
                <span aria-hidden className="text-faint">→</span>
                <Choice name="Output encoding" value={encodings.name(t.to)} options={encodings.options} disabled={rest} onChange={(v) => change(i, "Output encoding", { to: encodings.of(v) })} />
              </div>
            </li>
          ))}
        </ul>
        <footer className="flex flex-wrap items-center gap-2">
          {!rest && (
            <>
              <FileInput ref={file} label="Table file" accept={[...TABLE_ENDINGS, ".png"].join(",")} multiple onFile={(chosen) => told(bring(chosen))} />
              <Button kind={tables.length === 0 ? "main" : "plain"} disabled={busy > 0 || tables.length >= most} onClick={() => file.current?.click()}>
                {busy > 0 ? "Reading…" : "Bring in tables…"}
              </Button>
              {inHand && <Unpick use={inHand} />}
            </>
          )}
          {tables.length > 1 && <span className="text-faint">Together at most 100 %.</span>}
        </footer>
      </div>
      {inHand && (
        <>
          <div className="flex w-[142px] shrink-0">{reading.data ? <GreysPlot reading={reading.data} beside={beside.data ?? undefined} /> : <p className="text-faint">{reading.isError ? reading.error.message : "Reading…"}</p>}</div>
          {reading.data && <HuesPlot reading={reading.data} />}
          {reading.data && (
            <ul aria-label="What it does" className="min-w-0 flex-1 overflow-y-auto text-dim max-[1150px]:hidden">
              {reading.data.says.map((s) => (
                <li key={s} className="pb-1 leading-4">
                  {s}
                </li>
              ))}
            </ul>
          )}
        </>
      )}
      {next && (
        <Confirm
          key={`${next.line.table} ${coming.length}`}
          brought={next.line}
          file={next.file}
          step={step}
          encodings={encodings}
          onClose={() => setComing((all) => all.slice(1))}
          onDone={(from, to, line) => {
            const fresh = { table: line.table, name: line.name, from: encodings.of(from), to: encodings.of(to), strength: 1 };
            changeStep(step.id, `Bring in ${line.name}`, (now) => {
              if (now.kind === "table" && now.values.tables.length < most) now.values.tables.push(fresh);
            });
            setChosen(tables.length);
            setComing((all) => all.slice(1));
          }}
        />
      )}
    </div>
  );
}

/** Takes a table apart into a new look of ordinary steps, with progress and a way to stop. */
function Unpick({ use }: { use: TableUse }) {
  const [job, setJob] = useState<Unpicked | null>(null);
  const client = useQueryClient();
  // Whoever has gone on to something else meanwhile stays there.
  const here = useRef(true);
  useEffect(() => {
    here.current = true;
    return () => void (here.current = false);
  }, []);
  const done = async (ended: Unpicked) => {
    setJob(null);
    const production = useSession.getState().production?.id;
    if (ended.state === "failed") say(ended.failure);
    if (ended.state !== "done" || !ended.document || !production) return;
    const made = await api.createLook(production, ended.document.name, ended.document);
    await client.invalidateQueries({ queryKey: ["looks"] });
    const open = () => useWork.getState().load(made.id);
    const away = here.current ? null : { label: "Open it", run: () => told(open()) };
    if (!away) await open();
    const d = ended.distance;
    say(`New look “${ended.document.name}”: its steps alone are ${d ? d.mean.toFixed(2) : "?"} from the table, with the remainder they are it.`, away);
  };
  const follow = async () => {
    let now = await api.beginUnpick(use);
    while (now.state === "running") {
      setJob(now);
      await new Promise((next) => window.setTimeout(next, 200));
      now = await api.unpick(now.id);
    }
    await done(now);
  };
  if (!job) {
    return (
      <Button
        title="Makes a new look of ordinary steps that do what this table does, with the exact remainder beneath them"
        onClick={() => told(follow().catch((e: unknown) => { setJob(null); throw e; }))}
      >
        Take apart into steps
      </Button>
    );
  }
  return (
    <span className="flex items-center gap-2" role="status">
      <progress value={job.share} max={1} aria-label="Unpicking" className="h-1.5 w-24 accent-(--color-lantern)" />
      <span className="text-dim">{Math.round(100 * job.share)} %</span>
      <Button kind="quiet" onClick={() => told(api.stopUnpick(job.id))}>
        Stop
      </Button>
    </span>
  );
}

/** The path in hand with another table in a step, for a look at it. */
function useTried(step: Step, use: TableUse | null): Path[] | null {
  const path = useWork((s) => s.document?.path);
  const key = JSON.stringify(use);
  return useMemo(() => {
    const fresh = JSON.parse(key) as TableUse | null;
    if (!path || !fresh) return null;
    const steps = path.steps.map((s) => (s.id === step.id && s.kind === "table" ? { ...s, on: true, values: { ...s.values, tables: [...s.values.tables, fresh] } } : s));
    return [{ ...path, steps }];
  }, [path, step.id, key]);
}

/** Asks for both encodings: nothing is taken for granted, a name that speaks of them is only a guess. */
function Confirm({
  brought,
  file,
  step,
  encodings: all,
  onClose,
  onDone,
}: {
  brought: TableLine;
  file: File;
  step: Step;
  encodings: ReturnType<typeof useEncodings>;
  onClose: () => void;
  onDone: (from: string, to: string, line: TableLine) => void;
}) {
  // A table of legal range is another one: the same between code values of full range.
  const [line, setLine] = useState(brought);
  const [range, setRange] = useState<"full" | "legal">("full");
  const choose = async (next: "full" | "legal") => {
    setLine(next === "full" ? brought : await api.bringTable(file, "legal"));
    setRange(next);
  };
  const [from, setFrom] = useState(line.from);
  const [to, setTo] = useState(line.to);
  const encodings = all.options;
  const options = [{ value: "unsaid", label: "Choose…" }, ...encodings];
  const tried = useTried(step, from && to ? { table: line.table, name: line.name, from: all.of(from), to: all.of(to), strength: 1 } : null);
  const pictures = useCards(tried, 380);
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
          <Button kind="main" disabled={!from || !to} onClick={() => onDone(from, to, line)}>
            Add table
          </Button>
        </>
      }
    >
      <p className="pb-3 text-dim">{line.says}</p>
      <div className="flex flex-col gap-3">
        {row("Input", from, setFrom, line.from)}
        {row("Output", to, setTo, line.to)}
        <div className="flex items-center gap-3">
          <span className="w-20 text-dim">Range</span>
          <div className="w-44">
            <Choice name="Range" value={range} options={RANGES} onChange={(v) => told(choose(v === "legal" ? "legal" : "full"))} />
          </div>
          <span className="text-faint">of the code values that it takes and gives</span>
        </div>
      </div>
      <div className="pt-3" data-live={from && to ? `${from} ${to}` : ""}>
        {from && to ? (
          <CardPicture picture={pictures.get(0)} size={[380, 214]} className="border-transparent" />
        ) : (
          <p className="text-faint">The picture shows here what it looks like, as soon as both are chosen.</p>
        )}
      </div>
    </Dialog>
  );
}
