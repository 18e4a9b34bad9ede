/** Boards of references: finished stills and tables, brought in by drop, paste, file or as a frame of a shot. */
import { useRef, useState } from "react";
import { api, type BoardTable, type Scene, type Shot } from "../data/client";
import { TABLE_ENDINGS } from "../data/constants";
import { filesOf, isFootage } from "../intake/files";
import { sendTo, useIncoming } from "../intake/incoming";
import { attempt, refreshProduction, say, told, useSession } from "../session/session";
import { useTableReading, GreysPlot } from "../steps/TableReading";
import { Button, FileInput, Menu } from "../ui/controls";

/** A thing of a board that is in hand. */
export type Pinned = { kind: "still"; id: string } | { kind: "table"; id: string } | null;

export const boardsOf = (scenes: Scene[] | undefined): Scene[] => (scenes ?? []).filter((s) => s.finished);

/** The picture of a finished still, so many pixels wide. */
export const stillPicture = (s: Shot, width: number) => `/api/shots/${s.id}/as?encoding=${encodeURIComponent(s.encoding)}&width=${width}`;

const isTable = (name: string) => TABLE_ENDINGS.some((ending) => name.toLowerCase().endsWith(ending));

/** The board that new references go to; made where there is none. */
async function boardToSendTo(): Promise<string | null> {
  const { production } = useSession.getState();
  if (!production) return null;
  const last = boardsOf(production.scenes).at(-1);
  if (last) return last.id;
  const made = await api.createScene(production.id, "References", true);
  await refreshProduction();
  return made.id;
}

/** Puts a table on a board, between the encodings that its name speaks of. */
async function putTable(board: string, file: File): Promise<void> {
  const line = await api.bringTable(file);
  await api.putOnBoard(board, { table: line.table, name: line.name, from: line.from || "rec709", to: line.to || "rec709" });
  if (!line.from || !line.to) say(`“${line.name}” does not say both its encodings: it is read as Rec.709 where it is silent. Name the file with them (“dusk acescct to rec709”) and bring it in again to read it otherwise.`);
}

/** Brings files to a board: pictures as stills, tables as tables. */
async function bring(board: string | null, files: File[]): Promise<void> {
  try {
    const to = board ?? (await boardToSendTo());
    if (!to) return;
    for (const file of files.filter((f) => isTable(f.name))) await putTable(to, file);
    const pictures = files.filter((f) => isFootage(f.name));
    if (pictures.length > 0) await sendTo(to, pictures);
    else if (files.some((f) => isTable(f.name))) await refreshProduction();
    else say("A board takes pictures and tables.");
  } catch (e) {
    say(e);
  }
}

/** What lies on the clipboard as a picture goes to the last board. */
export async function pasteReference(data: DataTransfer | null): Promise<void> {
  const files = [...(data?.files ?? [])].filter((f) => f.type.startsWith("image/") || isTable(f.name));
  if (files.length === 0) return;
  // A picture from the clipboard is called what programs call it: the time tells it from others.
  const named = files.map((f) => (/^image\.\w+$/.test(f.name) ? new File([f], `pasted ${new Date().toLocaleTimeString().replace(/[^\w]+/g, ".")}.${f.name.split(".").at(-1)}`, { type: f.type }) : f));
  await bring(null, named);
}

/** Keeps the frame in hand as a still of a board. */
async function keepFrame(board: string | null): Promise<void> {
  const { shot, frame } = useSession.getState();
  if (!shot) return;
  await attempt(async () => {
    const to = board ?? (await boardToSendTo());
    if (!to) return;
    const kept = await api.keepFrame(shot, { frame, board: to });
    say(`“${kept.name}” is a reference now.`, { label: "Undo", run: () => told(attempt(() => api.deleteShot(kept.id))) });
  });
}

export function Boards({ words, pinned, onPin }: { words: string[]; pinned: Pinned; onPin: (to: Pinned) => void }) {
  const production = useSession((s) => s.production);
  const shot = useSession((s) => s.shot);
  const coming = useIncoming((s) => s.list.length);
  const [over, setOver] = useState<string | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const [into, setInto] = useState<string | null>(null);
  if (!production) return null;
  const boards = boardsOf(production.scenes);
  const has = (of: { name: string; note: string; tags: string }, board: Scene) => words.every((w) => `${of.name} ${of.note} ${of.tags} ${board.name} reference`.toLowerCase().includes(w));
  const choose = (board: string | null) => {
    setInto(board);
    file.current?.click();
  };
  return (
    <section aria-label="References" className="pb-3">
      <header className="flex items-center gap-1 pb-1">
        <h3 className="flex-1 text-dim">References{coming > 0 ? " · coming in…" : ""}</h3>
        <Menu
          trigger={<Button kind="quiet" className="px-1" aria-label="Bring in references">+ ▾</Button>}
          items={[
            { label: "Pictures and tables…", run: () => choose(null) },
            { label: "This frame", disabled: !shot, run: () => told(keepFrame(null)) },
            null,
            { label: "New board", run: () => told(attempt(() => api.createScene(production.id, `Board ${boards.length + 1}`, true))) },
          ]}
        />
        <FileInput ref={file} label="Reference files" accept={["image/*", ".exr", ".dpx", ".tif", ".tiff", ...TABLE_ENDINGS].join(",")} multiple onFiles={(files) => told(bring(into, files))} />
      </header>
      {boards.length === 0 && <Drop board={null} over={over} setOver={setOver}><p className="rounded border border-dashed border-edge p-3 text-faint">Drop or paste finished pictures and tables here: what the look should feel like.</p></Drop>}
      {boards.map((board) => {
        const stills = board.shots.filter((s) => has(s, board));
        const tables = board.tables.filter((t) => has(t, board));
        if (words.length > 0 && stills.length + tables.length === 0) return null;
        return (
          <Drop key={board.id} board={board.id} over={over} setOver={setOver}>
            <h4 className="truncate pb-0.5 text-faint">{board.name}</h4>
            <div className="grid grid-cols-3 gap-1.5" data-board={board.name}>
              {stills.map((s) => (
                <button key={s.id} type="button" aria-pressed={pinned?.id === s.id} title={s.note || s.name} onClick={() => onPin({ kind: "still", id: s.id })} className="flex min-w-0 flex-col gap-0.5 text-left">
                  <img alt="" src={stillPicture(s, 160)} className={`h-[52px] w-full border bg-pit object-contain ${pinned?.id === s.id ? "border-lantern" : "border-transparent"}`} />
                  <span className={`w-full truncate ${pinned?.id === s.id ? "text-bright" : "text-dim"}`}>{s.name}</span>
                </button>
              ))}
              {tables.map((t) => (
                <TableCard key={t.id} table={t} pressed={pinned?.id === t.id} onPress={() => onPin({ kind: "table", id: t.id })} />
              ))}
              {board.shots.length + board.tables.length === 0 && <p className="col-span-3 py-2 text-faint">Empty: drop pictures or tables here.</p>}
            </div>
          </Drop>
        );
      })}
    </section>
  );
}

function TableCard({ table, pressed, onPress }: { table: BoardTable; pressed: boolean; onPress: () => void }) {
  const reading = useTableReading(table);
  return (
    <button type="button" aria-pressed={pressed} title={table.note || `${table.name}: a table`} onClick={onPress} className="flex min-w-0 flex-col gap-0.5 text-left">
      <span className={`flex h-[52px] w-full border bg-pit ${pressed ? "border-lantern" : "border-transparent"}`}>{reading.data && <GreysPlot reading={reading.data} bare />}</span>
      <span className={`w-full truncate ${pressed ? "text-bright" : "text-dim"}`}>{table.name}</span>
    </button>
  );
}

/** Where files can be dropped. */
function Drop({ board, over, setOver, children }: { board: string | null; over: string | null; setOver: (to: string | null) => void; children: React.ReactNode }) {
  const own = board ?? "new";
  return (
    <div
      className={`mb-1 rounded border ${over === own ? "border-lantern" : "border-transparent"}`}
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        setOver(own);
      }}
      onDragLeave={(e) => !e.currentTarget.contains(e.relatedTarget as Node | null) && setOver(null)}
      onDrop={(e) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        e.stopPropagation();
        setOver(null);
        told(filesOf(e.dataTransfer).then((files) => bring(board, files)));
      }}
    >
      {children}
    </div>
  );
}
