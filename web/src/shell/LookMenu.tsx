/** The look in hand, and what can be done with looks as a whole. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, Problem } from "../data/client";
import { useWork } from "../document/work";
import { say, told, useSession } from "../session/session";
import { Confirm, FileInput, Menu } from "../ui/controls";
import { listed } from "../ui/listed";
import { NameDialog } from "../ui/NameDialog";

export function LookMenu() {
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
          ...listed(looks, "Looks", (l) => ({ label: l.name, hint: l.id === id ? "open" : "", current: l.id === id, run: () => told(load(l.id)) })),
          null,
          { label: "New look…", run: () => setNaming("new") },
          { label: "Copy this look…", disabled: !title, run: () => setNaming("copy") },
          { label: "Rename…", disabled: !title, run: () => setNaming("rename") },
          { label: "Put on the Shelf", disabled: !title, run: () => told(keepOnShelf().then(() => client.invalidateQueries({ queryKey: ["shelf"] })) )},
          null,
          { label: "Download look file", disabled: !id, run: () => told(saveFile(id) )},
          { label: "Bring in a look file…", run: () => file.current?.click() },
          null,
          { label: "Delete this look…", disabled: !id, run: () => setDeleting(true) },
        ]}
      />
      <FileInput ref={file} label="Look file" accept=".json" onFile={(chosen) => told(bring(chosen))} />
      <NameDialog
        key={naming ?? ""}
        title={naming ? titles[naming] : ""}
        label="Name of the look"
        open={naming !== null}
        start={naming === "rename" ? (title ?? "") : naming === "copy" ? `${title ?? ""} copy` : ""}
        action={naming ? actions[naming] : ""}
        onClose={() => setNaming(null)}
        onDone={(text) => told(name(text))}
      />
      <Confirm open={deleting} title={`Delete look “${title ?? ""}”?`} action="Delete look" onClose={() => setDeleting(false)} onDone={() => told(remove())}>
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
