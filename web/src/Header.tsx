/** The head of the page: places, the look in hand, undo, versions. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Redo2, Undo2 } from "lucide-react";
import { useId, useRef, useState } from "react";
import { api, Problem } from "./api/client";
import { ProductionMenu } from "./ProductionMenu";
import { refusedName } from "./ui/units";
import { useWork, type Saving } from "./state/work";
import { say, shotInHand, useSession } from "./state/session";
import { Button, Confirm, Dialog, FileInput, Menu, TextField } from "./ui/controls";

const PLACES = [
  { id: "footage", title: "Footage" },
  { id: "balance", title: "Balance" },
  { id: "look", title: "Look" },
  { id: "handoff", title: "Handoff" },
] as const;

export function Header() {
  const place = useSession((s) => s.place);
  const set = useSession((s) => s.set);
  const [saving, setSaving] = useState(false);
  const open = useSession((s) => s.production !== null);
  const working = place === "look" || place === "balance";
  return (
    <header className="flex h-10 shrink-0 items-center gap-4 border-b border-pit bg-wall px-4 max-[1150px]:gap-2 max-[1150px]:px-2">
      <img src="/lantern.svg" alt="Dusky Lantern" className="h-5 w-5" />
      <ProductionMenu />
      {open && (
      <nav aria-label="Places" className="flex h-full gap-6 max-[1150px]:gap-4">
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
      )}
      <div className="flex-1" />
      {!open ? null : place === "balance" ? <TrimOf /> : place !== "footage" && <Looks />}
      {open && working && (
        <>
          <SaveState />
          <UndoRedo />
        </>
      )}
      {open && place === "look" && <Versions onSave={() => setSaving(true)} />}
      {open && <ShelfButton />}
      <SaveVersion key={String(saving)} open={saving} onClose={() => setSaving(false)} />
    </header>
  );
}

function ShelfButton() {
  const open = useSession((s) => s.shelf);
  const set = useSession((s) => s.set);
  return (
    <Button kind="quiet" aria-expanded={open} data-shelf-button onClick={() => set({ shelf: !open })}>
      Shelf {open ? "▾" : "▸"}
    </Button>
  );
}

/** What is being worked on in Balance. */
function TrimOf() {
  const shot = useSession(shotInHand);
  return <span className="max-w-60 truncate text-value text-bright">{shot ? `Trim of ${shot.name}` : "No shot"}</span>;
}

function Looks() {
  const production = useSession((s) => s.production?.id);
  const set = useSession((s) => s.set);
  const id = useWork((s) => s.look?.id);
  const title = useWork((s) => s.look?.name);
  const file = useRef<HTMLInputElement>(null);
  const [naming, setNaming] = useState<"new" | "rename" | "copy" | null>(null);
  const [deleting, setDeleting] = useState(false);
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
    if (!id) return;
    try {
      await useWork.getState().save();
      await api.deleteLook(id);
      if (other) await load(other.id);
      else useWork.getState().drop();
      await client.invalidateQueries({ queryKey: ["looks"] });
      const back = async () => {
        await api.restore("looks", id);
        await load(id);
        await client.invalidateQueries({ queryKey: ["looks"] });
      };
      say(`Deleted “${title ?? ""}”. It can be put back for 30 days.`, { label: "Undo", run: () => void back().catch(say) });
    } catch (e) {
      say(e);
    }
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
  const titles = { new: "New look", rename: "Rename look", copy: "Copy look" };
  const actions = { new: "Create look", rename: "Rename look", copy: "Copy look" };
  return (
    <>
      <Menu
        trigger={
          <button type="button" data-menu="look" aria-label={`Look: ${title ?? "No look"}`} className="h-6 max-w-52 truncate rounded px-2 text-value text-bright hover:bg-shelf">
            {title ?? "No look"} <span className="text-faint">▾</span>
          </button>
        }
        items={[
          ...(looks.data ?? []).map((l) => ({ label: l.name, hint: l.id === id ? "open" : "", run: () => void load(l.id) })),
          null,
          { label: "New look…", run: () => setNaming("new") },
          { label: "Copy this look…", disabled: !title, run: () => setNaming("copy") },
          { label: "Rename…", disabled: !title, run: () => setNaming("rename") },
          { label: "Put on the Shelf", disabled: !title, run: () => void keepOnShelf().then(() => client.invalidateQueries({ queryKey: ["shelf"] })) },
          null,
          { label: "Download look file", disabled: !id, run: () => void saveFile(id) },
          { label: "Bring in a look file…", run: () => file.current?.click() },
          null,
          { label: "Delete this look…", disabled: !id, run: () => setDeleting(true) },
        ]}
      />
      <FileInput ref={file} label="Look file" accept=".json" onFile={(chosen) => void bring(chosen)} />
      <NameDialog
        key={naming ?? ""}
        title={naming ? titles[naming] : ""}
        label="Name of the look"
        open={naming !== null}
        start={naming === "rename" ? (title ?? "") : naming === "copy" ? `${title ?? ""} copy` : ""}
        action={naming ? actions[naming] : ""}
        onClose={() => setNaming(null)}
        onDone={(text) => void name(text)}
      />
      <Confirm open={deleting} title={`Delete look “${title ?? ""}”?`} action="Delete look" onClose={() => setDeleting(false)} onDone={() => void remove()}>
        Its versions and handoffs go with it. It can be put back for 30 days.
      </Confirm>
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
        <Button kind="quiet" aria-label="History" className="min-w-6 px-0.5" disabled={past.length === 0}>
          ▾
        </Button>
      }
      items={newest.map((p, i) => ({ label: p.label, hint: i === 0 ? "last" : "", run: () => useWork.getState().undoTo(i + 1) }))}
    />
  );
}

export function NameDialog(props: {
  title: string;
  /** What is named, for the field. */
  label: string;
  open: boolean;
  start: string;
  /** The button's words. */
  action: string;
  onClose: () => void;
  onDone: (text: string) => void;
}) {
  const [text, setText] = useState(props.start);
  const [wrong, setWrong] = useState("");
  const form = useId();
  return (
    <Dialog
      open={props.open}
      title={props.title}
      onClose={props.onClose}
      footer={
        <>
          <Button onClick={props.onClose}>Cancel</Button>
          <Button type="submit" form={form} kind="main">
            {props.action}
          </Button>
        </>
      }
    >
      <form
        id={form}
        className="flex flex-col gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          const why = refusedName(text);
          setWrong(why);
          if (!why) props.onDone(text.trim());
        }}
      >
        <TextField label={props.label} placeholder={props.label} aria-invalid={wrong !== ""} autoFocus value={text} onChange={(e) => setText(e.target.value)} />
        {wrong && (
          <p role="alert" className="text-alarm">
            {wrong}
          </p>
        )}
      </form>
    </Dialog>
  );
}

/** The look's versions: save one, or go back to one. */
function Versions({ onSave }: { onSave: () => void }) {
  const id = useWork((s) => s.look?.id ?? null);
  const client = useQueryClient();
  const versions = useQuery({
    queryKey: ["versions", id],
    queryFn: () => (id ? api.versions(id) : Promise.resolve([])),
    enabled: id !== null,
  });
  const back = async (number: number) => {
    if (!id) return;
    try {
      const found = await api.version(id, number);
      useWork.getState().edit(`Back to version ${number}`, (draft) => Object.assign(draft, found.document));
      say(`The look is as in version ${number} again.`, { label: "Undo", run: () => useWork.getState().undo() });
    } catch (e) {
      say(e);
    }
    await client.invalidateQueries({ queryKey: ["versions", id] });
  };
  const list = versions.data ?? [];
  return (
    <div className="flex">
      <Button disabled={!id} onClick={onSave}>
        Save version…
      </Button>
      <Menu
        trigger={
          <Button kind="quiet" data-menu="versions" aria-label={`Versions: ${list.length}`} className="px-1" disabled={list.length === 0} title="Go back to a version">
            {list.length} ▾
          </Button>
        }
        items={list.map((v) => ({
          label: `Go back to ${v.number} · ${v.name}`,
          hint: new Date(v.saved_at * 1000).toLocaleDateString(),
          run: () => void back(v.number),
        }))}
      />
    </div>
  );
}

/** Saves the look as it stands as a version. */
function SaveVersion({ open, onClose }: { open: boolean; onClose: () => void }) {
  const id = useWork((s) => s.id);
  const client = useQueryClient();
  const [text, setText] = useState("");
  const form = useId();
  const save = async () => {
    if (!id) return;
    try {
      await useWork.getState().save();
      const made = await api.keepVersion(id, text);
      say(`Saved as version ${made.number}.`);
      await client.invalidateQueries({ queryKey: ["versions", id] });
      onClose();
    } catch (e) {
      say(e);
    }
  };
  return (
    <Dialog
      open={open}
      title="Save version"
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" form={form} kind="main">
            Save version
          </Button>
        </>
      }
    >
      <form
        id={form}
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        <TextField label="Name of the version" autoFocus placeholder="a name, or nothing" value={text} onChange={(e) => setText(e.target.value)} className="w-full" />
      </form>
    </Dialog>
  );
}
