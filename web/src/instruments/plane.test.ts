/** The colour-difference plane, against ITU-R BT.709. */
import { describe, expect, it } from "vitest";
import { SKIN_DEGREES } from "../data/constants";
import { TARGETS, placeOf, polarOf } from "./plane";

describe("the plane", () => {
  it("has the targets of 75 % bars where BT.709 has them", () => {
    // BT.709-6, items 3.2 and 3.3: at full red the red difference is 0.5, at full blue the blue one; here 0.75 of it.
    const at = Object.fromEntries(TARGETS.map((t) => [t.name, t]));
    expect(at.R?.cr).toBeCloseTo(0.375, 4);
    expect(at.B?.cb).toBeCloseTo(0.375, 4);
    // What is opposite in colour is opposite in the plane: each pair of bars sums to white.
    for (const [a, b] of ["RC", "GM", "BY"]) {
      const [p, q] = [at[a ?? ""], at[b ?? ""]];
      expect((p?.cb ?? 1) + (q?.cb ?? 1)).toBeCloseTo(0, 10);
      expect((p?.cr ?? 1) + (q?.cr ?? 1)).toBeCloseTo(0, 10);
    }
  });

  it("turns places to hue and radius and back", () => {
    for (let hue = 0; hue < 360; hue += 17) {
      const { cb, cr } = placeOf(hue, 0.3);
      const back = polarOf(cb, cr);
      expect(back.hue).toBeCloseTo(hue, 8);
      expect(back.amount).toBeCloseTo(0.3, 10);
    }
  });

  it("has the skin line between red and yellow", () => {
    const hue = (name: string) => {
      const t = TARGETS.find((t) => t.name === name);
      return polarOf(t?.cb ?? 0, t?.cr ?? 0).hue;
    };
    expect(SKIN_DEGREES).toBeGreaterThan(hue("R"));
    expect(SKIN_DEGREES).toBeLessThan(hue("Y"));
  });
});
