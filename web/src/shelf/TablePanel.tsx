/** A table of a board in hand: what it does, beside another table or the look in hand, and how far they lie apart. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type BoardTable, type Path, type Step } from "../data/client";
import { freshStep, inserting, make } from "../commands/commands";
import { useWork } from "../document/work";
import { attempt, say, told, useSession } from "../session/session";
import { useEncodings } from "../steps/encodings";
import { apart, GreysPlot, HuesPlot, useTableReading } from "../steps/TableReading";
import { Button, Choice } from "../ui/controls";
import { boardsOf } from "./Boards";
import { Notes } from "./StillPanel";

const NONE = "none";
const LOOK = "look";

export function TablePanel({ table, onGone }: { table: BoardTable; onGone: () => void }) {
  const [beside, setBeside] = useState(NONE);
  const scenes = useSession((s) => s.production?.scenes);
  const encodings = useSession((s) => s.encodings);
  const catalogue = useSession((s) => s.catalogue);
  const place = useSession((s) => s.place);
  const document = useWork((s) => (s.kind === "look" ? s.document : null));
  const dragging = useWork((s) => s.dragging);
  const others = boardsOf(scenes).flatMap((b) => b.tables).filter((t) => t.id !== table.id);
  const other = others.find((t) => t.id === beside);
  const reading = useTableReading(table);
  const tables = useTableReading(other);
  const path: Path | undefined = document?.path;
  const look = useQuery({
    queryKey: ["look reading", path, table.from, table.to],
    queryFn: () => api.readPath(path ?? { steps: [] }, table.from, table.to),
    enabled: beside === LOOK && path !== undefined && !dragging,
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  const second = beside === LOOK ? look : other ? tables : undefined;
  const all = useEncodings();
  // A camera that is not the production's any more stays to be seen.
  const choices = (e: BoardTable["from"]) =>
    all.options.some((o) => o.value === all.name(e)) ? all.options : [{ value: all.name(e), label: all.title(e) }, ...all.options];
  const encoded = (title: string, key: "from" | "to") => (
    <Choice
      name={title}
      value={all.name(table[key])}
      options={choices(table[key])}
      onChange={(v) => {
        const before = { [key]: table[key] };
        const change = (to: Partial<BoardTable>) => attempt(() => api.editBoardTable(table.id, to));
        told(change({ [key]: all.of(v) }).then((done) => done && say(`“${table.name}” ${key === "from" ? "expects" : "gives"} ${all.title(all.of(v))} now.`, { label: "Undo", run: () => told(change(before)) })));
      }}
    />
  );
  const add = () => {
    const info = catalogue.find((k) => k.kind === "table");
    const from = typeof table.from === "string" ? encodings.find((e) => e.id === table.from) : null;
    const fresh = info && freshStep(info, from && from.display ? "screen" : "scene");
    if (fresh?.kind !== "table") return;
    const step: Step = { ...fresh, name: table.name, values: { ...fresh.values, tables: [{ table: table.table, name: table.name, from: table.from, to: table.to, strength: 1 }] } };
    const ready = inserting(`Add ${table.name}`, { steps: [step], groups: [] });
    if (ready) make(ready);
  };
  return (
    <div className="flex min-h-0 flex-col gap-1.5" data-table-panel={table.name}>
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate text-value text-bright">{table.name}</span>
        <Button
          kind="quiet"
          aria-label={`Take ${table.name} off its board`}
          className="px-1"
          onClick={() => {
            onGone();
            told(attempt(() => api.takeOffBoard(table.id)).then((done) => done && say(`“${table.name}” is off its board.`, { label: "Undo", run: () => told(attempt(() => api.putBackOnBoard(table.id))) })));
          }}
        >
          ×
        </Button>
      </div>
      <div className="flex items-center gap-1">
        {encoded("What it expects", "from")}
        <span className="text-faint">→</span>
        {encoded("What it gives", "to")}
      </div>
      <div className="flex items-center gap-2">
        <span className="text-faint">Beside</span>
        <div className="min-w-0 flex-1">
          <Choice name="Beside" value={beside} options={[{ value: NONE, label: "nothing" }, { value: LOOK, label: "the open look" }, ...others.map((t) => ({ value: t.id, label: t.name }))]} onChange={setBeside} />
        </div>
      </div>
      {reading.isError && <p className="text-alarm">{reading.error.message}</p>}
      {second?.isError && <p className="text-alarm">{second.error.message}</p>}
      {reading.data && (
        <>
          <div className="flex h-[150px] gap-2">
            <div className="flex min-w-0 flex-1">
              <GreysPlot reading={reading.data} beside={second?.data ?? undefined} />
            </div>
            <HuesPlot reading={reading.data} beside={second?.data ?? undefined} />
          </div>
          <ul aria-label={second?.data ? "How far they lie apart" : "What it does"} className="max-h-[84px] overflow-y-auto text-faint">
            {(second?.data ? apart(reading.data, second.data) : reading.data.says).map((s) => (
              <li key={s} className="leading-4">{s}</li>
            ))}
          </ul>
        </>
      )}
      <div className="flex gap-2">
        <Button className="flex-1" disabled={place !== "look" || !document} onClick={add}>
          Add as a Table step
        </Button>
      </div>
      <Notes key={table.id} of={table} save={(change) => api.editBoardTable(table.id, change)} />
    </div>
  );
}
