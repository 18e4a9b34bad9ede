/** What a table begins from where nobody has said it. */
import { describe, expect, it } from "vitest";
import type { EncodingInfo, Production } from "../data/client";
import { usualInput } from "./encodings";

const shipped = [
  { id: "acescct", narrow: false },
  { id: "acescg", narrow: true },
  { id: "srgb", narrow: false },
] as EncodingInfo[];

const of = (encodings: string[], more: object = {}, finished: string[] = []) => {
  const scene = (list: string[], done: boolean) => ({ finished: done, shots: list.map((encoding) => ({ encoding })) });
  return { profiles: [], scenes: [scene(encodings, false), scene(finished, true)], ...more } as unknown as Production;
};

describe("the input of a table", () => {
  it("is what most graded shots are encoded in", () => {
    expect(usualInput(of(["srgb", "acescct", "srgb", ""]), shipped)).toBe("srgb");
    expect(usualInput(of(["acescct"], {}, ["srgb", "srgb"]), shipped)).toBe("acescct");
  });

  it("is no linear encoding, whose table few programs read", () => {
    expect(usualInput(of(["acescg", "acescg", "srgb"]), shipped)).toBe("acescct");
  });

  it("is the usual camera where that or nothing is known", () => {
    const profiles = [{ usual: true, encoding: "profile-1", body: {} }];
    expect(usualInput(of(["camera", "srgb", "camera"], { profiles }), shipped)).toBe("camera");
    expect(usualInput(of([], { profiles }), shipped)).toBe("camera");
    expect(usualInput(of(["profile-2"], { profiles }), shipped)).toBe("camera");
    expect(usualInput(of([]), shipped)).toBe("acescct");
    expect(usualInput(null, shipped)).toBe("acescct");
  });
});
