/** Selecting shots: one by one, rows, all, and what is left when some are gone. */
import { beforeEach, describe, expect, it } from "vitest";
import type { Production } from "../../data/client";
import { useSession } from "../../session/session";
import { flip, upTo, useSelection } from "./selection";

const production = { id: "p", scenes: [{ id: "s", shots: [{ id: "a" }, { id: "b" }] }, { id: "t", shots: [{ id: "c" }, { id: "d" }] }] } as unknown as Production;
const selected = () => useSelection.getState().shots;

beforeEach(() => {
  useSession.setState({ production });
  useSelection.setState({ shots: [], anchor: null });
});

describe("a selection", () => {
  it("grows and shrinks one by one, in the order of the production", () => {
    flip("d");
    flip("a");
    expect(selected()).toEqual(["a", "d"]);
    flip("d");
    expect(selected()).toEqual(["a"]);
  });

  it("reaches from the last one to the one that is clicked with Shift, over scenes and backwards", () => {
    flip("b");
    upTo("d");
    expect(selected()).toEqual(["b", "c", "d"]);
    useSelection.setState({ shots: [], anchor: null });
    flip("c");
    upTo("a");
    expect(selected()).toEqual(["a", "b", "c"]);
  });

  it("lets go what is not there any more", () => {
    flip("a");
    flip("c");
    useSelection.getState().keep(["a", "b"]);
    expect(selected()).toEqual(["a"]);
  });
});
