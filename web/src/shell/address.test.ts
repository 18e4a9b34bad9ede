/** What an address names. */
import { describe, expect, it } from "vitest";
import type { LookLine, Production } from "../data/client";
import { lookOf, readAddress, shotOf } from "./address";

const production = { id: "p", scenes: [{ id: "s", shots: [{ id: "1", name: "mole" }, { id: "2", name: "deck" }] }] } as unknown as Production;
const looks = [{ id: "l1", name: "Dusk" }, { id: "l2", name: "Dawn" }] as LookLine[];

describe("an address", () => {
  it("names production, place, look, shot and step; what is no place is none", () => {
    expect(readAddress("?production=p&place=balance&look=l1&shot=2&step=a")).toEqual({ production: "p", place: "balance", look: "l1", shot: "2", step: "a" });
    expect(readAddress("?place=attic")).toEqual({ production: null, place: null, look: null, shot: null, step: null });
  });

  it("names shots and looks by id, or by name as people write them", () => {
    expect([shotOf(production, "2"), shotOf(production, "mole"), shotOf(production, "gone"), shotOf(production, null)]).toEqual(["2", "1", null, null]);
    expect([lookOf(looks, "l2"), lookOf(looks, "Dusk"), lookOf(looks, null)]).toEqual(["l2", "l1", null]);
  });
});
