/** Handoff: make a table of a version, watch it, read its report, take it away. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, type Handoff } from "../../data/client";
import { canonical } from "../../document/history";
import { encodingName, usualInput } from "../../session/encodings";
import { useWork } from "../../document/work";
import { say, told, useSession } from "../../session/session";
import { Button, Choice } from "../../ui/controls";
import { CameBack, Identified } from "./CameBack";
import { Report } from "./Report";

const SIZES = ["17", "33", "65"];
/** Formats of tables, with what each is. */
const FORMATS: { value: Handoff["format"]; label: string }[] = [
  { value: "cube", label: ".cube" },
  { value: "clf", label: ".clf: Common LUT Format" },
  { value: "spi3d", label: ".spi3d" },
  { value: "spi1d", label: ".spi1d: one curve a channel" },
  { value: "hald", label: "HaldCLUT: a PNG" },
];
const RANGES: { value: Handoff["range"]; label: string }[] = [
  { value: "full", label: "Full" },
  { value: "legal", label: "Legal, 64–940" },
];
const POLL = 250;

export function HandoffPlace() {
  const look = useWork((s) => (s.kind === "look" ? s.id : null));
  const name = useWork((s) => s.document?.name);
  const [chosen, setChosen] = useState<string | null>(null);
  const handoffs = useQuery({
    queryKey: ["handoffs", look],
    queryFn: () => (look ? api.handoffs(look) : Promise.resolve([])),
    refetchInterval: (q) => (q.state.data?.some((h) => h.state === "running" || h.state === "queued") ? POLL : false),
  });
  const list = handoffs.data ?? [];
  const shown = list.find((h) => h.id === chosen) ?? list[0];
  const [back, setBack] = useState<File | null>(null);
  return (
    <main className="flex min-h-0 min-w-0 flex-1">
      <aside aria-label="New table" className="flex w-[300px] shrink-0 flex-col gap-4 overflow-y-auto bg-wall p-4">
        <h2 className="text-[14px] font-medium text-bright">{look ? `Table of “${name ?? ""}”` : "No look yet"}</h2>
        {!look && (
          <Button kind="main" onClick={() => useSession.getState().set({ place: "look" })}>
            Make a look first
          </Button>
        )}
        {look && <Ask key={look} look={look} onMade={(id) => { setChosen(id); setBack(null); }} />}
        <h3 className="pt-2 text-dim">Tables</h3>
        <div className="flex flex-col gap-1">
          {list.map((h) => (
            <Line key={h.id} handoff={h} shown={h.id === shown?.id} onShow={() => { setChosen(h.id); setBack(null); }} />
          ))}
          {handoffs.isPending && <p className="text-faint">Loading…</p>}
          {handoffs.isSuccess && list.length === 0 && <p className="text-faint">Nothing yet.</p>}
          {handoffs.isError && (
            <p role="alert" className="text-alarm">
              {handoffs.error.message}{" "}
              <Button kind="quiet" className="h-5 px-1" onClick={() => told(handoffs.refetch())}>
                Try again
              </Button>
            </p>
          )}
        </div>
        <CameBack onFile={setBack} />
      </aside>
      <section aria-label="Report" className="min-w-0 flex-1 overflow-y-auto p-5">
        {back ? <Identified file={back} onClose={() => setBack(null)} /> : shown && look ? <Detail handoff={shown} look={look} onMade={setChosen} /> : <Empty />}
      </section>
    </main>
  );
}

function Empty() {
  return (
    <div className="mx-auto max-w-md pt-24 leading-5 text-dim">
      <p className="pb-2 text-value text-bright">No table has been made of this look.</p>
      <p>
        Choose a version and the input and output encodings. After it is written, it is read back and compared
        with the exact path on every shot, on the chart, on the neutral scale and over the whole cube.
      </p>
    </div>
  );
}

function Ask({ look, onMade }: { look: string; onMade: (id: string) => void }) {
  const client = useQueryClient();
  const encodings = useSession((s) => s.encodings);
  const camera = useSession((s) => s.production?.profiles.find((p) => p.usual)?.body);
  const versions = useQuery({ queryKey: ["versions", look], queryFn: () => api.versions(look) });
  const [version, setVersion] = useState<string | null>(null);
  const usual = useSession((s) => usualInput(s.production, s.encodings));
  const [chosenFrom, setFrom] = useState<string | null>(null);
  const from = chosenFrom ?? usual;
  const [to, setTo] = useState("rec709");
  const [size, setSize] = useState("33");
  const [format, setFormat] = useState<Handoff["format"]>("cube");
  const [range, setRange] = useState<Handoff["range"]>("full");
  const make = useMutation({
    // A handoff is of a version: where none is chosen and the look has changed since the last one, it is saved first.
    mutationFn: async () => {
      const chosen = version === null ? await versionOf(look, versions.data?.[0]?.number) : Number(version);
      await client.invalidateQueries({ queryKey: ["versions", look] });
      return api.createHandoff(look, { version: chosen, from, to, size: Number(size), format, range });
    },
    onSuccess: async (made) => {
      onMade(made.id);
      await client.invalidateQueries({ queryKey: ["handoffs", look] });
    },
  });
  const all = encodings.map((e) => ({ value: e.id, label: e.name }));
  const sources = camera ? [{ value: "camera", label: camera.name }, ...all] : all;
  const row = "grid grid-cols-[64px_1fr] items-center gap-2";
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <label className={row}>
        <span className="text-dim">Version</span>
        <Choice
          name="Version"
          value={version ?? "now"}
          onChange={(v) => setVersion(v === "now" ? null : v)}
          options={[
            { value: "now", label: "The look as it is now" },
            ...(versions.data ?? []).map((v) => ({ value: String(v.number), label: `${v.number} · ${v.name}` })),
          ]}
        />
      </label>
      <label className={row}>
        <span className="text-dim">Input</span>
        <Choice name="Input" value={from} onChange={setFrom} options={sources} />
      </label>
      <label className={row}>
        <span className="text-dim">Output</span>
        <Choice name="Output" value={to} onChange={setTo} options={all} />
      </label>
      <label className={row}>
        <span className="text-dim">Format</span>
        <Choice name="Format" value={format} onChange={(v) => setFormat(FORMATS.find((f) => f.value === v)?.value ?? "cube")} options={FORMATS} />
      </label>
      <div className={row}>
        <span className="text-dim">Range</span>
        <Radios name="Range" value={range} onChange={setRange} options={RANGES} />
      </div>
      <div className={row}>
        <span className="text-dim">Points</span>
        <Radios name="Points on a side" value={size} onChange={setSize} options={SIZES.map((s) => ({ value: s, label: s }))} />
      </div>
      {format === "cube" && encodings.find((e) => e.id === from)?.narrow && (
        <p role="note" className="leading-4 text-dim">
          From this encoding the table has a 1D part before its 3D part. Programs that read 3D tables alone do not take it; from ACEScct there is none.
        </p>
      )}
      <Button type="submit" kind="main" disabled={versions.isPending || make.isPending} className="mt-1">
        Make table
      </Button>
      {versions.isError && (
        <p role="alert" className="leading-4 text-alarm">
          The look's versions could not be loaded: {versions.error.message}{" "}
          <Button kind="quiet" className="h-5 px-1" onClick={() => told(versions.refetch())}>
            Try again
          </Button>
        </p>
      )}
      {make.isError && (
        <p role="alert" className="leading-4 text-alarm">
          {make.error instanceof Problem ? make.error.message : String(make.error)}
        </p>
      )}
    </form>
  );
}

/** One of a few, side by side. */
function Radios<T extends string>({ name, value, onChange, options }: { name: string; value: T; onChange: (value: T) => void; options: { value: T; label: string }[] }) {
  return (
    <div role="radiogroup" aria-label={name} className="flex gap-1">
      {options.map((o) => (
        <button
          key={o.value}
          type="button"
          role="radio"
          aria-checked={o.value === value}
          onClick={() => onChange(o.value)}
          className={`h-6 flex-1 rounded px-1 text-value whitespace-nowrap ${o.value === value ? "bg-edge text-bright" : "bg-shelf text-dim"}`}
        >
          {o.label}
        </button>
      ))}
    </div>
  );
}

/** The version that is the look as it is now: the newest where nothing has changed since, else a new one. */
async function versionOf(look: string, newest: number | undefined): Promise<number> {
  await useWork.getState().save();
  const now = useWork.getState().document;
  if (newest !== undefined && now) {
    const last = await api.version(look, newest);
    if (canonical(last.document.path) === canonical(now.path) && last.document.name === now.name) return newest;
  }
  const made = await api.keepVersion(look, "");
  say(`Saved as version ${made.number} for this handoff.`);
  return made.number;
}

function Line({ handoff, shown, onShow }: { handoff: Handoff; shown: boolean; onShow: () => void }) {
  const production = useSession((s) => s.production);
  const states: Record<string, string> = { done: "", queued: "waiting", running: "in progress", failed: "failed", cancelled: "cancelled" };
  return (
    <button
      type="button"
      onClick={onShow}
      aria-current={shown}
      className={`rounded px-2 py-1.5 text-left ${shown ? "bg-shelf" : "hover:bg-shelf"}`}
    >
      <span className={`block truncate text-value ${shown ? "text-bright" : "text-text"}`}>
        v{handoff.version} · {encodingName(production, handoff.from)} → {encodingName(production, handoff.to)}
      </span>
      <span className={`block truncate ${handoff.state === "failed" ? "text-alarm" : "text-faint"}`}>
        {FORMATS.find((f) => f.value === handoff.format)?.label.split(":")[0]} · {handoff.size}
        {handoff.range === "legal" && " · legal"} · {states[handoff.state] || new Date(handoff.made_at * 1000).toLocaleString()}
      </span>
    </button>
  );
}

function Detail({ handoff, look, onMade }: { handoff: Handoff; look: string; onMade: (id: string) => void }) {
  const client = useQueryClient();
  const finer = async () => {
    try {
      const { version, from, to, format, range } = handoff;
      onMade((await api.createHandoff(look, { version, from, to, size: 65, format, range })).id);
      await client.invalidateQueries({ queryKey: ["handoffs", look] });
    } catch (e) {
      say(e);
    }
  };
  if (handoff.state === "running" || handoff.state === "queued") {
    return (
      <div className="mx-auto flex max-w-md flex-col gap-3 pt-24">
        <p className="text-value text-bright">Making {handoff.file_name}</p>
        {handoff.state === "queued" && <p className="text-dim">Waiting for the table before it.</p>}
        <div role="progressbar" aria-label="Progress" aria-valuenow={Math.round(handoff.progress * 100)} className="h-1 rounded bg-shelf">
          <div className="h-1 rounded bg-lantern" style={{ width: `${handoff.progress * 100}%` }} />
        </div>
        <Button
          className="self-start"
          onClick={() => told(api.cancelHandoff(handoff.id).then(() => client.invalidateQueries({ queryKey: ["handoffs"] })))}
        >
          Cancel
        </Button>
      </div>
    );
  }
  if (handoff.state !== "done" || !handoff.report) {
    const why = handoff.state === "cancelled" ? "It was cancelled. No file was written." : handoff.failure;
    return <p className="mx-auto max-w-md pt-24 text-value leading-5 text-alarm">{why}</p>;
  }
  return <Report handoff={handoff} report={handoff.report} onFiner={() => told(finer())} />;
}
