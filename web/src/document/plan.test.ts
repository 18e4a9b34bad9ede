/** The plan in hand: undo, typing as one change, saving in order, and what happens when two windows save. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Plan } from "../data/client";
import { usePlan } from "./plan";

const calls = vi.hoisted(() => ({ plan: vi.fn(), savePlan: vi.fn() }));

vi.mock("../data/client", async (original) => {
  const real = await original<typeof import("../data/client")>();
  return { ...real, api: { ...real.api, ...calls } };
});

const { Problem } = await import("../data/client");

const state = () => usePlan.getState();
const plan = (name: string): Plan => ({ version: 1, name, receivers: [] });
const rename = (name: string, field?: string) => state().edit("Name", (p) => { p.name = name; }, field);
const detail = (id: string, name = "A") => ({ id, revision: 1, plan: plan(name), problem: null });

beforeEach(async () => {
  vi.useFakeTimers();
  vi.clearAllMocks();
  calls.savePlan.mockImplementation((_: string, revision: number, plan: Plan) => Promise.resolve({ revision: revision + 1, plan, problem: `saved as ${plan.name}` }));
  usePlan.setState({ id: null, plan: null, past: [], future: [], field: null, saving: "saved" });
  await state().open(detail("one"));
});

describe("undo of a plan", () => {
  it("takes typing into one field as one change and other fields as others", () => {
    for (const name of ["B", "Bo", "Boo"]) rename(name, "name");
    rename("Other", "elsewhere");
    expect(state().past.length).toBe(2);
    state().undo();
    expect(state().plan?.name).toBe("Boo");
    state().undo();
    expect(state().plan?.name).toBe("A");
    state().redo();
    expect(state().plan?.name).toBe("Boo");
    rename("New");
    expect(state().future).toEqual([]);
    state().undo();
    state().undo();
    state().undo();
    expect(state().plan?.name).toBe("A");
  });
});

describe("saving of a plan", () => {
  it("saves a moment after the last change, and says what keeps a package from being made", async () => {
    rename("B");
    rename("C");
    expect(calls.savePlan).not.toHaveBeenCalled();
    await vi.advanceTimersByTimeAsync(500);
    expect(calls.savePlan.mock.calls.map((c) => [c[1], (c[2] as Plan).name])).toEqual([[1, "C"]]);
    expect([state().saving, state().revision, state().problem]).toEqual(["saved", 2, "saved as C"]);
  });

  it("names the revision of the save before it, also where that is still on its way", async () => {
    let answer: (() => void) | undefined;
    calls.savePlan.mockImplementationOnce((_: string, revision: number, plan: Plan) => new Promise((done) => { answer = () => done({ revision: revision + 1, plan }); }));
    rename("B");
    const first = state().save();
    rename("C");
    const second = state().save();
    await vi.advanceTimersByTimeAsync(0);
    answer?.();
    await Promise.all([first, second]);
    expect(calls.savePlan.mock.calls.map((c) => [c[1], (c[2] as Plan).name])).toEqual([[1, "B"], [2, "C"]]);
    expect(state().saving).toBe("saved");
  });

  it("saves what is left before another plan is taken", async () => {
    rename("B");
    await state().open(detail("two", "Z"));
    expect(calls.savePlan).toHaveBeenCalledOnce();
    expect([state().id, state().plan?.name, state().past.length]).toEqual(["two", "Z", 0]);
  });

  it("loses nothing where another window saved first: theirs can be taken, or mine kept", async () => {
    calls.savePlan.mockRejectedValueOnce(new Problem(409, "somebody was first", 5));
    calls.plan.mockResolvedValue({ ...detail("one", "Theirs"), revision: 5 });
    rename("Mine");
    await state().save();
    expect([state().saving, state().plan?.name]).toEqual(["conflict", "Mine"]);
    await state().keepMine();
    expect(calls.savePlan.mock.lastCall?.slice(0, 2)).toEqual(["one", 5]);
    expect([state().saving, state().plan?.name]).toEqual(["saved", "Mine"]);
    calls.savePlan.mockRejectedValueOnce(new Problem(409, "again", 7));
    rename("Mine again");
    await state().save();
    await state().takeTheirs();
    expect([state().saving, state().plan?.name, state().past.length]).toEqual(["saved", "Theirs", 0]);
  });

  it("tries again where the server does not answer", async () => {
    calls.savePlan.mockRejectedValueOnce(new Problem(0, "The server does not answer."));
    rename("B");
    await state().save();
    expect(state().saving).toBe("away");
    await vi.advanceTimersByTimeAsync(500);
    expect([state().saving, state().revision]).toEqual(["saved", 2]);
  });
});

it("has what could not be sent as the page went again", async () => {
  calls.savePlan.mockReturnValueOnce(new Promise(() => undefined));
  rename("Late");
  window.dispatchEvent(new Event("pagehide"));
  expect(calls.savePlan).toHaveBeenCalledExactlyOnceWith("one", 1, plan("Late"), true);
  usePlan.setState({ id: null, plan: null, past: [], future: [], field: null, saving: "saved" });
  await state().open(detail("one"));
  expect([state().plan?.name, state().saving, state().past.length]).toEqual(["Late", "unsaved", 1]);
});
