/** All keys on one sheet. */
import { useSession } from "../session/session";
import { Dialog } from "../ui/controls";

const KEYS: { title: string; keys: [string, string][] }[] = [
  {
    title: "Everywhere",
    keys: [
      ["?", "this sheet"],
      ["Esc", "closes or ends what was opened last"],
      ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
      ["Tab, Shift Tab", "next control, the one before"],
    ],
  },
  {
    title: "Seeing, in Balance and Look",
    keys: [
      ["A (hold)", "the untouched shot"],
      ["V (hold)", "the last saved version"],
      ["S, D (hold)", "bypass the step, the group"],
      ["M (hold)", "rest on middle grey"],
      ["F", "the shot before, to and fro"],
      ["Page Up, Page Down", "shot before, next shot"],
      ["← →", "frame before, next frame"],
      ["P", "play, pause"],
      ["I, O", "first frame, last frame"],
      ["Z", "fit, pixel for pixel"],
      ["K", "loupe (Look)"],
      ["U", "surround"],
      ["W", "picture over the whole window"],
    ],
  },
  {
    title: "Steps on the path",
    keys: [
      ["Ctrl or Shift and click", "select several"],
      ["F2", "rename"],
      ["Del", "delete"],
      ["Ctrl D", "duplicate"],
      ["Alt ↑, Alt ↓", "move up, move down"],
      ["Ctrl C, X, V", "copy, cut, paste"],
      ["Ctrl G", "group, ungroup"],
      ["R, G, B, L", "printer points while Print is selected; with Shift down"],
    ],
  },
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
    <Dialog open={open} wide title="All keys" onClose={() => set({ keys: false })}>
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
