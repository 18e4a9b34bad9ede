/** Which shots are selected in Footage, and what a click or a key makes of it. */
import { create } from "zustand";
import { shotsOf, useSession } from "../../session/session";

interface Selection {
  /** In the order of the production. */
  shots: string[];
  /** Where a row of Shift begins. */
  anchor: string | null;
  set: (shots: string[]) => void;
  /** Keeps what is still there. */
  keep: (there: string[]) => void;
}

export const useSelection = create<Selection>((set, get) => ({
  shots: [],
  anchor: null,
  set: (shots) => {
    const next = ordered(shots);
    const now = get().shots;
    // While a rectangle is dragged, most of its moves select nothing new.
    if (next.length !== now.length || next.some((s, i) => s !== now[i])) set({ shots: next });
  },
  keep: (there) => {
    const those = new Set(there);
    const left = get().shots.filter((s) => those.has(s));
    if (left.length !== get().shots.length) set({ shots: left });
  },
}));

function all(): string[] {
  return shotsOf(useSession.getState().production).map((s) => s.id);
}

function ordered(shots: string[]): string[] {
  const chosen = new Set(shots);
  return all().filter((s) => chosen.has(s));
}

const sets = new WeakMap<string[], Set<string>>();

/** Whether a shot is selected. */
export function useMarked(shot: string): boolean {
  return useSelection(({ shots }) => {
    let set = sets.get(shots);
    if (!set) {
      set = new Set(shots);
      sets.set(shots, set);
    }
    return set.has(shot);
  });
}

/** Selects one more, or lets it go. */
export function flip(shot: string): void {
  const { shots } = useSelection.getState();
  const next = shots.includes(shot) ? shots.filter((s) => s !== shot) : [...shots, shot];
  useSelection.setState({ shots: ordered(next), anchor: shot });
}

/** Selects from the last one to this one. */
export function upTo(shot: string): void {
  const { anchor, shots } = useSelection.getState();
  const row = all();
  const [from, to] = [row.indexOf(anchor ?? shots.at(-1) ?? shot), row.indexOf(shot)];
  const between = row.slice(Math.min(from, to), Math.max(from, to) + 1);
  useSelection.setState({ shots: ordered([...shots, ...between]) });
}

/** Keys of the place: Ctrl A selects all, Escape none, Delete asks. */
export function picking(e: KeyboardEvent): void {
  const on = e.target as Element;
  const elsewhere = on.closest("[role=dialog], [role=menu]") !== null || (on instanceof HTMLInputElement && on.type !== "checkbox");
  if (elsewhere || e.defaultPrevented) return;
  const { shots, set } = useSelection.getState();
  if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "a") set(all());
  else if (e.key === "Escape" && shots.length > 0) set([]);
  else if (e.key === "Delete" && shots.length > 0) document.querySelector<HTMLButtonElement>("[data-delete-selected]")?.click();
  else return;
  e.preventDefault();
}
