/** The document in hand, a look or the trim of a shot: its path, undo, saving. The one place that holds it. */
import { produce } from "immer";
import { create } from "zustand";
import { api, Problem, type Look, type Path, type Step, type StepGroup } from "../api/client";
import { preview } from "../api/preview";
import { canonical, historyOf, keepHistory, type Past } from "./history";

export type Saving = "saved" | "unsaved" | "saving" | "away" | "conflict" | "refused";
export type Kind = "look" | "trim";

interface WorkState {
  /** What the document is; a trim's id is its shot's. */
  kind: Kind;
  id: string | null;
  revision: number;
  document: Look | null;
  /** The look that was in hand last, also while a trim is. */
  look: { id: string; name: string } | null;
  past: Past[];
  future: Past[];
  /** Key of the gesture that the newest entry of `past` belongs to. */
  gesture: string | null;
  /** Whether something is being dragged right now. */
  dragging: boolean;
  saving: Saving;
  failure: string;
  /** The step or group in hand. */
  step: string | null;
  /** Steps that are picked together; the one in hand is among them. */
  picked: string[];

  load: (id: string) => Promise<void>;
  loadTrim: (shot: string, name: string) => Promise<void>;
  /** Changes the document. Edits of one gesture (a drag) are one undo. */
  edit: (label: string, change: (draft: Look) => void, gesture?: string) => void;
  endGesture: () => void;
  undo: () => void;
  redo: () => void;
  select: (step: string | null) => void;
  /** Picks a step along with others, or lets it go. */
  pick: (step: string) => void;
  /** Goes back by several changes at once. */
  undoTo: (count: number) => void;
  save: () => Promise<void>;
  takeTheirs: () => Promise<void>;
  /** Lets the document go, where there is no other one to take. */
  drop: () => void;
}

const SAVE_AFTER = 500;
const MOST_UNDO = 300;
let timer: number | undefined;

/** Undo of documents that are not in hand, so that going from shot to shot and back loses none of it. */
const laidAside = new Map<string, { text: string; past: Past[]; future: Past[]; step: string | null }>();

export const useWork = create<WorkState>((set, get) => {
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

  /** Takes a document into the hand and lays the one before it aside with its undo. */
  async function take(kind: Kind, id: string, fetch: () => Promise<{ revision: number; document: Look }>) {
    if (get().saving === "unsaved") await get().save();
    const before = get();
    if (before.id && before.document) {
      const { past, future, step } = before;
      laidAside.set(`${before.kind} ${before.id}`, { text: canonical(before.document.path), past, future, step });
    }
    const found = await fetch();
    const key = `${kind} ${id}`;
    const kept = laidAside.get(key);
    // Undo belongs to the document as it was left: one that changed elsewhere since begins anew.
    const own = kept?.text === canonical(found.document.path) ? kept : await historyOf(key, found.document.path);
    const step = own?.step ?? found.document.path.steps[0]?.id ?? null;
    set({ kind, id, ...found, past: own?.past ?? [], future: own?.future ?? [], gesture: null, step, picked: [], saving: "saved", failure: "" });
    if (kind === "look") set({ look: { id, name: found.document.name } });
  }

  return {
    kind: "look",
    id: null,
    revision: 0,
    document: null,
    look: null,
    past: [],
    future: [],
    gesture: null,
    dragging: false,
    saving: "saved",
    failure: "",
    step: null,
    picked: [],

    load: (id) => take("look", id, () => api.look(id)),

    loadTrim: (shot, name) =>
      take("trim", shot, async () => {
        const { revision, path } = await api.trim(shot);
        return { revision, document: { version: 5, name, notes: "", tags: [], path } };
      }),

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
    select: (step) => set({ step, picked: [] }),
    pick: (id) => {
      const { step, picked } = get();
      const all = picked.length > 0 ? picked : step ? [step] : [];
      set(all.includes(id) ? { picked: all.filter((x) => x !== id) } : { step: id, picked: [...all, id] });
    },
    undoTo: (count) => {
      for (let i = 0; i < count; i += 1) travel("past", "future");
    },

    save: async () => {
      const { kind, id, revision, document, saving } = get();
      if (!id || !document || saving === "saved" || saving === "saving" || saving === "conflict") return;
      set({ saving: "saving" });
      try {
        const saved =
          kind === "look"
            ? await api.saveLook(id, revision, document).then((s) => ({ revision: s.revision, path: s.document.path }))
            : await api.saveTrim(id, document.path, revision).then((s) => ({ revision: s.revision, path: s.path ?? document.path }));
        const { past, future, step, document: now } = get();
        const unchanged = now === document;
        if (unchanged) void keepHistory(`${kind} ${id}`, { text: canonical(saved.path), past, future, step });
        set({ revision: saved.revision, saving: unchanged ? "saved" : "unsaved", failure: "" });
        if (kind === "look") set({ look: { id, name: document.name } });
        else preview.again();
        if (!unchanged) saveSoon();
      } catch (e) {
        const problem = e instanceof Problem ? e : new Problem(500, String(e));
        const kinds: Record<number, Saving> = { 0: "away", 409: "conflict" };
        set({ saving: kinds[problem.status] ?? "refused", failure: problem.message });
        if (problem.status === 0) saveSoon();
      }
    },

    drop: () => {
      window.clearTimeout(timer);
      set({ kind: "look", id: null, revision: 0, document: null, look: null, past: [], future: [], gesture: null, saving: "saved", step: null, picked: [] });
    },

    takeTheirs: async () => {
      const { kind, id, document } = get();
      set({ saving: "saved" });
      if (!id) return;
      if (kind === "look") await get().load(id);
      else await get().loadTrim(id, document?.name ?? "");
    },
  };
});

/** The step in hand, where there is one. */
export function stepInHand(state: WorkState): Step | undefined {
  return state.document?.path.steps.find((s) => s.id === state.step);
}

/** The group in hand, where there is one. */
export function groupInHand(state: WorkState): StepGroup | undefined {
  return state.document?.path.groups?.find((g) => g.id === state.step);
}

/** The steps of a path that a command is for: those picked together, or the one in hand. */
export function pickedSteps(state: WorkState): Step[] {
  const ids = state.picked.length > 0 ? state.picked : [state.step];
  return (state.document?.path.steps ?? []).filter((s) => ids.includes(s.id) || ids.includes(s.group ?? ""));
}

/** Changes one value of a step. */
export function setValue(step: string, field: string, title: string, value: unknown, gesture?: string): void {
  setValues(step, title, { [field]: value }, gesture);
}

/** Changes several values of a step as one edit. */
export function setValues(step: string, title: string, values: Record<string, unknown>, gesture?: string): void {
  useWork.getState().edit(
    title,
    (draft) => {
      const found = draft.path.steps.find((s) => s.id === step);
      if (found) Object.assign(found.values, values);
    },
    gesture && `${step}/${gesture}`,
  );
}

/**
 * Changes a step as it is now. For controls that are not drawn anew with every change and so must not
 * rely on what the list was when they were drawn.
 */
export function changeStep(step: string, title: string, change: (found: Step) => void, gesture?: string): void {
  useWork.getState().edit(
    title,
    (draft) => {
      const found = draft.path.steps.find((s) => s.id === step);
      if (found) change(found);
    },
    gesture && `${step}/${gesture}`,
  );
}

/** A path that changes nothing. */
export const UNTOUCHED: Path = { steps: [] };
