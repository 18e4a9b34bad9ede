/** The look being edited: its document, undo, saving. The one place that holds it. */
import { produce } from "immer";
import { create } from "zustand";
import { api, Problem, type Look, type Step } from "../api/client";

export type Saving = "saved" | "unsaved" | "saving" | "away" | "conflict" | "refused";

interface Past {
  label: string;
  document: Look;
}

interface LookState {
  id: string | null;
  revision: number;
  document: Look | null;
  past: Past[];
  future: Past[];
  /** Key of the gesture that the newest entry of `past` belongs to. */
  gesture: string | null;
  /** Whether something is being dragged right now. */
  dragging: boolean;
  saving: Saving;
  failure: string;
  step: string | null;

  load: (id: string) => Promise<void>;
  /** Changes the document. Edits of one gesture (a drag) are one undo. */
  edit: (label: string, change: (draft: Look) => void, gesture?: string) => void;
  endGesture: () => void;
  undo: () => void;
  redo: () => void;
  select: (step: string | null) => void;
  save: () => Promise<void>;
  takeTheirs: () => Promise<void>;
}

const SAVE_AFTER = 500;
const MOST_UNDO = 300;
let timer: number | undefined;

export const useLook = create<LookState>((set, get) => {
  function saveSoon() {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void get().save(), SAVE_AFTER);
  }

  /** Steps through history: from one list to the other. */
  function travel(from: "past" | "future", to: "past" | "future") {
    const { document, [from]: list, [to]: other } = get();
    const entry = list.at(-1);
    if (!document || !entry) return;
    set({
      document: entry.document,
      [from]: list.slice(0, -1),
      [to]: [...other, { label: entry.label, document }],
      gesture: null,
      dragging: false,
      saving: "unsaved",
    });
    saveSoon();
  }

  return {
    id: null,
    revision: 0,
    document: null,
    past: [],
    future: [],
    gesture: null,
    dragging: false,
    saving: "saved",
    failure: "",
    step: null,

    load: async (id) => {
      if (get().saving === "unsaved") await get().save();
      const found = await api.look(id);
      const step = found.document.path.steps[0]?.id ?? null;
      set({ id, revision: found.revision, document: found.document, past: [], future: [], gesture: null, step });
      set({ saving: "saved", failure: "" });
    },

    edit: (label, change, gesture) => {
      const { document, past, gesture: running } = get();
      if (!document) return;
      // Untouched steps keep their identity, so that a drag draws anew only what it changes.
      const changed = produce(document, (draft) => void change(draft));
      const goesOn = gesture !== undefined && gesture === running;
      const grown = goesOn ? past : [...past, { label, document }].slice(-MOST_UNDO);
      set({
        document: changed,
        past: grown,
        future: [],
        gesture: gesture ?? null,
        dragging: gesture !== undefined,
        saving: "unsaved",
      });
      saveSoon();
    },

    endGesture: () => set({ gesture: null, dragging: false }),
    undo: () => travel("past", "future"),
    redo: () => travel("future", "past"),
    select: (step) => set({ step }),

    save: async () => {
      const { id, revision, document, saving } = get();
      if (!id || !document || saving === "saved" || saving === "saving" || saving === "conflict") return;
      set({ saving: "saving" });
      try {
        const saved = await api.saveLook(id, revision, document);
        const unchanged = get().document === document;
        set({ revision: saved.revision, saving: unchanged ? "saved" : "unsaved", failure: "" });
        if (!unchanged) saveSoon();
      } catch (e) {
        const problem = e instanceof Problem ? e : new Problem(500, String(e));
        const kinds: Record<number, Saving> = { 0: "away", 409: "conflict" };
        set({ saving: kinds[problem.status] ?? "refused", failure: problem.message });
        if (problem.status === 0) saveSoon();
      }
    },

    takeTheirs: async () => {
      const { id } = get();
      set({ saving: "saved" });
      if (id) await get().load(id);
    },
  };
});

/** The step in hand, where there is one. */
export function stepInHand(state: LookState): Step | undefined {
  return state.document?.path.steps.find((s) => s.id === state.step);
}

/** Changes one value of a step. */
export function setValue(step: string, field: string, title: string, value: unknown, gesture?: string): void {
  useLook.getState().edit(
    title,
    (draft) => {
      const found = draft.path.steps.find((s) => s.id === step);
      if (found) (found.values as Record<string, unknown>)[field] = value;
    },
    gesture && `${step}/${gesture}`,
  );
}
