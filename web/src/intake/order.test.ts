/** The order of scenes and shots. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Production } from "../data/client";
import { useSession } from "../session/session";
import { dropOn, moveScene, moveShot, moveShots, nudgeShot, putInOrder } from "./order";

const calls = vi.hoisted(() => ({ arrange: vi.fn(() => Promise.resolve()), production: vi.fn() }));

vi.mock("../data/client", async (original) => {
  const real = await original<typeof import("../data/client")>();
  return { ...real, api: { ...real.api, arrange: calls.arrange, production: calls.production } };
});

const shot = (id: string) => ({ id, encoding: "acescct", frames: 1 });
const production = (): Production =>
  ({
    id: "clock",
    scenes: [
      { id: "quay", finished: false, shots: [shot("q1"), shot("q2"), shot("q3")] },
      { id: "deck", finished: false, shots: [shot("d1")] },
      { id: "empty", finished: false, shots: [] },
    ],
  }) as unknown as Production;

/** What is shown, as `quay: q1 q2 | deck: d1`. */
function shown(): string {
  const scenes = useSession.getState().production?.scenes ?? [];
  return scenes.map((s) => `${s.id}: ${s.shots.map((x) => x.id).join(" ")}`.trim()).join(" | ");
}

beforeEach(() => {
  vi.clearAllMocks();
  // The server is slow: what is shown does not wait for it.
  calls.production.mockReturnValue(new Promise(() => undefined));
  useSession.setState({ production: production(), shot: "q1" });
});

describe("several shots", () => {
  it("move together, in the order that they have, from wherever they stand", () => {
    moveShots(["d1", "q3", "q1"], "empty");
    expect(shown()).toBe("quay: q2 | deck: | empty: q1 q3 d1");
    moveShots(["q1", "q3"], "empty", 0);
    expect(shown()).toBe("quay: q2 | deck: | empty: q1 q3 d1");
    expect(calls.arrange).toHaveBeenCalledTimes(2);
  });

  it("that came in in another order than they were sent stand in that order, at the places that they have", () => {
    putInOrder("quay", ["q3", "q1"]);
    expect(shown()).toBe("quay: q3 q2 q1 | deck: d1 | empty:");
    putInOrder("quay", ["q3", "q2", "q1"]);
    putInOrder("quay", ["q2", "nobody"]);
    expect(calls.arrange).toHaveBeenCalledTimes(1);
  });
});

describe("shots", () => {
  it("go to another place of their scene, or to another scene, and the whole order is saved", () => {
    moveShot("q3", "quay", 0);
    expect(shown()).toBe("quay: q3 q1 q2 | deck: d1 | empty:");
    moveShot("q1", "empty");
    expect(shown()).toBe("quay: q3 q2 | deck: d1 | empty: q1");
    expect(calls.arrange).toHaveBeenLastCalledWith("clock", [
      { id: "quay", shots: ["q3", "q2"] },
      { id: "deck", shots: ["d1"] },
      { id: "empty", shots: ["q1"] },
    ]);
  });

  it("are nudged sideways within their scene and down to the next, and stay at the ends", () => {
    nudgeShot("q2", 1, 0);
    expect(shown()).toBe("quay: q1 q3 q2 | deck: d1 | empty:");
    nudgeShot("q2", 1, 0);
    nudgeShot("q1", -1, 0);
    nudgeShot("q1", 0, -1);
    expect(calls.arrange).toHaveBeenCalledOnce();
    nudgeShot("q2", 0, 1);
    expect(shown()).toBe("quay: q1 q3 | deck: d1 q2 | empty:");
  });

  it("that nobody knows move nothing", () => {
    moveShot("nobody", "deck");
    moveShot("q1", "nowhere");
    dropOn("q1", "q1");
    dropOn("q1", "nobody");
    nudgeShot("nobody", 1, 0);
    expect([shown(), calls.arrange.mock.calls.length]).toEqual(["quay: q1 q2 q3 | deck: d1 | empty:", 0]);
  });
});

describe("drops", () => {
  it("of a shot on a shot take its place, on a scene its end", () => {
    dropOn("d1", "q2");
    expect(shown()).toBe("quay: q1 d1 q2 q3 | deck: | empty:");
    dropOn("q3", "scene:deck");
    expect(shown()).toBe("quay: q1 d1 q2 | deck: q3 | empty:");
  });

  it("of a scene on a scene, or on one of its shots, take that scene's place", () => {
    dropOn("scene:empty", "q1");
    expect(shown()).toBe("empty: | quay: q1 q2 q3 | deck: d1");
    dropOn("scene:empty", "scene:deck");
    expect(shown()).toBe("quay: q1 q2 q3 | deck: d1 | empty:");
  });
});

describe("scenes", () => {
  it("move by places and not beyond the ends", () => {
    moveScene("deck", -1);
    expect(shown()).toBe("deck: d1 | quay: q1 q2 q3 | empty:");
    moveScene("deck", -1);
    moveScene("empty", 1);
    moveScene("nowhere", 1);
    expect(calls.arrange).toHaveBeenCalledOnce();
  });
});
