/** All keys on one sheet. */
import { rowsOf } from "../commands/keymap";
import { useSession } from "../session/session";
import { Dialog } from "../ui/controls";

const KEYS: { title: string; keys: [string, string][] }[] = [
  { title: "Everywhere", keys: [...rowsOf("Everywhere"), ["Tab, Shift Tab", "next control, the one before"]] },
  { title: "Seeing, in Balance and Look", keys: rowsOf("Seeing, in Balance and Look") },
  { title: "Steps on the path", keys: [["Ctrl or Shift and click", "select several"], ...rowsOf("Steps on the path")] },
  {
    title: "Values",
    keys: [
      ["← →", "one step; with Shift ten, with Alt a tenth"],
      ["Home, End", "lowest, highest"],
      ["Del, double click", "reset"],
      ["Enter on the number", "type a value"],
    ],
  },
  {
    title: "Footage",
    keys: [
      ["Ctrl and click", "select one more"],
      ["Shift and click", "select up to there"],
      ["drag on the ground", "select what lies inside"],
      ["Ctrl A", "select all"],
      ["Alt and arrows on the handle", "move a shot or a scene"],
      ["Del", "delete the selected shots"],
    ],
  },
];

export function KeysSheet() {
  const open = useSession((s) => s.keys);
  const set = useSession((s) => s.set);
  return (
    <Dialog open={open} wide reading title="All keys" onClose={() => set({ keys: false })}>
      <div className="grid grid-cols-2 gap-x-8 gap-y-4 max-[760px]:grid-cols-1">
        {KEYS.map((part) => (
          <section key={part.title} aria-label={part.title}>
            <h3 className="pb-1 text-bright">{part.title}</h3>
            <dl className="grid grid-cols-[170px_1fr] gap-x-3 gap-y-0.5">
              {part.keys.map(([key, what]) => (
                <div key={key} className="contents">
                  <dt className="text-text">{key}</dt>
                  <dd className="text-dim">{what}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
    </Dialog>
  );
}
