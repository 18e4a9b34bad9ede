/** The delivery plan in hand: its undo, and saving. */
import { produce } from "immer";
import { create } from "zustand";
import { api, Problem, type Plan, type PlanDetail } from "../data/client";
import { told } from "../session/session";
import { beforeLeaving, layDown, letGo, takeUp } from "./drafts";

export type PlanSaving = "saved" | "unsaved" | "saving" | "away" | "conflict" | "refused";

/** A change that can be taken back: what it was, and the plan before it. */
interface Change {
  label: string;
  plan: Plan;
}

interface PlanState {
  id: string | null;
  revision: number;
  plan: Plan | null;
  /** What keeps a package from being made of the plan as it was saved last. */
  problem: string | null;
  past: Change[];
  future: Change[];
  /** What the newest change was made to: typing into one field is one change. */
  field: string | null;
  saving: PlanSaving;
  failure: string;
  /** Takes a plan into the hand; what is not saved of the one before is saved first. */
  open: (detail: PlanDetail) => Promise<void>;
  /** Lets it go. */
  close: () => Promise<void>;
  edit: (label: string, change: (draft: Plan) => void, field?: string) => void;
  undo: () => void;
  redo: () => void;
  save: () => Promise<void>;
  /** Where another window saved: takes what that saved, or saves over it. */
  takeTheirs: () => Promise<void>;
  keepMine: () => Promise<void>;
}

const SAVE_AFTER = 400;
const MOST_UNDO = 200;

const NOTHING = { id: null, revision: 0, plan: null, problem: null, past: [], future: [], field: null, saving: "saved", failure: "" } as const;

export const usePlan = create<PlanState>((set, get) => {
  let timer: number | undefined;
  /** A save that is on its way: the next one waits for it. */
  let running: Promise<void> | null = null;

  const soon = () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => told(get().save()), SAVE_AFTER);
  };

  async function send(leaving = false): Promise<void> {
    const { id, revision, plan, saving } = get();
    if (!id || !plan || (saving !== "unsaved" && saving !== "away")) return;
    set({ saving: "saving" });
    try {
      const saved = await api.savePlan(id, revision, plan, leaving);
      if (get().id !== id) return;
      const unchanged = get().plan === plan;
      if (unchanged) letGo(`plan ${id}`);
      set({ revision: saved.revision, problem: saved.problem ?? null, saving: unchanged ? "saved" : "unsaved", failure: "" });
    } catch (e) {
      if (get().id !== id) return;
      const problem = e instanceof Problem ? e : new Problem(500, String(e));
      const kinds: Record<number, PlanSaving> = { 0: "away", 409: "conflict" };
      set({ saving: kinds[problem.status] ?? "refused", failure: problem.message });
      if (problem.status === 0) soon();
    }
  }

  function travel(from: "past" | "future", to: "past" | "future") {
    const { plan, [from]: list, [to]: other } = get();
    const entry = list.at(-1);
    if (!plan || !entry) return;
    set({ plan: entry.plan, [from]: list.slice(0, -1), [to]: [...other, { label: entry.label, plan }], field: null, saving: "unsaved" });
    soon();
  }

  /** The page goes: what is not saved is laid down here, and sent off. */
  beforeLeaving(() => {
    const { id, revision, plan, saving } = get();
    if (!id || !plan || saving === "saved") return;
    layDown(`plan ${id}`, revision, plan);
    told(send(true));
  });

  return {
    ...NOTHING,
    past: [],
    future: [],

    open: async (detail) => {
      if (get().id === detail.id) return;
      await get().save();
      const { id, revision, plan } = detail;
      const draft = takeUp<Plan>(`plan ${id}`);
      set({ ...NOTHING, past: [], future: [], id, revision, plan, problem: detail.problem ?? null });
      if (!draft || JSON.stringify(draft.content) === JSON.stringify(plan)) return;
      // What was changed as the page went is there again; where somebody else saved since, both are offered.
      const ours = draft.revision === revision;
      set({ plan: draft.content, past: [{ label: "Changes before the page was left", plan }], saving: ours ? "unsaved" : "conflict" });
      if (ours) soon();
    },

    close: async () => {
      await get().save();
      set({ ...NOTHING, past: [], future: [] });
    },

    edit: (label, change, field) => {
      const { plan, past, field: running } = get();
      if (!plan) return;
      const grown = field !== undefined && field === running ? past : [...past, { label, plan }].slice(-MOST_UNDO);
      set({ plan: produce(plan, (draft) => void change(draft)), past: grown, future: [], field: field ?? null, saving: "unsaved" });
      soon();
    },

    undo: () => travel("past", "future"),
    redo: () => travel("future", "past"),

    save: async () => {
      window.clearTimeout(timer);
      // One after the other, so that each names the revision that the last one made.
      while (running) await running;
      running = send().finally(() => {
        running = null;
      });
      await running;
      if (get().saving === "unsaved") soon();
    },

    takeTheirs: async () => {
      const { id } = get();
      if (!id) return;
      const theirs = await api.plan(id);
      set({ ...NOTHING, past: [], future: [], id, revision: theirs.revision, plan: theirs.plan, problem: theirs.problem ?? null });
    },

    keepMine: async () => {
      const { id } = get();
      if (!id) return;
      const theirs = await api.plan(id);
      set({ revision: theirs.revision, saving: "unsaved" });
      await get().save();
    },
  };
});
