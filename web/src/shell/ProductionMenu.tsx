/** The productions: go to another one, make, rename, copy, carry as one file, delete. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../data/client";
import { NameDialog } from "../ui/NameDialog";
import { keyOf, sendFile } from "../intake/sending";
import { refreshProduction, say, told, useSession } from "../session/session";
import { Confirm, Menu } from "../ui/controls";
import { counted } from "../ui/units";
import { DeletedDialog } from "./DeletedDialog";
import { listed } from "../ui/listed";

type Asking = "new" | "rename" | "copy" | "delete" | null;

const TITLES = { new: "New production", rename: "Rename production", copy: "Duplicate production" };
const ACTIONS = { new: "Create production", rename: "Rename production", copy: "Duplicate production" };

/** Brings a production file in. Gives the production. */
export async function bringProduction(chosen: File): Promise<{ id: string }> {
  const key = await keyOf(chosen, "production");
  await sendFile(chosen, key, new AbortController().signal, () => undefined);
  return api.importProduction(key);
}

/** What the page says after it was opened anew. */
const LATER = "dusky-lantern say";

/** Says what was left to be said before the page was opened anew. */
export function sayLater(): void {
  const left = sessionStorage.getItem(LATER);
  sessionStorage.removeItem(LATER);
  if (!left) return;
  const { notice, restore } = JSON.parse(left) as { notice: string; restore: string };
  const back = () => void api.restore("productions", restore).then(() => openProduction(restore)).catch(say);
  say(notice, { label: "Undo", run: back });
}

/** Opens a production from the beginning, so that nothing of the other one stays. */
export function openProduction(id: string): void {
  location.search = new URLSearchParams({ production: id, place: "footage" }).toString();
}

export function ProductionMenu() {
  const production = useSession((s) => s.production);
  const [asking, setAsking] = useState<Asking>(null);
  const [deleted, setDeleted] = useState(false);
  const file = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const all = useQuery({ queryKey: ["productions"], queryFn: api.productions });
  const id = production?.id ?? "";
  const named = async (text: string) => {
    const what = asking;
    setAsking(null);
    try {
      if (what === "rename") {
        await api.renameProduction(id, text);
        await refreshProduction();
      } else {
        const made = what === "copy" ? await api.duplicateProduction(id, text) : await api.createProduction(text);
        openProduction(made.id);
      }
      await client.invalidateQueries({ queryKey: ["productions"] });
    } catch (e) {
      say(e);
    }
  };
  const remove = async () => {
    try {
      await api.deleteProduction(id);
      sessionStorage.setItem(LATER, JSON.stringify({ notice: `Deleted “${production?.name ?? ""}”. It can be put back for 30 days.`, restore: id }));
      const left = (await api.productions())[0];
      if (left) openProduction(left.id);
      else location.assign("/");
    } catch (e) {
      say(e);
    }
  };
  const bring = async (chosen: File | undefined) => {
    if (!chosen) return;
    try {
      say(`“${chosen.name}” is coming in…`);
      openProduction((await bringProduction(chosen)).id);
    } catch (e) {
      say(e);
    }
  };
  const naming = asking && asking !== "delete" ? asking : null;
  const scenes = production?.scenes ?? [];
  const shots = scenes.reduce((sum, s) => sum + s.shots.length, 0);
  return (
    <>
      <Menu
        trigger={
          <button type="button" data-menu="production" aria-label={`Production: ${production?.name ?? "Dusky Lantern"}`} className="h-6 w-44 truncate max-[1150px]:w-32 rounded text-left text-value text-bright hover:bg-shelf">
            {production?.name ?? "Dusky Lantern"} <span className="text-faint">▾</span>
          </button>
        }
        items={[
          ...listed(all, "Productions", (p) => ({ label: p.name, hint: p.id === id ? "open" : "", current: p.id === id, run: () => p.id !== id && openProduction(p.id) })),
          null,
          { label: "New production…", run: () => setAsking("new") },
          { label: "Rename…", disabled: !id, run: () => setAsking("rename") },
          { label: "Duplicate…", disabled: !id, run: () => setAsking("copy") },
          { label: "Export as one file", disabled: !id, run: () => window.location.assign(`/api/productions/${id}/export`) },
          { label: "Bring in a production file…", run: () => file.current?.click() },
          null,
          { label: "Delete…", disabled: !id, run: () => setAsking("delete") },
          { label: "Deleted…", run: () => setDeleted(true) },
        ]}
      />
      <input ref={file} type="file" accept=".zip" tabIndex={-1} aria-label="Production file" className="hidden" onChange={(e) => told(bring(e.target.files?.[0]))} />
      {deleted && <DeletedDialog onClose={() => setDeleted(false)} />}
      <NameDialog
        key={asking ?? ""}
        title={naming ? TITLES[naming] : ""}
        label="Name of the production"
        open={naming !== null}
        start={asking === "rename" ? (production?.name ?? "") : asking === "copy" ? `${production?.name ?? ""} copy` : ""}
        action={naming ? ACTIONS[naming] : ""}
        onClose={() => setAsking(null)}
        onDone={(text) => told(named(text))}
      />
      <Confirm
        open={asking === "delete"}
        title={`Delete production “${production?.name ?? ""}”?`}
        action="Delete production"
        onClose={() => setAsking(null)}
        onDone={() => told(remove())}
      >
        {counted(scenes.length, "scene")} with {counted(shots, "shot")}, all trims, looks, versions and handoffs go with it. It can be put back for 30 days.
      </Confirm>
    </>
  );
}
