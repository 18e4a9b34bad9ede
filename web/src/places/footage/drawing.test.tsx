// @vitest-environment jsdom
/** Footage draws a card again when its own shot changes: a series has hundreds of them. */
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Production } from "../../data/client";
import { refreshProduction, useSession } from "../../session/session";
import { act, cleanup, drawn, openMenu, screen } from "../../testing/page";
import { flip, useSelection } from "./selection";

const calls = vi.hoisted(() => ({ production: vi.fn(), folders: vi.fn() }));
const seen: number[] = [];

vi.mock("../../data/client", async (original) => {
  const real = await original<typeof import("../../data/client")>();
  return { ...real, api: { ...real.api, ...calls } };
});
// Each card draws its picture once whenever it is drawn itself.
vi.mock("../../picture/Thumb", () => ({
  Thumb: ({ index }: { index: number }) => {
    seen.push(index);
    return <canvas />;
  },
}));

const { FootagePlace } = await import("./FootagePlace");

const shot = (i: number, more = {}) => ({ id: `s${i}`, name: `shot ${i}`, encoding: "srgb", encoding_reason: "", frames: 1, width: 9, height: 9, trim_steps: 0, arriving: null, warnings: [], ...more });
const production = (shots: unknown[]) =>
  ({ id: "clock", profiles: [], scenes: [{ id: "quay", name: "Quay", finished: false, shots }, { id: "deck", name: "Deck", finished: false, shots: [] }] }) as unknown as Production;
const many = () => Array.from({ length: 30 }, (_, i) => shot(i));

/** The cards that are drawn by what is done. */
async function drawnBy(what: () => void | Promise<void>): Promise<number[]> {
  seen.length = 0;
  await act(async () => what());
  return [...new Set(seen)].sort((a, b) => a - b);
}

beforeEach(() => {
  calls.folders.mockResolvedValue([]);
  useSession.setState({ production: production(many()), shot: "s0", encodings: [], place: "footage", notice: "" });
  useSelection.setState({ shots: [], anchor: null });
});
afterEach(cleanup);

const marked = () => screen.getAllByRole("checkbox").flatMap((box, i) => ((box as HTMLInputElement).checked ? [i] : []));

it("draws no card again for what is selected", async () => {
  expect(await drawnBy(() => void drawn(<FootagePlace />))).toHaveLength(30);
  for (const [select, are] of [
    [() => flip("s7"), [7]],
    [() => useSelection.getState().set(["s8", "s7"]), [7, 8]],
    [() => useSelection.getState().set([]), []],
  ] as const) {
    expect(await drawnBy(select)).toEqual([]);
    expect(marked()).toEqual(are);
  }
});

it("draws what has changed of the production again, and nothing else", async () => {
  drawn(<FootagePlace />);
  calls.production.mockResolvedValue(production(many()));
  expect(await drawnBy(refreshProduction)).toEqual([]);
  const renamed = many();
  renamed[3] = shot(3, { name: "mole" });
  calls.production.mockResolvedValue(production(renamed));
  expect(await drawnBy(refreshProduction)).toEqual([3]);
  expect(screen.getByRole("article", { name: "mole" })).toBeTruthy();
  // What comes in stands last; those before it keep their places.
  calls.production.mockResolvedValue(production([...renamed, shot(30)]));
  expect(await drawnBy(refreshProduction)).toEqual([30]);
  calls.production.mockResolvedValue(production(renamed.slice(1)));
  expect(await drawnBy(refreshProduction)).toHaveLength(29);
});

it("says in a card's menu what can be done now, not when the card was drawn", async () => {
  drawn(<FootagePlace />);
  calls.production.mockResolvedValue({ ...production(many()), scenes: [...production(many()).scenes, { id: "mole", name: "Mole", finished: false, shots: [] }] });
  await act(() => refreshProduction());
  expect(await openMenu("More about shot 5")).toEqual(["Open in Balance", "Open in Look", "Move to Deck", "Move to Mole", "Delete…"]);
});
