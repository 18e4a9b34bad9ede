/** What is on its way in, and what was refused. */
import { Button } from "../../ui/controls";
import { useDrawn } from "../../intake/drawn";
import { useIncoming } from "../../intake/incoming";

export function Coming() {
  const list = useDrawn();
  const { dismiss, stop, again } = useIncoming.getState();
  if (list.length === 0) return null;
  return (
    <aside aria-label="Coming in" className="sticky bottom-0 z-20 mt-3 ml-auto w-[420px] rounded border border-edge bg-shelf p-3 shadow-xl">
      {list.slice(0, 8).map((u) => {
        const halted = u.failure !== "" || u.stopped;
        return (
          <div key={u.id} className="flex items-center gap-3 py-1" data-incoming={u.failure ? "refused" : u.stopped ? "stopped" : "sending"}>
            <span className={`min-w-0 flex-1 ${u.failure ? "text-alarm" : "truncate"}`}>
              {u.failure || u.name}
              {!u.failure && u.of > 1 && ` · ${u.at} of ${u.of}`}
            </span>
            {!halted && <progress aria-label={`Progress of ${u.name}`} value={u.sent} className="h-1 w-24 accent-lantern" />}
            {halted && (
              <Button kind="quiet" onClick={() => again(u.id)}>
                Go on
              </Button>
            )}
            <Button kind="quiet" onClick={() => (halted ? dismiss(u.id) : stop(u.id))}>
              {halted ? "Dismiss" : "Stop"}
            </Button>
          </div>
        );
      })}
      {list.length > 8 && <p className="text-faint">and {list.length - 8} more</p>}
    </aside>
  );
}
