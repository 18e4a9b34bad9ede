/** The document in hand: undo, gestures, saving, and what happens when two people save. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Look } from "../data/client";
import { inHand, step, steps } from "../testing/path";
import { changeStep, pickedSteps, setValue, setValues, useWork } from "./work";

const calls = vi.hoisted(() => ({ look: vi.fn(), saveLook: vi.fn(), trim: vi.fn(), saveTrim: vi.fn(), again: vi.fn() }));

vi.mock("../preview/preview", () => ({ preview: { again: calls.again } }));
vi.mock("../data/client", async (original) => {
  const real = await original<typeof import("../data/client")>();
  return { ...real, api: { ...real.api, look: calls.look, saveLook: calls.saveLook, trim: calls.trim, saveTrim: calls.saveTrim } };
});

const { Problem } = await import("../data/client");

const work = () => useWork.getState();
const exposure = () => (steps()[0]?.values as { exposure: number } | undefined)?.exposure;
const document = (name: string): Look => ({ version: 5, name, notes: "", tags: [], path: { steps: [step("a"), step("b")] } });

beforeEach(() => {
  vi.useFakeTimers();
  vi.clearAllMocks();
  inHand([step("a"), step("b")]);
  calls.saveLook.mockImplementation((_: string, revision: number, document: Look) => Promise.resolve({ revision: revision + 1, document }));
  calls.saveTrim.mockImplementation((_: string, __: unknown, revision: number) => Promise.resolve({ revision: revision + 1 }));
});

describe("undo", () => {
  it("goes back and forth, and a new change ends what could be done again", () => {
    setValue("a", "exposure", "Exposure", 1);
    setValue("a", "exposure", "Exposure", 2);
    work().undo();
    expect(exposure()).toBe(1);
    work().redo();
    expect(exposure()).toBe(2);
    work().undo();
    work().undo();
    work().undo();
    expect(exposure()).toBe(0);
    setValue("a", "exposure", "Exposure", 3);
    expect(work().future).toEqual([]);
    work().redo();
    expect(exposure()).toBe(3);
  });

  it("takes a drag as one change, and the next drag as another", () => {
    for (const v of [0.1, 0.2, 0.3]) setValue("a", "exposure", "Exposure", v, "drag-1");
    expect(work().dragging).toBe(true);
    work().endGesture();
    for (const v of [0.4, 0.5]) setValue("a", "exposure", "Exposure", v, "drag-1");
    expect(work().past.map((p) => p.label)).toEqual(["Exposure", "Exposure"]);
    work().undo();
    expect([exposure(), work().dragging]).toEqual([0.3, false]);
    work().undo();
    expect(exposure()).toBe(0);
  });

  it("leaves steps that were not touched the very same", () => {
    const [, before] = steps();
    setValues("a", "Tone", { exposure: 1, contrast: 2 });
    expect(steps()[1]).toBe(before);
    expect(steps()[0]?.values).toEqual({ exposure: 1, contrast: 2 });
    changeStep("nobody", "Nothing", (s) => (s.on = false));
    expect(steps().every((s) => s.on)).toBe(true);
  });

  it("goes back by several at once, and holds no more than it has room for", () => {
    for (let i = 1; i <= 310; i += 1) setValue("a", "exposure", `Exposure ${i}`, i);
    expect(work().past).toHaveLength(300);
    work().undoTo(5);
    expect(exposure()).toBe(305);
    expect(work().future).toHaveLength(5);
  });
});

describe("picking", () => {
  it("begins with the step in hand, adds others, and lets them go", () => {
    work().pick("b");
    expect([work().picked, work().step]).toEqual([["a", "b"], "b"]);
    expect(pickedSteps(work()).map((s) => s.id)).toEqual(["a", "b"]);
    work().pick("a");
    expect(work().picked).toEqual(["b"]);
    work().select("a");
    expect(pickedSteps(work()).map((s) => s.id)).toEqual(["a"]);
  });

  it("a group in hand stands for its steps", () => {
    inHand([step("a"), step("b", { group: "g" }), step("c", { group: "g" })], [{ id: "g", name: "Warmth" }]);
    work().select("g");
    expect(pickedSteps(work()).map((s) => s.id)).toEqual(["b", "c"]);
  });
});

describe("saving", () => {
  it("waits for a pause, then saves once on the revision it has", async () => {
    setValue("a", "exposure", "Exposure", 1);
    await vi.advanceTimersByTimeAsync(300);
    setValue("a", "exposure", "Exposure", 2);
    expect([work().saving, calls.saveLook.mock.calls.length]).toEqual(["unsaved", 0]);
    await vi.advanceTimersByTimeAsync(600);
    expect(calls.saveLook).toHaveBeenCalledExactlyOnceWith("dusk", 1, work().document, false);
    expect([work().saving, work().revision]).toEqual(["saved", 2]);
  });

  it("saves again what changed while it was saving", async () => {
    let answer: (saved: { revision: number; document: Look }) => void = () => undefined;
    calls.saveLook.mockImplementationOnce(() => new Promise((r) => (answer = r)));
    setValue("a", "exposure", "Exposure", 1);
    await vi.advanceTimersByTimeAsync(600);
    setValue("a", "exposure", "Exposure", 2);
    answer({ revision: 2, document: document("Dusk") });
    await vi.advanceTimersByTimeAsync(0);
    expect([work().saving, work().revision]).toEqual(["unsaved", 2]);
    await vi.advanceTimersByTimeAsync(600);
    expect(calls.saveLook).toHaveBeenLastCalledWith("dusk", 2, work().document, false);
    expect(work().saving).toBe("saved");
  });

  it("tries again while the server is away, and loses nothing", async () => {
    calls.saveLook.mockRejectedValueOnce(new Problem(0, "The server does not answer."));
    setValue("a", "exposure", "Exposure", 1);
    await vi.advanceTimersByTimeAsync(510);
    expect([work().saving, work().failure]).toEqual(["away", "The server does not answer."]);
    await vi.advanceTimersByTimeAsync(600);
    expect([work().saving, exposure(), work().failure]).toEqual(["saved", 1, ""]);
  });

  it("stops where somebody else saved first, until it is said whose counts", async () => {
    calls.saveLook.mockRejectedValueOnce(new Problem(409, "Somebody saved revision 5.", 5));
    setValue("a", "exposure", "Exposure", 1);
    await vi.advanceTimersByTimeAsync(600);
    expect([work().saving, exposure()]).toEqual(["conflict", 1]);
    await work().save();
    expect(calls.saveLook).toHaveBeenCalledOnce();
    calls.look.mockResolvedValue({ revision: 5, document: document("Dusk") });
    await work().takeTheirs();
    expect([work().saving, work().revision, exposure()]).toEqual(["saved", 5, 0]);
  });

  it("says what the server refuses, and does not ask again by itself", async () => {
    calls.saveLook.mockRejectedValue(new Problem(422, "Exposure goes from -8 to 8."));
    setValue("a", "exposure", "Exposure", 99);
    await vi.advanceTimersByTimeAsync(5000);
    expect(calls.saveLook).toHaveBeenCalledOnce();
    expect([work().saving, work().failure]).toEqual(["refused", "Exposure goes from -8 to 8."]);
  });
});

describe("going from one document to another", () => {
  it("saves what is left, and brings its undo back", async () => {
    calls.look.mockImplementation((id: string) => Promise.resolve({ revision: 1, document: document(id) }));
    await work().load("one");
    setValue("a", "exposure", "Exposure", 1);
    const saved = work().document as Look;
    await work().load("two");
    expect(calls.saveLook).toHaveBeenCalledExactlyOnceWith("one", 1, saved, false);
    expect([work().past.length, exposure(), work().look]).toEqual([0, 0, { id: "two", name: "two" }]);
    calls.look.mockResolvedValue({ revision: 2, document: saved });
    await work().load("one");
    expect(work().past).toHaveLength(1);
    work().undo();
    expect(exposure()).toBe(0);
  });

  it("begins anew where the document changed elsewhere meanwhile", async () => {
    calls.look.mockImplementation((id: string) => Promise.resolve({ revision: 1, document: document(id) }));
    await work().load("three");
    setValue("a", "exposure", "Exposure", 1);
    await work().load("four");
    await work().load("three");
    expect(work().past).toEqual([]);
  });

  it("a save under way stays with its document, whatever is opened meanwhile", async () => {
    calls.look.mockImplementation((id: string) => Promise.resolve({ revision: 10, document: document(id) }));
    await work().load("slow");
    let answer: (saved: { revision: number; document: Look }) => void = () => undefined;
    calls.saveLook.mockImplementationOnce(() => new Promise((r) => (answer = r)));
    setValue("a", "exposure", "Exposure", 1);
    await vi.advanceTimersByTimeAsync(600);
    expect(work().saving).toBe("saving");
    await work().load("other");
    answer({ revision: 77, document: document("slow") });
    await vi.advanceTimersByTimeAsync(0);
    expect([work().id, work().revision, work().saving]).toEqual(["other", 10, "saved"]);
    setValue("a", "exposure", "Exposure", 2);
    await vi.advanceTimersByTimeAsync(600);
    expect(calls.saveLook).toHaveBeenLastCalledWith("other", 10, work().document, false);
  });

  it("keeps what could not be saved, says so, and brings it back with its undo", async () => {
    calls.look.mockImplementation((id: string) => Promise.resolve({ revision: 1, document: document(id) }));
    for (const [status, saving] of [
      [409, "conflict"],
      [422, "refused"],
    ] as const) {
      await work().load(`kept ${status}`);
      calls.saveLook.mockRejectedValueOnce(new Problem(status, "Not so."));
      setValue("a", "exposure", "Exposure", 4);
      await vi.advanceTimersByTimeAsync(600);
      expect(work().saving).toBe(saving);
      await work().load("elsewhere");
      expect([work().saving, work().failure, exposure()]).toEqual(["saved", "", 0]);
      expect(work().left).toEqual([{ kind: "look", id: `kept ${status}`, name: `kept ${status}`, saving, failure: "Not so." }]);
      await work().load(`kept ${status}`);
      expect([exposure(), work().past.length, work().left]).toEqual([4, 1, []]);
      // What was refused is tried again; a conflict waits to be told whose changes count.
      await vi.advanceTimersByTimeAsync(600);
      expect(work().saving).toBe(saving === "refused" ? "saved" : "conflict");
      await work().takeTheirs();
      expect([work().saving, exposure()]).toEqual(["saved", 0]);
    }
  });

  it("goes on saving what was left while the server was away", async () => {
    calls.look.mockImplementation((id: string) => Promise.resolve({ revision: 1, document: document(id) }));
    await work().load("far");
    calls.saveLook.mockRejectedValueOnce(new Problem(0, "The server does not answer."));
    setValue("a", "exposure", "Exposure", 3);
    const edited = work().document;
    await work().load("near");
    expect(work().left.map((d) => d.saving)).toEqual(["away"]);
    await vi.advanceTimersByTimeAsync(600);
    expect(calls.saveLook).toHaveBeenLastCalledWith("far", 1, edited, false);
    expect([work().left, work().id]).toEqual([[], "near"]);
  });

  it("that is opened last is in hand, whichever answers last", async () => {
    let late: (found: { revision: number; document: Look }) => void = () => undefined;
    calls.look.mockImplementationOnce(() => new Promise((r) => (late = r)));
    const first = work().load("late");
    calls.look.mockResolvedValueOnce({ revision: 1, document: document("prompt") });
    await work().load("prompt");
    late({ revision: 1, document: document("late") });
    await first;
    expect(work().id).toBe("prompt");
  });

  it("a trim is saved as its shot's, the look stays known, and pictures are asked for again", async () => {
    calls.look.mockResolvedValue({ revision: 1, document: document("Dusk") });
    await work().load("dusk");
    calls.trim.mockResolvedValue({ revision: 7, path: { steps: [step("t")] } });
    await work().loadTrim("ferry 003", "Ferry");
    expect([work().kind, work().id, work().look?.id]).toEqual(["trim", "ferry 003", "dusk"]);
    setValue("t", "exposure", "Exposure", 0.5);
    await vi.advanceTimersByTimeAsync(600);
    expect(calls.saveTrim).toHaveBeenCalledExactlyOnceWith("ferry 003", work().document?.path, 7, false);
    expect(calls.saveLook).not.toHaveBeenCalled();
    expect(calls.again).toHaveBeenCalledOnce();
  });
});

describe("leaving the page", () => {
  const left = () => {
    window.dispatchEvent(new Event("pagehide"));
  };
  const drafts = (id: string) => Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i)).filter((k) => k?.includes(id)).length;
  /** A page that is opened anew: nothing in hand, nothing laid aside under this name. */
  const reopen = async (id: string, revision: number, there: Look) => {
    useWork.setState({ ...useWork.getInitialState() });
    calls.look.mockResolvedValue({ revision, document: there });
    await work().load(id);
  };
  const open = async (id: string) => {
    localStorage.clear();
    calls.look.mockResolvedValue({ revision: 1, document: document(id) });
    await work().load(id);
  };

  it("sends what is not saved, and does not wait for the pause", async () => {
    await open("goes");
    setValue("a", "exposure", "Exposure", 1);
    left();
    expect(calls.saveLook).toHaveBeenCalledExactlyOnceWith("goes", 1, work().document, true);
    await vi.advanceTimersByTimeAsync(0);
    // What was saved leaves nothing behind.
    expect(drafts("goes")).toBe(0);
  });

  it("has what could not be sent again, on the revision that it was made from, and it can be undone", async () => {
    await open("lost");
    calls.saveLook.mockReturnValueOnce(new Promise(() => undefined));
    setValue("a", "exposure", "Exposure", 3);
    const edited = work().document;
    left();
    await reopen("lost", 1, document("lost"));
    expect([exposure(), work().saving]).toEqual([3, "unsaved"]);
    await vi.advanceTimersByTimeAsync(10);
    expect(calls.saveLook).toHaveBeenLastCalledWith("lost", 1, edited, false);
    expect(work().saving).toBe("saved");
    work().undo();
    expect(exposure()).toBe(0);
  });

  it("offers both where somebody else saved meanwhile, and neither where what was sent arrived", async () => {
    for (const [id, there, saving] of [
      ["theirs", { ...document("theirs"), notes: "theirs" }, "conflict"],
      ["arrived", null, "saved"],
    ] as const) {
      await open(id);
      calls.saveLook.mockReturnValueOnce(new Promise(() => undefined));
      setValue("a", "exposure", "Exposure", 4);
      const edited = work().document as Look;
      left();
      await reopen(id, 2, there ?? edited);
      expect([work().saving, exposure(), work().revision]).toEqual([saving, 4, 2]);
      expect(drafts(id)).toBe(0);
    }
  });

  it("takes a refusal for a save where the very same was saved by the request that was sent as the page went", async () => {
    await open("twice");
    setValue("a", "exposure", "Exposure", 5);
    calls.saveLook.mockRejectedValueOnce(new Problem(409, "Somebody saved revision 2.", 2));
    calls.look.mockResolvedValue({ revision: 2, document: work().document as Look });
    await vi.advanceTimersByTimeAsync(600);
    expect([work().saving, work().revision]).toEqual(["saved", 2]);
  });

  it("sends no more than browsers take, and keeps the rest", async () => {
    await open("long");
    work().edit("Notes", (d) => (d.notes = "x".repeat(70_000)));
    left();
    expect(calls.saveLook).not.toHaveBeenCalled();
    await reopen("long", 1, document("long"));
    expect(work().document?.notes.length).toBe(70_000);
  });
});
