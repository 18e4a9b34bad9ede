/** One table of a version: asked for, watched, its report. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, type Handoff } from "../../data/client";
import { encodingName, usualInput } from "../../session/encodings";
import { say, told, useSession } from "../../session/session";
import { Button, Choice } from "../../ui/controls";
import { FORMATS, isUnderWay, POLL, RANGES, SIZES, STATES } from "./formats";
import { Entry, NotLoaded, Progress, Radios, ROW, useVersions, VersionChoice, versionOf } from "./parts";
import { Report } from "./Report";

/** A look's tables, newest first. */
function useHandoffs(look: string) {
  return useQuery({
    queryKey: ["handoffs", look],
    queryFn: () => api.handoffs(look),
    refetchInterval: (q) => (q.state.data?.some((h) => isUnderWay(h.state)) ? POLL : false),
  });
}

/** What is asked for, and every table so far. */
export function Tables({ look, shown, onShow }: { look: string; shown: string | null; onShow: (id: string) => void }) {
  const handoffs = useHandoffs(look);
  const list = handoffs.data ?? [];
  const current = list.find((h) => h.id === shown) ?? list[0];
  return (
    <>
      <Ask key={look} look={look} onMade={onShow} />
      <h3 className="pt-2 text-dim">Tables</h3>
      <div className="flex flex-col gap-1">
        {list.map((h) => (
          <Line key={h.id} handoff={h} shown={h.id === current?.id} onShow={() => onShow(h.id)} />
        ))}
        {handoffs.isPending && <p className="text-faint">Loading…</p>}
        {handoffs.isSuccess && list.length === 0 && <p className="text-faint">Nothing yet.</p>}
        <NotLoaded what="The tables" query={handoffs} />
      </div>
    </>
  );
}

/** The table that is shown. */
export function TableShown({ look, shown, onShow }: { look: string; shown: string | null; onShow: (id: string) => void }) {
  const list = useHandoffs(look).data ?? [];
  const current = list.find((h) => h.id === shown) ?? list[0];
  return current ? <Detail handoff={current} look={look} onMade={onShow} /> : <Empty />;
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
  const versions = useVersions(look);
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
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <VersionChoice look={look} value={version} onChange={setVersion} />
      <label className={ROW}>
        <span className="text-dim">Input</span>
        <Choice name="Input" value={from} onChange={setFrom} options={sources} />
      </label>
      <label className={ROW}>
        <span className="text-dim">Output</span>
        <Choice name="Output" value={to} onChange={setTo} options={all} />
      </label>
      <label className={ROW}>
        <span className="text-dim">Format</span>
        <Choice name="Format" value={format} onChange={(v) => setFormat(FORMATS.find((f) => f.value === v)?.value ?? "cube")} options={FORMATS} />
      </label>
      <div className={ROW}>
        <span className="text-dim">Range</span>
        <Radios name="Range" value={range} onChange={setRange} options={RANGES} />
      </div>
      <div className={ROW}>
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
      {make.isError && (
        <p role="alert" className="leading-4 text-alarm">
          {make.error instanceof Problem ? make.error.message : String(make.error)}
        </p>
      )}
    </form>
  );
}

function Line({ handoff, shown, onShow }: { handoff: Handoff; shown: boolean; onShow: () => void }) {
  const production = useSession((s) => s.production);
  const format = FORMATS.find((f) => f.value === handoff.format)?.label.split(":")[0];
  const state = STATES[handoff.state] || new Date(handoff.made_at * 1000).toLocaleString();
  return (
    <Entry
      shown={shown}
      failed={handoff.state === "failed"}
      title={`v${handoff.version} · ${encodingName(production, handoff.from)} → ${encodingName(production, handoff.to)}`}
      under={`${format} · ${handoff.size}${handoff.range === "legal" ? " · legal" : ""} · ${state}`}
      onShow={onShow}
    />
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
  if (isUnderWay(handoff.state)) {
    return (
      <div className="mx-auto flex max-w-md flex-col gap-3 pt-24">
        <p className="text-value text-bright">Making {handoff.file_name}</p>
        {handoff.state === "queued" && <p className="text-dim">Waiting for the table before it.</p>}
        <Progress share={handoff.progress} />
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
