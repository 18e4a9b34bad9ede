/** What is done to a path: places, zones, groups, and that each is one undo. */
import { produce } from "immer";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Path } from "../data/client";
import { useSession } from "../session/session";
import { useWork } from "../document/work";
import { CATALOGUE, inHand, kind, names, shape, step, steps } from "../testing/path";
import * as path from "./commands";

vi.mock("../preview/preview", () => ({ preview: { again: vi.fn() } }));

const undo = () => useWork.getState().undo();
const hand = () => useWork.getState().step;
const take = (id: string) => useWork.getState().select(id);
const groups = () => (useWork.getState().document?.path.groups ?? []).map((g) => g.id);

beforeEach(() => {
  vi.useFakeTimers();
  localStorage.clear();
});

describe("adding", () => {
  it("puts a step after the one in hand, with the values that change nothing, and takes it into the hand", () => {
    inHand([step("a"), step("b")]);
    path.add(kind("balance"), "scene");
    expect(names()).toEqual(["a", "balance", "b"]);
    expect(steps()[1]).toMatchObject({ on: true, strength: 1, values: { exposure: 0, points: [] } });
    expect(hand()).toBe(steps()[1]?.id);
    undo();
    expect(shape()).toBe("a b");
  });

  it("goes to the end of its zone where the step in hand stands in another", () => {
    inHand([step("a"), step("b"), step("s", { zone: "screen" })]);
    path.add(kind("tone"), "screen");
    expect(names()).toEqual(["a", "b", "s", "tone"]);
    take("s");
    path.add(kind("balance"), "scene");
    expect(names()).toEqual(["a", "b", "balance", "s", "tone"]);
  });

  it("goes into the group of the step in hand, and of the group itself", () => {
    inHand([step("a", { group: "g" }), step("b", { group: "g" }), step("c")], [{ id: "g", name: "Warmth" }]);
    path.add(kind("balance"), "scene");
    expect(steps()[1]).toMatchObject({ name: "balance", group: "g" });
    take("g");
    path.add(kind("tone"), "scene");
    expect(names()).toEqual(["a", "balance", "b", "tone", "c"]);
    expect(steps()[3]?.group).toBe("g");
  });

  it("keeps the film in the order that light goes, one of a kind, and no plain rendering beside it", () => {
    inHand([step("a"), step("r", { zone: "film", kind: "plain-rendering" as never }), step("s", { zone: "screen" })]);
    for (const k of ["print", "grain", "negative", "bloom", "print"]) {
      path.add(CATALOGUE.find((c) => c.kind === k) ?? kind(k), "film");
    }
    expect(names()).toEqual(["a", "bloom", "negative", "grain", "print", "s"]);
    path.add(kind("plain-rendering", ["film"]), "film");
    // Texture stays: it is the film that gives way.
    expect(names()).toEqual(["a", "bloom", "grain", "plain-rendering", "s"]);
  });
});

describe("deleting and doubling", () => {
  it("takes the next step into the hand, or the last one that is left", () => {
    inHand([step("a"), step("b"), step("c")]);
    path.remove("b");
    expect([shape(), hand()]).toEqual(["a c", "c"]);
    path.remove("c");
    expect([shape(), hand()]).toEqual(["a", "a"]);
    path.remove("a");
    expect([shape(), hand()]).toEqual(["", null]);
    path.remove("a");
    expect(useWork.getState().past).toHaveLength(3);
  });

  it("takes a whole group with its steps as one change, and a group that is left empty goes too", () => {
    inHand([step("a"), step("b", { group: "g" }), step("c", { group: "g" })], [{ id: "g", name: "Warmth" }]);
    path.remove("g");
    expect([shape(), groups()]).toEqual(["a", []]);
    undo();
    expect([shape(), groups()]).toEqual(["a (g: b c)", ["g"]]);
    path.remove("b");
    path.remove("c");
    expect(groups()).toEqual([]);
  });

  it("doubles a step beside itself with values of its own, but none of the film", () => {
    inHand([step("a", { group: "g" }), step("f", { zone: "film", kind: "print" as never })], [{ id: "g", name: "Warmth" }]);
    path.duplicate("a");
    expect(names()).toEqual(["a", "a copy", "f"]);
    expect(steps()[1]).toMatchObject({ group: "g" });
    expect(steps()[1]?.id).not.toBe("a");
    path.duplicate("f");
    expect(names()).toEqual(["a", "a copy", "f"]);
  });
});

describe("moving", () => {
  it("goes by a place inside its zone and not beyond", () => {
    inHand([step("a"), step("b"), step("s", { zone: "screen" })]);
    path.move("b", 1);
    expect(shape()).toBe("a b s");
    path.move("b", -1);
    expect(shape()).toBe("b a s");
    path.move("b", -1);
    expect(shape()).toBe("b a s");
  });

  it("goes into a group that it meets, and out of it at its edge", () => {
    inHand([step("a"), step("b", { group: "g" }), step("c", { group: "g" }), step("d")], [{ id: "g", name: "Warmth" }]);
    path.move("a", 1);
    expect(shape()).toBe("(g: b a c) d");
    path.move("a", 1);
    expect(shape()).toBe("(g: b c a) d");
    path.move("a", 1);
    expect(shape()).toBe("(g: b c) a d");
    path.move("a", 1);
    expect(shape()).toBe("(g: b c) d a");
  });

  it("moves nothing onto a step of another zone, and nothing of the film", () => {
    inHand([step("a"), step("f", { zone: "film" }), step("h", { zone: "film" }), step("s", { zone: "screen" })]);
    path.moveTo("a", "s");
    path.moveTo("f", "h");
    expect(shape()).toBe("a f h s");
  });

  it("moves a group as a whole, around other groups and never into one", () => {
    const all = [step("a"), step("b", { group: "g" }), step("c", { group: "g" }), step("d", { group: "h" }), step("e", { group: "h" })];
    inHand(all, [{ id: "g", name: "Warmth" }, { id: "h", name: "Haze" }]);
    path.moveGroupTo("g", "d");
    expect(shape()).toBe("a (h: d e) (g: b c)");
    path.moveGroupTo("g", "a");
    expect(shape()).toBe("(g: b c) a (h: d e)");
    path.moveGroupTo("h", "c");
    expect(shape()).toBe("(h: d e) (g: b c) a");
    path.moveGroupTo("g", "b");
    expect(shape()).toBe("(h: d e) (g: b c) a");
  });
});

describe("groups", () => {
  it("brings the picked steps of one zone together where the first of them stands", () => {
    inHand([step("a"), step("b"), step("c"), step("s", { zone: "screen" })]);
    take("b");
    useWork.getState().pick("s");
    useWork.getState().pick("a");
    path.group();
    expect(names()).toEqual(["a", "b", "c", "s"]);
    const made = groups()[0];
    expect(steps().map((s) => s.group === made)).toEqual([true, true, false, false]);
    expect(hand()).toBe(made);
    undo();
    expect([shape(), groups()]).toEqual(["a b c s", []]);
  });

  it("makes no group inside of another: what is picked leaves its own", () => {
    inHand([step("a", { group: "g" }), step("b", { group: "g" }), step("c", { group: "g" }), step("d")], [{ id: "g", name: "Warmth" }]);
    take("b");
    path.group();
    const made = groups().find((g) => g !== "g");
    expect(shape()).toBe(`(g: a c) (${made}: b) d`);
  });

  it("comes apart and leaves its steps where they are", () => {
    inHand([step("a"), step("b", { group: "g" }), step("c", { group: "g" })], [{ id: "g", name: "Warmth" }]);
    path.ungroup("g");
    expect([shape(), groups(), hand()]).toEqual(["a b c", [], "b"]);
  });

  it("is left on the side that is nearer", () => {
    const all = ["a", "b", "c", "d", "e"].map((id) => step(id, { group: "g" }));
    inHand(all, [{ id: "g", name: "Warmth" }]);
    path.leaveGroup("b");
    expect(shape()).toBe("b (g: a c d e)");
    path.leaveGroup("d");
    expect(shape()).toBe("b (g: a c e) d");
  });
});

describe("steps and groups alike", () => {
  it("are renamed, switched, made weaker within 0 and 1, and held to a range", () => {
    inHand([step("a", { group: "g" })], [{ id: "g", name: "Warmth" }]);
    path.rename("a", "  Key light ");
    path.rename("a", "   ");
    path.rename("a", "Key light");
    expect([names(), useWork.getState().past.length]).toEqual([["Key light"], 1]);
    path.rename("g", "x".repeat(300));
    expect(useSession.getState().notice).toBe("“Warmth” keeps its name. A name has at most 200 letters; this one has 300.");
    path.rename("g", "");
    expect(useSession.getState().notice).toBe("“Warmth” keeps its name. A name needs at least one letter.");
    path.toggle("g");
    path.setStrength("g", 1.7);
    path.setStrength("a", -1);
    expect(useWork.getState().document?.path.groups?.[0]).toMatchObject({ on: false, strength: 1 });
    expect(useWork.getState().document?.path.groups?.[0]?.name).toBe("Warmth");
    expect(steps()[0]).toMatchObject({ on: true, strength: 0 });
    path.setRegion("a", "Range", { colours: { soft: 0.1 } } as never);
    path.changeRange("a", "Softness", { soft: 0.4 } as never);
    expect(steps()[0]?.region).toEqual({ colours: { soft: 0.4 } });
    path.setRegion("a", "Range", null);
    expect(steps()[0]).not.toHaveProperty("region");
  });

  it("a step gets back the values that change nothing", () => {
    inHand([step("a", { values: { exposure: 2, points: [[0, 1]] } } as never)]);
    path.reset("a");
    expect(steps()[0]?.values).toEqual({ exposure: 0, points: [] });
    undo();
    expect(steps()[0]?.values).toEqual({ exposure: 2, points: [[0, 1]] });
  });
});

describe("copying", () => {
  it("takes steps with their groups to another path, under ids of their own", () => {
    inHand([step("a", { group: "g" }), step("b", { group: "g" }), step("c")], [{ id: "g", name: "Warmth", strength: 0.5 }]);
    take("a");
    useWork.getState().pick("c");
    path.copy();
    inHand([step("x"), step("s", { zone: "screen" })]);
    path.paste();
    expect(names()).toEqual(["x", "a", "c", "s"]);
    const [made] = useWork.getState().document?.path.groups ?? [];
    expect(made).toMatchObject({ name: "Warmth", strength: 0.5 });
    expect(made?.id).not.toBe("g");
    expect(steps()[1]?.group).toBe(made?.id);
    expect(steps()[2]?.group).toBeUndefined();
    expect(new Set(steps().map((s) => s.id)).size).toBe(4);
    undo();
    expect(names()).toEqual(["x", "s"]);
  });

  it("cut steps are gone until they are pasted, and twice is two of them", () => {
    inHand([step("a"), step("b")]);
    path.cutOut();
    expect(shape()).toBe("b");
    path.paste();
    path.paste();
    expect(names()).toEqual(["b", "a", "a"]);
  });

  it("says so where nothing was copied", () => {
    inHand([step("a")]);
    path.paste();
    expect(useSession.getState().notice).toMatch(/Nothing was copied/);
    expect(shape()).toBe("a");
  });

  it("a trim takes steps of the scene and says what it leaves out", () => {
    inHand([step("a"), step("s", { zone: "screen" })]);
    useWork.getState().pick("s");
    path.copy();
    inHand([step("t")]);
    useWork.setState({ kind: "trim" });
    path.paste();
    expect(names()).toEqual(["t", "a"]);
    expect(useSession.getState().notice).toMatch(/1 of the steps/);
    inHand([step("s", { zone: "screen" })]);
    path.copy();
    inHand([step("t")]);
    useWork.setState({ kind: "trim" });
    path.paste();
    expect(names()).toEqual(["t"]);
    expect(useSession.getState().notice).toMatch(/Scene zone only/);
  });

  it("steps go into the group in hand, but groups do not", () => {
    const own = [step("x", { group: "g" }), step("y", { group: "g" })];
    inHand(own, [{ id: "g", name: "Warmth" }]);
    path.insert("Paste", { steps: [step("p")], groups: [] });
    expect(steps().map((s) => s.group)).toEqual(["g", "g", "g"]);
    inHand(own, [{ id: "g", name: "Warmth" }]);
    path.insert("Paste", { steps: [step("p", { group: "q" })], groups: [{ id: "q", name: "Haze", on: true, strength: 1 }] });
    expect(names()).toEqual(["x", "y", "p"]);
    expect(steps()[2]?.group).not.toBe("g");
  });
});

describe("a new step", () => {
  const group = (part: object) => [{ id: "g", name: "G", on: true, strength: 1, ...part }];
  it("goes into the group of the selected one only where that does all of it everywhere", () => {
    for (const [part, inside] of [[{}, true], [{ strength: 0.6 }, false], [{ on: false }, false], [{ region: { colours: {} } }, false]] as const) {
      inHand([step("a", { group: "g" }), step("b", { group: "g" }), step("c")], group(part));
      useWork.getState().select("a");
      expect(path.placeIn("scene")).toEqual(inside ? { at: 1, group: "g" } : { at: 2, group: undefined });
    }
  });
});

describe("what is previewed", () => {
  const look = { steps: [step("x"), step("y", { zone: "screen" })] };
  it("is exactly what taking it gives, added or in place, at any strength", () => {
    for (const replace of [false, true]) {
      for (const strength of [0.3, 1]) {
        inHand([step("a"), step("b")]);
        const ready = path.applying("Harbour", look, strength, replace);
        const document = useWork.getState().document;
        if (!ready || !document) throw new Error("nothing is ready");
        const shown = produce(document, (draft) => void ready.change(draft)).path;
        expect(useWork.getState().document?.path.steps.map((s) => s.id), "nothing is changed yet").toEqual(["a", "b"]);
        path.make(ready);
        expect(useWork.getState().document?.path).toEqual(shown);
      }
    }
  });
});

describe("applying a look", () => {
  const look: Path = {
    steps: [step("l1"), step("n", { zone: "film", kind: "negative" as never, strength: 0.8 }), step("l2", { zone: "screen" })],
    groups: [],
  };

  it("adds it as groups at a strength, and its film at its share", () => {
    inHand([step("a"), step("s", { zone: "screen" })]);
    path.apply("Harbour", look, 0.5, false);
    expect(names()).toEqual(["a", "l1", "n", "s", "l2"]);
    expect(useWork.getState().document?.path.groups?.map((g) => [g.name, g.strength])).toEqual([
      ["Harbour · scene", 0.5],
      ["Harbour · screen", 0.5],
    ]);
    expect(steps()[2]?.strength).toBeCloseTo(0.4);
    expect(useWork.getState().past).toHaveLength(1);
  });

  it("puts it in place of the whole path, as it is at full strength", () => {
    inHand([step("a"), step("s", { zone: "screen" })]);
    path.apply("Harbour", look, 1, true);
    expect([names(), groups()]).toEqual([["l1", "n", "l2"], []]);
    undo();
    expect(names()).toEqual(["a", "s"]);
  });

  it("that has groups keeps them, each at its share", () => {
    const grouped: Path = {
      steps: [step("l1", { group: "q" }), step("l2"), step("r", { zone: "film", kind: "plain-rendering" as never })],
      groups: [{ id: "q", name: "Haze", on: true, strength: 0.6 }],
    };
    inHand([step("a")]);
    path.apply("Harbour", grouped, 0.5, false);
    // One's own way to the screen is left alone.
    expect(names()).toEqual(["a", "l1", "l2"]);
    expect(useWork.getState().document?.path.groups?.[0]?.strength).toBeCloseTo(0.3);
    expect(steps().map((s) => s.strength)).toEqual([1, 1, 0.5]);
  });
});
