/** What is looked at: which shots can be, and what happens to the hand when the production changes. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Production } from "../data/client";
import { attempt, refreshProduction, isInterpreted, rowOf, shotInHand, shotsOf, useSession } from "./session";

const calls = vi.hoisted(() => ({ production: vi.fn() }));

vi.mock("../data/client", async (original) => {
  const real = await original<typeof import("../data/client")>();
  return { ...real, api: { ...real.api, production: calls.production } };
});

const shot = (id: string, more = {}) => ({ id, encoding: "acescct", frames: 1, ...more });
const production = (shots: unknown[], id = "clock"): Production =>
  ({
    id,
    scenes: [
      { id: "quay", finished: false, shots },
      { id: "stills", finished: true, shots: [shot("still")] },
    ],
  }) as unknown as Production;
const all = [shot("a"), shot("b"), shot("dark", { encoding: "" }), shot("late", { frames: 0 })];
const session = () => useSession.getState();

beforeEach(() => {
  vi.clearAllMocks();
  useSession.setState({ production: production(all), shot: "a", before: null, frame: null, notice: "" });
});

describe("shots", () => {
  it("stand in the row when a frame is here and they are no finished stills, also where their encoding is unknown", () => {
    expect(rowOf(session().production).map((s) => s.id)).toEqual(["a", "b", "dark"]);
    expect(rowOf(session().production).filter(isInterpreted)).toHaveLength(2);
    expect(shotsOf(session().production)).toHaveLength(5);
    expect([rowOf(null), shotsOf(null)]).toEqual([[], []]);
  });

  it("are taken into the hand with the one before remembered, and from their poster on", () => {
    session().set({ frame: 7, playing: true });
    session().show("b");
    expect([session().shot, session().before, session().frame, session().playing]).toEqual(["b", "a", null, false]);
    session().set({ frame: 3 });
    session().show("b");
    expect([session().before, session().frame]).toEqual(["a", 3]);
    expect(shotInHand(session())?.id).toBe("b");
  });
});

describe("a production that changed", () => {
  it("keeps the shot in hand while it is there, and lets go of one that is not", async () => {
    session().show("b");
    calls.production.mockResolvedValue(production(all));
    await refreshProduction();
    expect([session().shot, session().before]).toEqual(["b", "a"]);
    calls.production.mockResolvedValue(production([shot("b")]));
    await refreshProduction();
    expect([session().shot, session().before]).toEqual(["b", null]);
    calls.production.mockResolvedValue(production([shot("c")]));
    await refreshProduction();
    expect(session().shot).toBe("c");
  });

  it("counts what is in hand when the answer comes, not when it was asked for", async () => {
    let answer: (p: Production) => void = () => undefined;
    calls.production.mockReturnValueOnce(new Promise((r) => (answer = r)));
    const asked = refreshProduction();
    session().show("b");
    answer(production(all));
    await asked;
    expect([session().shot, session().before]).toEqual(["b", "a"]);
    // Another production meanwhile: the late answer is not for it.
    calls.production.mockReturnValueOnce(new Promise((r) => (answer = r)));
    const late = refreshProduction();
    session().set({ production: production([shot("x")], "other"), shot: "x" });
    answer(production(all));
    await late;
    expect([session().production?.id, session().shot]).toEqual(["other", "x"]);
  });

  it("says a refusal in words, and is read anew all the same", async () => {
    calls.production.mockResolvedValue(production(all));
    const done = await attempt(() => Promise.reject(new Error("A shot of that name is in the scene already.")));
    expect([done, session().notice]).toEqual([false, "A shot of that name is in the scene already."]);
    expect(calls.production).toHaveBeenCalledOnce();
    expect(await attempt(() => Promise.resolve())).toBe(true);
  });
});
