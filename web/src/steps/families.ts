/** Colour families on the ring: which there are, what they are called, and what moving, adding and merging borders makes. */
import type { Family, Field, Step } from "../data/client";

export type FamiliesField = Extract<Field, { type: "families" }>;
export type Values = Extract<Step, { kind: "colour-families" }>["values"];
export type Move = Pick<Family, "hue" | "saturation" | "brightness">;

export const STILL: Move = { hue: 0, saturation: 1, brightness: 0 };

/** The six of looks made before borders could be moved, in the order that they go round from the lowest border. */
const NAMED = ["magentas", "reds", "yellows", "greens", "cyans", "blues"] as const;

/** What hues are called, by their angle on the vectorscope (BT.709's targets, and half-way between them). */
const NAMES: [number, string][] = [
  [22, "Violets"],
  [50, "Magentas"],
  [76, "Pinks"],
  [103, "Reds"],
  [139, "Oranges"],
  [175, "Yellows"],
  [202, "Limes"],
  [230, "Greens"],
  [256, "Teals"],
  [283, "Cyans"],
  [319, "Azures"],
  [355, "Blues"],
];

export const turn = (degrees: number) => ((degrees % 360) + 360) % 360;
/** The way from one hue to another, −180..180. */
export const away = (from: number, to: number) => turn(to - from + 180) - 180;

/** A new step's families: none of them moves anything. */
export function fresh(field: FamiliesField): Family[] {
  return field.borders.map((border) => ({ border, ...STILL }));
}

/** The moves of the six named families, in the order of their borders. */
function named(values: Values): Move[] {
  const v = values as unknown as Record<string, number>;
  return NAMED.map((n) => ({ hue: v[`${n}_hue`] ?? 0, saturation: v[`${n}_saturation`] ?? 1, brightness: v[`${n}_brightness`] ?? 0 }));
}

const moves = (m: Move) => m.hue !== 0 || m.saturation !== 1 || m.brightness !== 0;

/** The families of a step; `earlier` where it is one from before borders could be moved and does something. */
export function familiesOf(values: Values, field: FamiliesField): { families: Family[]; earlier: boolean } {
  if (values.families.length > 0) return { families: values.families, earlier: false };
  const own = named(values);
  return { families: field.borders.map((border, i) => ({ border, ...(own[i] ?? STILL) })), earlier: own.some(moves) };
}

/** The fields that the six named families are kept in, at what changes nothing. */
export function namedAtRest(): Record<string, number> {
  return Object.fromEntries(NAMED.flatMap((n) => [[`${n}_hue`, 0], [`${n}_saturation`, 1], [`${n}_brightness`, 0]]));
}

/** Degrees from a family's border to the next one. */
export function span(families: Family[], i: number): number {
  const [own, next] = [families[i]?.border ?? 0, families[(i + 1) % families.length]?.border ?? 0];
  return families.length === 1 ? 360 : turn(next - own);
}

/** The hue in the middle of a family. */
export function centre(families: Family[], i: number): number {
  return turn((families[i]?.border ?? 0) + span(families, i) / 2);
}

/** What a family is called: by the hue in its middle; alike ones are numbered. */
export function nameOf(families: Family[], i: number): string {
  if (families.length === 1) return "All hues";
  const called = (k: number) => {
    const at = centre(families, k);
    return NAMES.reduce((best, n) => (Math.abs(away(n[0], at)) < Math.abs(away(best[0], at)) ? n : best))[1];
  };
  const name = called(i);
  const alike = families.flatMap((_, k) => (called(k) === name ? [k] : []));
  return alike.length > 1 ? `${name} ${alike.indexOf(i) + 1}` : name;
}

/** The family that a hue belongs to. */
export function familyAt(families: Family[], hue: number): number {
  const found = families.findIndex((f, i) => turn(hue - f.border) < span(families, i));
  return Math.max(0, found);
}

function sorted(families: Family[]): Family[] {
  return [...families].sort((a, b) => a.border - b.border);
}

/** Moves a family's border, held short of its neighbours. Gives the families in order, and the place of the moved one. */
export function moveBorder(families: Family[], i: number, to: number, gap: number): { families: Family[]; at: number } {
  const n = families.length;
  const own = families[i];
  if (!own) return { families, at: i };
  const before = families[(i + n - 1) % n]?.border ?? 0;
  const room = n === 1 ? 360 : turn((families[(i + 1) % n]?.border ?? 0) - before) || 360;
  // Counted from the border before, so that the wrap makes no difference.
  const from = turn(to - before);
  const short = away(own.border, to) < 0 && from > turn(own.border - before) ? gap : from;
  const held = n === 1 ? from : Math.min(room - gap, Math.max(gap, short));
  const moved = { ...own, border: Math.round(turn(before + held) * 10) / 10 };
  const next = sorted(families.map((f, k) => (k === i ? moved : f)));
  return { families: next, at: next.indexOf(moved) };
}

/** Whether a border has room at a hue. */
export function hasRoom(families: Family[], hue: number, gap: number): boolean {
  return families.every((f) => Math.abs(away(f.border, hue)) >= gap);
}

/** Divides the family that a hue belongs to there; both parts keep its move. */
export function divide(families: Family[], hue: number): Family[] {
  const own = families[familyAt(families, hue)];
  return own ? sorted([...families, { ...own, border: Math.round(turn(hue) * 10) / 10 }]) : families;
}

/** Takes a family's border away: it becomes a part of the one before. */
export function merge(families: Family[], i: number): Family[] {
  return families.length > 1 ? families.filter((_, k) => k !== i) : families;
}

/** Share of the highest that a group of hues has to reach, and how far groups lie apart at least, in degrees. */
const LOWEST = 0.12;
const APART = 24;

/**
 * Families from the hues that are really in the picture: one for each group, with borders where there are fewest between
 * them. `population` goes round the circle from 0 degrees. Each takes the move that its middle had.
 */
export function fromPopulation(population: number[], families: Family[], gap: number, most: number): Family[] {
  const n = population.length;
  if (n === 0) return families;
  const degrees = 360 / n;
  const wide = Math.round(10 / degrees);
  const at = (list: number[], k: number) => list[((k % n) + n) % n] ?? 0;
  const smooth = population.map((_, i) => {
    let sum = 0;
    for (let k = -wide; k <= wide; k += 1) sum += at(population, i + k) * (wide + 1 - Math.abs(k));
    return sum;
  });
  const highest = Math.max(...smooth);
  const peaks = smooth
    .map((v, i) => ({ v, i }))
    .filter(({ v, i }) => v > LOWEST * highest && v >= at(smooth, i - 1) && v > at(smooth, i + 1))
    .sort((a, b) => b.v - a.v);
  const kept: number[] = [];
  for (const { i } of peaks) if (kept.length < most && kept.every((k) => Math.abs(away(k * degrees, i * degrees)) >= Math.max(APART, 2 * gap))) kept.push(i);
  kept.sort((a, b) => a - b);
  if (kept.length < 2) return families;
  const borders = kept.map((peak, k) => {
    const before = kept[(k + kept.length - 1) % kept.length] ?? peak;
    const steps = (((peak - before) % n) + n) % n || n;
    const edge = Math.ceil(gap / 2 / degrees);
    // The middle of the lowest stretch between the two.
    const between = Array.from({ length: Math.max(1, steps - 2 * edge) }, (_, s) => before + edge + s);
    const low = Math.min(...between.map((b) => at(smooth, b)));
    const lowest = between.filter((b) => at(smooth, b) <= low * 1.001 + 1e-9);
    return turn((lowest[Math.floor(lowest.length / 2)] ?? peak) * degrees);
  });
  const made = sorted(borders.map((border) => ({ border: Math.round(border * 10) / 10, ...STILL })));
  const spaced = made.filter((f, i) => i === 0 || f.border - (made[i - 1]?.border ?? 0) >= gap);
  return spaced.map((f, i) => {
    const { hue, saturation, brightness } = families[familyAt(families, centre(spaced, i))] ?? { border: 0, ...STILL };
    return { border: f.border, hue, saturation, brightness };
  });
}
