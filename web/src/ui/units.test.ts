/** Numbers as people read and type them. */
import { describe, expect, it } from "vitest";
import type { Field } from "../data/client";
import { counted, parse, refusedName, show, tonePlace } from "./units";

const field = (unit: Field["unit"], id = "amount") => ({ id, unit }) as Field;

describe("writing", () => {
  it.each([
    ["stops", 0.5, "+0.50 st"],
    ["stops", -1.25, "−1.25 st"],
    ["stops", 0, "0.00 st"],
    ["kelvin", 5600.4, "5600 K"],
    ["duv", -0.04, "0.0"],
    ["degrees", 123.4, "123°"],
    ["percent", 0.5, "50 %"],
    ["percent", 0.055, "5.5 %"],
    ["points", 25, "25"],
    ["points", 25.5, "25.5"],
    ["density", 1.05, "1.050"],
    ["micrometres", 12.34, "12.3 µm"],
    ["micrometres", 250.4, "250 µm"],
    ["millimetres", 24.9, "24.9 mm"],
    ["plain", 0.25, "0.25"],
  ] as const)("%s %f is %s", (unit, value, text) => {
    expect(show(field(unit), value, "scene")).toBe(text);
  });

  it("places on the tonal axis are stops in the scene and per cent of the signal on the screen", () => {
    expect(tonePlace(1, "scene")).toBe("+1.00");
    // The plain rendering makes 0.1 of display white of middle grey: 0.1^(1/2.4) is 38.3 % of the signal.
    expect(tonePlace(0, "screen")).toBe("38.3 %");
    expect(show(field("tones", "pivot"), 1, "screen")).toBe("48.3 %");
    expect(show(field("tones", "toe_reach"), 1, "screen")).toBe("+10.0 %");
  });
});

describe("reading", () => {
  it("takes signs, commas, spaces and units as people type them", () => {
    const stops = field("stops");
    for (const text of ["-1.5", "−1.5 st", " - 1,5", "-1.5st"]) expect(parse(stops, text, "scene")).toBe(-1.5);
    expect(parse(stops, ".5", "scene")).toBe(0.5);
    expect(parse(field("percent"), "40 %", "scene")).toBeCloseTo(0.4);
    for (const text of ["", "warm", "−", "."]) expect(parse(stops, text, "scene")).toBeNull();
  });

  it("leads back from what is written, in every unit", () => {
    for (const unit of ["stops", "tones", "kelvin", "degrees", "percent", "points", "density", "micrometres", "plain"] as const) {
      for (const zone of ["scene", "screen"] as const) {
        for (const id of ["pivot", "shadow_reach"]) {
          for (const value of [-2, 0, 0.5, 3]) {
            const f = field(unit, id);
            const back = parse(f, show(f, value, zone), zone);
            const step = { kelvin: 1, degrees: 1, percent: 0.01 }[unit as string] ?? 0.05;
            expect(Math.abs((back ?? NaN) - value), `${unit} ${zone} ${value}`).toBeLessThanOrEqual(step);
          }
        }
      }
    }
  });
});

describe("what is typed", () => {
  it("is a number with its unit or none, and nothing that only begins like one", () => {
    const percent = field("percent");
    for (const [text, value] of [["50", 0.5], ["50 %", 0.5], ["1.5e1 %", 0.15], [".5", 0.005], ["5,", 0.05], ["−3", -0.03], ["1e99", 1e97]] as const) {
      expect(parse(percent, text, "scene"), text).toBeCloseTo(value, 10 - Math.log10(Math.abs(value)));
    }
    for (const wrong of ["0x10", "soft", "--5", "1 2 x", "", "%", "1e", "5 5 5 st 3", "Infinity", "NaN"]) expect(parse(percent, wrong, "scene"), wrong).toBeNull();
  });
});

describe("names and counts", () => {
  it("agree with their numbers", () => {
    expect([counted(0, "shot"), counted(1, "shot"), counted(4, "shot")]).toEqual(["0 shots", "1 shot", "4 shots"]);
  });

  it("are refused with the reason where they are empty or too long", () => {
    expect([refusedName("Dusk"), refusedName("x".repeat(200))]).toEqual(["", ""]);
    expect(refusedName("  ")).toMatch(/at least one letter/);
    expect(refusedName("x".repeat(201))).toMatch(/at most 200 letters; this one has 201/);
  });
});
