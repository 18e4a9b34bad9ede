/** What was deleted and can still be put back, or deleted for good. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Deleted } from "../data/client";
import { useWork } from "../document/work";
import { refreshProduction, say, told, useSession } from "../session/session";
import { Button, Confirm, Dialog } from "../ui/controls";
import { counted } from "../ui/units";

const WHAT: Record<Deleted["sort"], string> = {
  productions: "Production",
  scenes: "Scene",
  shots: "Shot",
  looks: "Look",
  plans: "Delivery plan",
  packages: "Package",
  "board-tables": "Table on a board",
};

/** What comes back with something. */
function holds({ sort, holds: count }: Deleted): string {
  if (sort === "productions" || sort === "scenes") return `with ${counted(count, "shot")}`;
  if (sort === "shots") return count > 0 ? `with ${counted(count, "step")} of its trim` : "";
  return sort === "looks" ? `with ${counted(count, "version")}` : "";
}

const DAY = 24 * 3600;

/** How long something can still be put back. */
function left(until: number): string {
  const days = Math.max(0, Math.floor((until - Date.now() / 1000) / DAY));
  return days === 0 ? "less than a day left" : `${counted(days, "day")} left`;
}

export function DeletedDialog({ onClose }: { onClose: () => void }) {
  const production = useSession((s) => s.production?.id);
  const client = useQueryClient();
  const [busy, setBusy] = useState("");
  const [asked, setAsked] = useState<Deleted | null>(null);
  const list = useQuery({
    queryKey: ["deleted", production],
    queryFn: async () => [...(production ? await api.deleted(production) : []), ...(await api.deletedProductions())],
    staleTime: 0,
  });
  const change = async (line: Deleted, does: () => Promise<unknown>, says: string) => {
    setBusy(line.id);
    try {
      await does();
      say(says);
      await refreshProduction();
      await client.invalidateQueries();
      // Where no look was left, the one that is back is taken in hand.
      if (line.sort === "looks" && !useWork.getState().look) await useWork.getState().load(line.id);
    } catch (e) {
      say(e);
    }
    setBusy("");
  };
  const back = (line: Deleted) => change(line, () => api.restore(line.sort, line.id), `“${line.name}” is back.`);
  const forget = (line: Deleted) => change(line, () => api.forget(line.sort, line.id), `“${line.name}” was deleted for good.`);
  return (
    <>
      <Dialog open wide title="Deleted" onClose={onClose} footer={<Button onClick={onClose}>Close</Button>}>
        {list.isPending && <p className="py-4 text-faint">Loading…</p>}
        {list.isError && (
          <p role="alert" className="flex items-center gap-3 py-4 text-alarm">
            What was deleted could not be loaded: {list.error.message}
            <Button onClick={() => told(list.refetch())}>Try again</Button>
          </p>
        )}
        {list.data?.length === 0 && <p className="py-4 text-dim">Nothing was deleted in the last 30 days.</p>}
        <ul aria-label="Deleted" className="flex flex-col">
          {list.data?.map((line) => (
            <li key={line.id} data-deleted={line.name} className="flex items-center gap-3 border-b border-shelf py-1.5">
              <span className="w-28 shrink-0 text-faint">{WHAT[line.sort]}</span>
              <span className="min-w-0 flex-1">
                <span className="block truncate text-bright">{line.name}</span>
                <span className="block truncate text-faint">
                  {[line.within && `of ${line.within}`, holds(line), `deleted ${new Date(line.deleted_at * 1000).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" })}`].filter(Boolean).join(" · ")}
                </span>
              </span>
              <span className="shrink-0 text-dim">{left(line.until)}</span>
              <Button disabled={busy !== ""} aria-label={`Put back ${line.name}`} onClick={() => told(back(line))}>
                Put back
              </Button>
              <Button kind="quiet" disabled={busy !== ""} aria-label={`Delete ${line.name} for good`} onClick={() => setAsked(line)}>
                Delete for good…
              </Button>
            </li>
          ))}
        </ul>
      </Dialog>
      {asked && (
        <Confirm open title={`Delete “${asked.name}” for good?`} action="Delete for good" onClose={() => setAsked(null)} onDone={() => told(forget(asked))}>
          {WHAT[asked.sort]} {holds(asked)} cannot be put back after this. Files that nothing else uses are taken from the disk.
        </Confirm>
      )}
    </>
  );
}
