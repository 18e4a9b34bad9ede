/** The productions: go to another one, make, rename, copy, carry as one file, delete. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "./api/client";
import { NameDialog } from "./Header";
import { sendFile } from "./places/footage/incoming";
import { refreshProduction, say, useSession } from "./state/session";
import { Button, Dialog, Menu } from "./ui/controls";

type Asking = "new" | "rename" | "copy" | "delete" | null;

const TITLES = { new: "Name of the new production", rename: "Rename this production", copy: "Name of the copy" };

/** Opens a production from the beginning, so that nothing of the other one stays. */
function open(id: string): void {
  location.search = new URLSearchParams({ production: id, place: "footage" }).toString();
}

export function ProductionMenu() {
  const production = useSession((s) => s.production);
  const [asking, setAsking] = useState<Asking>(null);
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
        open(made.id);
      }
      await client.invalidateQueries({ queryKey: ["productions"] });
    } catch (e) {
      say(e);
    }
  };
  const remove = async () => {
    try {
      await api.deleteProduction(id);
      const left = (await api.productions())[0];
      if (left) open(left.id);
      else location.search = "";
    } catch (e) {
      say(e);
    }
  };
  const bring = async (chosen: File | undefined) => {
    if (!chosen) return;
    try {
      say(`“${chosen.name}” is coming in…`);
      const key = await sendFile(chosen, "production", new AbortController().signal, () => undefined);
      open((await api.importProduction(key)).id);
    } catch (e) {
      say(e);
    }
  };
  const title = asking && asking !== "delete" ? TITLES[asking] : "";
  return (
    <>
      <Menu
        trigger={
          <button type="button" aria-label="Production" className="w-44 truncate rounded text-left text-value text-bright hover:bg-shelf">
            {production?.name ?? "Dusky Lantern"} <span className="text-faint">▾</span>
          </button>
        }
        items={[
          ...(all.data ?? []).map((p) => ({ label: p.name, hint: p.id === id ? "open" : "", run: () => p.id !== id && open(p.id) })),
          null,
          { label: "New production…", run: () => setAsking("new") },
          { label: "Rename…", disabled: !id, run: () => setAsking("rename") },
          { label: "Duplicate…", disabled: !id, run: () => setAsking("copy") },
          { label: "Export as one file", disabled: !id, run: () => window.location.assign(`/api/productions/${id}/export`) },
          { label: "Bring a production in…", run: () => file.current?.click() },
          null,
          { label: "Delete…", disabled: !id, run: () => setAsking("delete") },
        ]}
      />
      <input ref={file} type="file" accept=".zip" tabIndex={-1} aria-label="Production file" className="hidden" onChange={(e) => void bring(e.target.files?.[0])} />
      <NameDialog
        key={asking ?? ""}
        title={title}
        open={title !== ""}
        start={asking === "rename" ? (production?.name ?? "") : asking === "copy" ? `${production?.name ?? ""} copy` : ""}
        action="Done"
        onClose={() => setAsking(null)}
        onDone={(text) => void named(text)}
      />
      <Dialog open={asking === "delete"} title={`Delete ${production?.name ?? ""}?`} onClose={() => setAsking(null)}>
        <p className="mb-3 text-dim">All its scenes, shots, trims, looks and handoffs go. Export it as one file first to keep them.</p>
        <Button kind="main" onClick={() => void remove()}>
          Delete
        </Button>
      </Dialog>
    </>
  );
}
