/** The document in hand, a look or the trim of a shot: its path, undo, saving. The one place that holds it. */
import { LOOK_VERSION } from "../data/constants";
import { produce } from "immer";
import { create } from "zustand";
import { api, Problem, type Look, type Path, type Step, type StepGroup } from "../data/client";
import { preview } from "../preview/preview";
import { beforeLeaving, layDown, letGo, MOST_AFTER, takeUp } from "./drafts";
import { canonical, historyOf, keepHistory, type Past } from "./history";

export type Saving = "saved" | "unsaved" | "saving" | "away" | "conflict" | "refused";
export type Kind = "look" | "trim";

/** A document with all that belongs to it and to no other: its revision, its undo, how far it is saved. */
interface Owned {
  /** What the document is; a trim's id is its shot's. */
  kind: Kind;
  id: string | null;
  revision: number;
  document: Look | null;
  past: Past[];
  future: Past[];
  saving: Saving;
  failure: string;
  /** The step or group in hand. */
  step: string | null;
}

/** A document that is not in hand and whose changes are not saved. */
export interface Left {
  kind: Kind;
  id: string;
  name: string;
  saving: Saving;
  failure: string;
}

interface WorkState extends Owned {
  /** The look that was in hand last, also while a trim is. */
  look: { id: string; name: string } | null;
  /** Documents that were left before all of their changes were saved. */
  left: Left[];
  /** Key of the gesture that the newest entry of `past` belongs to. */
  gesture: string | null;
  /** Whether something is being dragged right now. */
  dragging: boolean;
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
/** Timers of documents that wait to be saved. */
const timers = new Map<string, number>();

/** Documents that are not in hand, as they were left. */
const laidAside = new Map<string, Owned>();

/** The document that was asked for last, by number: an answer for another one comes too late. */
let asked = 0;

const keyOf = (d: { kind: Kind; id: string | null }) => `${d.kind} ${d.id}`;

/** Whether two documents say the same, whatever form they are of. */
const same = (a: Look, b: Look) => canonical({ ...a, version: 0 }) === canonical({ ...b, version: 0 });

function owned({ kind, id, revision, document, past, future, saving, failure, step }: Owned): Owned {
  return { kind, id, revision, document, past, future, saving, failure, step };
}

export const useWork = create<WorkState>((set, get) => {
  /** A document as it is now, in hand or not. */
  const at = (key: string): Owned | undefined => (keyOf(get()) === key ? get() : laidAside.get(key));

  /** Changes a document wherever it is. */
  function put(key: string, part: Partial<Owned>) {
    if (keyOf(get()) === key) set(part);
    const aside = laidAside.get(key);
    if (aside) laidAside.set(key, { ...aside, ...part });
    tellLeft();
  }

  /** Keeps the list of documents that were left before all was saved. */
  function tellLeft() {
    const left = [...laidAside.values()].flatMap(({ kind, id, document, saving, failure }): Left[] =>
      id && document && saving !== "saved" ? [{ kind, id, name: document.name, saving, failure }] : [],
    );
    if (left.length > 0 || get().left.length > 0) set({ left });
  }

  function saveSoon(key: string, after = SAVE_AFTER) {
    window.clearTimeout(timers.get(key));
    timers.set(key, window.setTimeout(() => save(key).catch((e: unknown) => put(key, { saving: "refused", failure: String(e) })), after));
  }

  /** What the server has of a document now. */
  async function fetched(kind: Kind, id: string, name: string): Promise<{ revision: number; document: Look }> {
    if (kind === "look") return api.look(id);
    const { revision, path } = await api.trim(id);
    return { revision, document: { version: LOOK_VERSION, name, notes: "", tags: [], path } };
  }

  /**
   * Whether a save that was refused, since somebody else had saved, would have saved what is there: the same change by a
   * request that was sent as the page went.
   */
  async function isThere(key: string, { kind, id, document }: Owned): Promise<boolean> {
    if (!id || !document) return false;
    const there = await fetched(kind, id, document.name).catch(() => null);
    if (!there || !same(there.document, document) || at(key)?.document !== document) return false;
    put(key, { revision: there.revision, saving: "saved", failure: "" });
    return true;
  }

  /** Saves a document on the revision that it has, wherever it is by then; `leaving` while the page goes. */
  async function save(key: string, leaving = false): Promise<void> {
    window.clearTimeout(timers.get(key));
    const before = at(key);
    if (!before?.id || !before.document) return;
    const { kind, id, revision, document, saving } = before;
    if (saving === "saved" || saving === "saving" || saving === "conflict") return;
    put(key, { saving: "saving" });
    try {
      const saved =
        kind === "look"
          ? await api.saveLook(id, revision, document, leaving).then((s) => ({ revision: s.revision, path: s.document.path }))
          : await api.saveTrim(id, document.path, revision, leaving).then((s) => ({ revision: s.revision, path: s.path ?? document.path }));
      const now = at(key);
      if (!now) return;
      const unchanged = now.document === document;
      const { past, future, step } = now;
      if (unchanged) letGo(key);
      if (unchanged) keepHistory(key, { text: canonical(saved.path), past, future, step }).catch(() => undefined);
      put(key, { revision: saved.revision, saving: unchanged ? "saved" : "unsaved", failure: "" });
      if (kind === "trim") preview.again();
      else if (get().look?.id === id) set({ look: { id, name: document.name } });
      if (!unchanged) saveSoon(key);
    } catch (e) {
      const problem = e instanceof Problem ? e : new Problem(500, String(e));
      if (problem.status === 409 && (await isThere(key, before))) return;
      // A document that was deleted meanwhile has nothing to be saved to.
      if (problem.status === 404 && keyOf(get()) !== key) laidAside.delete(key);
      const kinds: Record<number, Saving> = { 0: "away", 409: "conflict" };
      put(key, { saving: kinds[problem.status] ?? "refused", failure: problem.message });
      if (problem.status === 0) saveSoon(key);
    }
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
    saveSoon(keyOf(get()));
  }

  /**
   * Takes a document into the hand and lays the one before it aside with its undo. What is not saved of one stays with it:
   * it is saved, or waits until it is said whose changes count.
   */
  async function take(kind: Kind, id: string, fetch: () => Promise<{ revision: number; document: Look }>) {
    asked += 1;
    const own = asked;
    const key = `${kind} ${id}`;
    const leaving = keyOf(get());
    if (get().saving === "unsaved") await save(leaving);
    const kept = leaving === key ? owned(get()) : laidAside.get(key);
    // What is not saved is not replaced by what was saved before it.
    if (kept && kept.saving !== "saved") {
      if (own !== asked) return;
      hold(kept);
      if (kept.saving !== "conflict" && kept.saving !== "saving") saveSoon(key, 0);
      return;
    }
    const { revision, document } = await fetch();
    const draft = takeUp<Look>(key);
    const there = kept?.document && canonical(kept.document.path) === canonical(document.path) ? kept : null;
    // Undo belongs to the document as it was left: one that changed elsewhere since begins anew.
    const undo = there ?? (await historyOf(key, document.path));
    if (own !== asked) return;
    const step = undo?.step ?? document.path.steps[0]?.id ?? null;
    const past = undo?.past ?? [];
    if (!draft || same(draft.content, document)) {
      hold({ kind, id, revision, document, past, future: undo?.future ?? [], step, saving: "saved", failure: "" });
      return;
    }
    // What was changed as the page went is there again; where somebody else saved since, both are offered.
    const ours = draft.revision === revision;
    const failure = ours ? "" : "Another window saved this before your last changes were: load it, or keep yours apart.";
    const grown = [...past, { label: "Changes before the page was left", document }];
    hold({ kind, id, revision, document: draft.content, past: grown, future: [], step, saving: ours ? "unsaved" : "conflict", failure });
    if (ours) saveSoon(key, 0);
  }

  /** The page goes: what is not saved is laid down here and sent off, as much as may still be sent. */
  function leave() {
    let sent = 0;
    for (const d of [get(), ...laidAside.values()]) {
      if (!d.id || !d.document || d.saving === "saved") continue;
      const key = keyOf(d);
      layDown(key, d.revision, d.document);
      const size = JSON.stringify(d.document).length;
      if ((d.saving !== "unsaved" && d.saving !== "away") || sent + size > MOST_AFTER) continue;
      sent += size;
      save(key, true).catch(() => undefined);
    }
  }
  beforeLeaving(leave);

  /** Puts a document in hand in place of the one that is. */
  function hold(next: Owned) {
    const before = get();
    if (before.id && before.document) laidAside.set(keyOf(before), owned(before));
    laidAside.delete(keyOf(next));
    set({ ...next, gesture: null, dragging: false, picked: [] });
    if (next.kind === "look" && next.id && next.document) set({ look: { id: next.id, name: next.document.name } });
    tellLeft();
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
    left: [],

    load: (id) => take("look", id, () => fetched("look", id, "")),

    loadTrim: (shot, name) => take("trim", shot, () => fetched("trim", shot, name)),

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
      saveSoon(keyOf(get()));
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

    save: () => save(keyOf(get())),

    drop: () => {
      asked += 1;
      window.clearTimeout(timers.get(keyOf(get())));
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
