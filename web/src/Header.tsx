/** The head of the page: places, the look in hand, undo, versions. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Redo2, Undo2 } from "lucide-react";
import { useRef, useState } from "react";
import { api, Problem } from "./api/client";
import { ProductionMenu } from "./ProductionMenu";
import { useWork, type Saving } from "./state/work";
import { say, shotInHand, useSession } from "./state/session";
import { Button, Dialog, FileInput, Menu, TextField } from "./ui/controls";

const PLACES = [
  { id: "footage", title: "Footage" },
  { id: "balance", title: "Balance" },
  { id: "look", title: "Look" },
  { id: "handoff", title: "Handoff" },
] as const;

export function Header() {
  const place = useSession((s) => s.place);
  const set = useSession((s) => s.set);
  const [keeping, setKeeping] = useState(false);
  const working = place === "look" || place === "balance";
  return (
    <header className="flex h-10 shrink-0 items-center gap-4 border-b border-pit bg-wall px-4">
      <img src="/lantern.svg" alt="Dusky Lantern" className="h-5 w-5" />
      <ProductionMenu />
      <nav aria-label="Places" className="flex h-full gap-6">
        {PLACES.map((p) => (
          <button
            key={p.id}
            type="button"
            aria-current={place === p.id ? "page" : undefined}
            onClick={() => set({ place: p.id, playing: false })}
            className={`border-y-2 border-t-transparent text-value ${place === p.id ? "border-b-lantern text-bright" : "border-b-transparent text-dim hover:text-bright"}`}
          >
            {p.title}
          </button>
        ))}
      </nav>
      <div className="flex-1" />
      {place === "balance" ? <TrimOf /> : place !== "footage" && <Looks />}
      {working && (
        <>
          <SaveState />
          <UndoRedo />
        </>
      )}
      {place === "look" && <Button onClick={() => setKeeping(true)}>Save version</Button>}
      <ShelfButton />
      <KeepVersion key={String(keeping)} open={keeping} onClose={() => setKeeping(false)} />
    </header>
  );
}

function ShelfButton() {
  const open = useSession((s) => s.shelf);
  const set = useSession((s) => s.set);
  return (
    <Button kind="quiet" aria-expanded={open} onClick={() => set({ shelf: !open })}>
      Shelf {open ? "▾" : "▸"}
    </Button>
  );
}

/** What is being worked on in Balance. */
function TrimOf() {
  const shot = useSession(shotInHand);
  return <span className="max-w-60 truncate text-value text-bright">{shot ? `Trim of ${shot.name}` : "no shot"}</span>;
}

function Looks() {
  const production = useSession((s) => s.production?.id);
  const set = useSession((s) => s.set);
  const id = useWork((s) => s.look?.id);
  const title = useWork((s) => s.look?.name);
  const file = useRef<HTMLInputElement>(null);
  const [naming, setNaming] = useState<"new" | "rename" | "copy" | null>(null);
  const client = useQueryClient();
  const looks = useQuery({
    queryKey: ["looks", production],
    queryFn: () => (production ? api.looks(production) : Promise.resolve([])),
    enabled: production !== undefined,
  });
  const load = (look: string) => useWork.getState().load(look).catch((e: unknown) => set({ notice: String(e) }));
  const name = async (text: string) => {
    if (!production || !text.trim()) return;
    const what = naming;
    setNaming(null);
    if (what === "rename") {
      useWork.getState().edit("Rename look", (draft) => { draft.name = text.trim().slice(0, 200); });
      await useWork.getState().save();
    } else {
      try {
        const made = await api.createLook(production, text, what === "copy" ? (useWork.getState().document ?? undefined) : undefined);
        await load(made.id);
      } catch (e) {
        set({ notice: e instanceof Problem ? e.message : String(e) });
      }
    }
    await client.invalidateQueries({ queryKey: ["looks"] });
  };
  const remove = async () => {
    const other = looks.data?.find((l) => l.id !== id);
    if (!id || !other) return;
    await api.deleteLook(id);
    useWork.setState({ saving: "saved" });
    await load(other.id);
    await client.invalidateQueries({ queryKey: ["looks"] });
  };
  const bring = async (chosen: File) => {
    if (!production) return;
    try {
      const made = await api.importLook(production, chosen);
      await load(made.id);
      set({ notice: `${made.document.name} is in the production, with everything inside it.` });
      await client.invalidateQueries({ queryKey: ["looks"] });
    } catch (e) {
      set({ notice: e instanceof Problem ? e.message : String(e) });
    }
  };
  const titles = { new: "Name of the new look", rename: "Rename this look", copy: "Name of the copy" };
  return (
    <>
      <Menu
        trigger={
          <button type="button" aria-label="Look" className="max-w-52 truncate rounded px-2 py-1 text-value text-bright hover:bg-shelf">
            {title ?? "no look"} <span className="text-faint">▾</span>
          </button>
        }
        items={[
          ...(looks.data ?? []).map((l) => ({ label: l.name, hint: l.id === id ? "in hand" : "", run: () => void load(l.id) })),
          null,
          { label: "New look…", run: () => setNaming("new") },
          { label: "Copy this look…", disabled: !title, run: () => setNaming("copy") },
          { label: "Rename…", disabled: !title, run: () => setNaming("rename") },
          { label: "Keep on the Shelf", disabled: !title, run: () => void keepOnShelf().then(() => client.invalidateQueries({ queryKey: ["shelf"] })) },
          null,
          { label: "Save as a look file", disabled: !id, run: () => void saveFile(id) },
          { label: "Bring in a look file…", run: () => file.current?.click() },
          null,
          { label: "Delete this look", disabled: (looks.data?.length ?? 0) < 2, run: () => void remove() },
        ]}
      />
      <FileInput ref={file} label="Look file" accept=".json" onFile={(chosen) => void bring(chosen)} />
      <NameDialog
        key={naming ?? ""}
        title={naming ? titles[naming] : ""}
        open={naming !== null}
        start={naming === "rename" ? (title ?? "") : ""}
        action="Done"
        onClose={() => setNaming(null)}
        onDone={(text) => void name(text)}
      />
    </>
  );
}

/** Keeps the look in hand, as it stands, among the own looks on the Shelf. */
async function keepOnShelf(): Promise<void> {
  const { document } = useWork.getState();
  if (!document) return;
  try {
    await api.keepOnShelf("look", document);
    say(`“${document.name}” is on the Shelf`);
  } catch (e) {
    say(e);
  }
}

/** Saves what is still open, then hands the look out as one file. */
async function saveFile(id: string | undefined): Promise<void> {
  if (!id) return;
  await useWork.getState().save();
  const link = document.createElement("a");
  link.href = `/api/looks/${id}/file`;
  link.download = "";
  link.click();
}

const WORDS: Record<Saving, string> = {
  saved: "saved",
  unsaved: "…",
  saving: "saving",
  away: "not saved: server away",
  conflict: "changed in another window",
  refused: "not saved",
};

function SaveState() {
  const saving = useWork((s) => s.saving);
  const failure = useWork((s) => s.failure);
  const bad = saving === "away" || saving === "conflict" || saving === "refused";
  const word = (
    <span data-saving={saving} title={failure} className={`w-12 whitespace-nowrap ${bad ? "w-auto text-alarm" : "text-faint"}`}>
      {WORDS[saving]}
    </span>
  );
  if (saving !== "conflict") return word;
  return (
    <Menu
      trigger={<button type="button">{word}</button>}
      items={[
        { label: "Load what the other window saved", run: () => void useWork.getState().takeTheirs() },
        useWork.getState().kind === "look"
          ? { label: "Keep mine as a new look", run: () => void keepMine() }
          : { label: "Keep mine in its place", run: () => void winTrim() },
      ]}
    />
  );
}

async function keepMine() {
  const { document } = useWork.getState();
  const production = useSession.getState().production?.id;
  if (!document || !production) return;
  const made = await api.createLook(production, `${document.name} (mine)`, document);
  useWork.setState({ saving: "saved" });
  await useWork.getState().load(made.id);
}

/** Saves the trim in hand over what another window saved. */
async function winTrim() {
  const { id, document } = useWork.getState();
  if (!id || !document) return;
  const { revision } = await api.saveTrim(id, document.path);
  useWork.setState({ revision, saving: "saved", failure: "" });
}

function UndoRedo() {
  const undoes = useWork((s) => s.past.at(-1)?.label);
  const redoes = useWork((s) => s.future.at(-1)?.label);
  const { undo, redo } = useWork.getState();
  return (
    <div className="flex">
      <Button kind="quiet" aria-label="Undo" disabled={!undoes} title={undoes ? `Undo: ${undoes}` : ""} onClick={undo}>
        <Undo2 size={15} />
      </Button>
      <History />
      <Button kind="quiet" aria-label="Redo" disabled={!redoes} title={redoes ? `Redo: ${redoes}` : ""} onClick={redo}>
        <Redo2 size={15} />
      </Button>
    </div>
  );
}

/** The changes that can be taken back, newest first: pressing one goes back to before it. */
function History() {
  const past = useWork((s) => s.past);
  const newest = past.slice(-15).reverse();
  return (
    <Menu
      trigger={
        <Button kind="quiet" aria-label="What was done" className="px-0.5" disabled={past.length === 0}>
          ▾
        </Button>
      }
      items={newest.map((p, i) => ({ label: p.label, hint: i === 0 ? "last" : "", run: () => useWork.getState().undoTo(i + 1) }))}
    />
  );
}

export function NameDialog(props: {
  title: string;
  open: boolean;
  start: string;
  action: string;
  onClose: () => void;
  onDone: (text: string) => void;
}) {
  const [text, setText] = useState(props.start);
  return (
    <Dialog open={props.open} title={props.title} onClose={props.onClose}>
      <form
        className="flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          props.onDone(text);
        }}
      >
        <TextField label={props.title} autoFocus value={text} onChange={(e) => setText(e.target.value)} className="flex-1" />
        <Button type="submit" kind="main">
          {props.action}
        </Button>
      </form>
    </Dialog>
  );
}

/** Named versions: keep one, or go back to one. */
function KeepVersion({ open, onClose }: { open: boolean; onClose: () => void }) {
  const id = useWork((s) => s.id);
  const set = useSession((s) => s.set);
  const client = useQueryClient();
  const [text, setText] = useState("");
  const versions = useQuery({
    queryKey: ["versions", id],
    queryFn: () => (id ? api.versions(id) : Promise.resolve([])),
    enabled: open,
  });
  const keep = async () => {
    if (!id) return;
    try {
      await useWork.getState().save();
      const made = await api.keepVersion(id, text);
      set({ notice: `Kept as version ${made.number}.` });
      await client.invalidateQueries({ queryKey: ["versions", id] });
      onClose();
    } catch (e) {
      set({ notice: e instanceof Problem ? e.message : String(e) });
    }
  };
  const open_ = async (number: number) => {
    if (!id) return;
    const found = await api.version(id, number);
    useWork.getState().edit(`Back to version ${number}`, (draft) => Object.assign(draft, found.document));
    onClose();
  };
  return (
    <Dialog open={open} title="Save version" onClose={onClose}>
      <form
        className="flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          void keep();
        }}
      >
        <TextField label="Name of the version" autoFocus placeholder="a name, or nothing" value={text} onChange={(e) => setText(e.target.value)} className="flex-1" />
        <Button type="submit" kind="main">
          Keep
        </Button>
      </form>
      <ul className="mt-4 flex max-h-52 flex-col gap-1 overflow-y-auto" aria-label="Versions">
        {(versions.data ?? []).map((v) => (
          <li key={v.number} className="flex items-center gap-2">
            <span className="w-6 text-right text-faint">{v.number}</span>
            <span className="flex-1 truncate">{v.name}</span>
            <span className="text-faint">{new Date(v.saved_at * 1000).toLocaleDateString()}</span>
            <Button kind="quiet" onClick={() => void open_(v.number)}>
              go back to it
            </Button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
