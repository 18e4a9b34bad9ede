/** Undo and redo, and the changes that can be taken back. */
import { Redo2, Undo2 } from "lucide-react";
import { useWork } from "../document/work";
import { Button, Menu } from "../ui/controls";

export function UndoRedo() {
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
