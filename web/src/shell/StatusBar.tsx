/** The line at the foot of the page: what lies under the pointer, what was just said, and the way to all keys. */
import { useEffect } from "react";
import { preview } from "../preview/preview";
import { Readout } from "../picture/Readout";
import { placeOf } from "../places/registry";
import { say, useSession } from "../session/session";
import { useWork, type Left } from "../document/work";
import { Button } from "../ui/controls";

const NOTICE_TIME = 8000;

export function StatusBar() {
  const place = useSession((s) => s.place);
  const open = useSession((s) => s.production !== null);
  const set = useSession((s) => s.set);
  return (
    <footer aria-label="Status" className="flex h-6 shrink-0 items-center gap-4 overflow-hidden border-t border-pit bg-wall px-3 whitespace-nowrap text-dim">
      <div className="flex min-w-0 flex-1 gap-4 overflow-hidden">
        {!open ? null : place === "look" || place === "balance" ? <Readout hints={placeOf(place).hints} /> : placeOf(place).hints.map((h) => <span key={h}>{h}</span>)}
      </div>
      <LeftUnsaved />
      <Notice />
      <Button kind="quiet" aria-label="All keys" title="All keys (?)" className="h-5 px-1.5" onClick={() => set({ keys: true })}>
        ? keys
      </Button>
    </footer>
  );
}

/** Says which documents were left before their changes were saved, and leads there. */
function LeftUnsaved() {
  const left = useWork((s) => s.left);
  const waiting = left.filter((d) => d.saving === "conflict" || d.saving === "refused" || d.saving === "away");
  useEffect(() => {
    if (waiting.length === 0) return;
    const stay = (e: BeforeUnloadEvent) => e.preventDefault();
    window.addEventListener("beforeunload", stay);
    return () => window.removeEventListener("beforeunload", stay);
  }, [waiting.length]);
  const [first] = waiting;
  if (!first) return null;
  return (
    <Button kind="quiet" data-left={first.saving} title={first.failure} className="h-5 max-w-[40%] truncate px-1.5 text-alarm!" onClick={() => void goTo(first).catch(say)}>
      “{first.name}” has changes that are not saved{waiting.length > 1 ? `, and ${waiting.length - 1} more` : ""}
    </Button>
  );
}

async function goTo({ kind, id }: Left): Promise<void> {
  const { show, set } = useSession.getState();
  if (kind === "trim") {
    show(id);
    set({ place: "balance" });
    return;
  }
  await useWork.getState().load(id);
  set({ place: "look" });
}

function Notice() {
  const notice = useSession((s) => s.notice);
  const action = useSession((s) => s.action);
  const set = useSession((s) => s.set);
  useEffect(() => preview.problems.add((detail) => set({ notice: detail })), [set]);
  useEffect(() => {
    if (!notice) return;
    const timer = window.setTimeout(() => set({ notice: "", action: null }), NOTICE_TIME);
    return () => window.clearTimeout(timer);
  }, [notice, set]);
  return (
    <div role="status" data-notice={notice ? true : undefined} className="flex max-w-[70%] min-w-0 items-center gap-2 text-bright">
      <span className="truncate" title={notice}>
        {notice}
      </span>
      {notice && action && (
        <Button
          kind="quiet"
          className="h-5 text-lantern!"
          onClick={() => {
            set({ notice: "", action: null });
            action.run();
          }}
        >
          {action.label}
        </Button>
      )}
    </div>
  );
}
