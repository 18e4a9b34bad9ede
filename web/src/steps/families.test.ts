/** Families on the ring: names, borders over the wrap, dividing, merging, and groups of a picture's hues. */
import { describe, expect, it } from "vitest";
import type { Family } from "../data/client";
import { away, centre, divide, familiesOf, familyAt, fresh, fromPopulation, hasRoom, merge, moveBorder, nameOf, span, STILL, type FamiliesField, type Values } from "./families";

const field = { type: "families", id: "families", most: 12, gap: 8, borders: [22, 76, 139, 202, 256, 319] } as unknown as FamiliesField;
const six = fresh(field);
const at = (...borders: number[]): Family[] => borders.map((border) => ({ border, ...STILL }));
const borders = (f: Family[]) => f.map((x) => x.border);

describe("families", () => {
  it("are called as people call the hues in their middle, each by its own name", () => {
    expect(six.map((_, i) => nameOf(six, i))).toEqual(["Magentas", "Reds", "Yellows", "Greens", "Cyans", "Blues"]);
    const narrow = at(200, 210, 220, 300);
    expect(new Set(narrow.map((_, i) => nameOf(narrow, i))).size).toBe(4);
    expect(nameOf(at(40), 0)).toBe("All hues");
  });

  it("go over the wrap: the last one ends where the first begins", () => {
    expect([span(six, 5), centre(six, 5), familyAt(six, 10), familyAt(six, 350), familyAt(six, 100)]).toEqual([63, 350.5, 5, 5, 1]);
    expect(away(350, 10)).toBe(20);
  });

  it("of earlier looks are the six named ones, and say so where they do something", () => {
    const rest = Object.fromEntries(["magentas", "reds", "yellows", "greens", "cyans", "blues"].flatMap((n) => [[`${n}_hue`, 0], [`${n}_saturation`, 1], [`${n}_brightness`, 0]]));
    const still = familiesOf({ ...rest, families: [] } as unknown as Values, field);
    expect([still.earlier, still.families]).toEqual([false, six]);
    const moved = familiesOf({ ...rest, greens_hue: 12, families: [] } as unknown as Values, field);
    expect([moved.earlier, moved.families[3]?.hue]).toEqual([true, 12]);
  });
});

describe("a border", () => {
  it("moves between its neighbours and no nearer than the gap", () => {
    expect(borders(moveBorder(six, 2, 150, 8).families)).toEqual([22, 76, 150, 202, 256, 319]);
    expect(borders(moveBorder(six, 2, 300, 8).families)[2]).toBe(194);
    expect(borders(moveBorder(six, 2, 60, 8).families)[2]).toBe(84);
  });

  it("moves over the wrap, and its family stays the same one", () => {
    const own = six.map((f, i) => (i === 0 ? { ...f, hue: 9 } : f));
    const { families, at: place } = moveBorder(own, 0, 350, 8);
    expect([borders(families), families[place]?.hue]).toEqual([[76, 139, 202, 256, 319, 350], 9]);
  });

  it("is set where there is room, and both parts keep the move; taken away, the family before goes on", () => {
    expect([hasRoom(six, 80, 8), hasRoom(six, 84, 8), hasRoom(at(2), 356, 8)]).toEqual([false, true, false]);
    const own = six.map((f, i) => (i === 3 ? { ...f, saturation: 0.4 } : f));
    const more = divide(own, 230);
    expect([borders(more), more[3]?.saturation, more[4]?.saturation]).toEqual([[22, 76, 139, 202, 230, 256, 319], 0.4, 0.4]);
    expect(borders(merge(more, 4))).toEqual(borders(six));
    expect(merge(at(5), 0)).toHaveLength(1);
  });
});

describe("families from the picture", () => {
  /** Two groups of hues, about 120 and 240 degrees, and a little of a third. */
  const population = Array.from({ length: 180 }, (_, i) => {
    const bump = (hue: number, height: number) => height * Math.exp(-((away(hue, i * 2) / 12) ** 2));
    return bump(120, 1) + bump(240, 0.6) + bump(350, 0.3);
  });

  it("are one for each group, with borders between them", () => {
    const found = fromPopulation(population, six, 8, 12);
    const middle = (hue: number) => found[familyAt(found, hue)];
    expect(found).toHaveLength(3);
    expect(new Set([middle(120), middle(240), middle(350)]).size).toBe(3);
    expect(familyAt(found, 130)).toBe(familyAt(found, 110));
  });

  it("take over what was done to the hues in their middle, and stay as they are where there is one group only", () => {
    const own = six.map((f, i) => (i === 1 ? { ...f, hue: -14 } : f));
    const found = fromPopulation(population, own, 8, 12);
    expect(found[familyAt(found, 120)]?.hue === -14 || centre(found, familyAt(found, 120)) > 139).toBe(true);
    expect(fromPopulation(population.map((_, i) => Math.exp(-((away(120, i * 2) / 12) ** 2))), own, 8, 12)).toBe(own);
    expect(fromPopulation([], own, 8, 12)).toBe(own);
  });
});
