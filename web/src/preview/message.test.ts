/** Messages of the preview socket, taken apart. */
import { describe, expect, it } from "vitest";
import { message } from "../testing/message";
import { read } from "./message";

describe("a message", () => {
  it("is a picture whose pixels lie in the message itself", () => {
    const data = message({ rest: true, seq: 70_000, size: [3, 2] });
    const made = read(data);
    if (made.kind !== "picture") throw new Error(made.kind);
    expect([made.frame.seq, made.frame.rest, made.frame.width, made.frame.height]).toEqual([70_000, true, 3, 2]);
    expect(Array.from(made.frame.pixels)).toEqual(Array.from({ length: 24 }, (_, i) => i + 1));
    expect(made.frame.pixels.buffer).toBe(data);
    expect([made.frame.wave, made.frame.hues, made.frame.limits]).toEqual([null, null, null]);
  });

  it.each([
    [1, "picture"],
    [3, "beside"],
    [5, "loupe"],
    [6, "reel"],
  ] as const)("of kind %i is %s", (kind, name) => {
    expect(read(message({ kind })).kind).toBe(name);
  });

  it.each([
    [2, "row"],
    [4, "card"],
  ] as const)("of kind %i is a small picture of the %s, with its place", (kind, name) => {
    const made = read(message({ kind, index: 12 }));
    if (made.kind !== "row" && made.kind !== "card") throw new Error(made.kind);
    expect([made.kind, made.seq, made.thumbnail.index, made.thumbnail.width]).toEqual([name, 9, 12, 2]);
  });

  it("holds the counts that its bits say, one after the other", () => {
    const [wave, luma] = [new Uint16Array(2 * 3 * 256).fill(3), new Uint16Array(2 * 256).fill(5)];
    const [tones, hues] = [new Uint32Array(128).fill(70_001), new Uint32Array(180).fill(11)];
    const limits = new Float32Array([0.25, 0.5, 0.125, 0.75]);
    const made = read(message({ columns: 2, holds: 1 | 2 | 32 | 64 | 128, counts: [wave, luma, limits, tones, hues] }));
    if (made.kind !== "picture") throw new Error(made.kind);
    const { frame } = made;
    expect([frame.wave, frame.luma, frame.limits, frame.tones, frame.hues]).toEqual([wave, luma, limits, tones, hues]);
    expect([frame.vector, frame.histogram, frame.chromaticity]).toEqual([null, null, null]);
  });

  it("that is cut off is refused and not read beyond its end", () => {
    expect(() => read(message({ columns: 2, holds: 1 }))).toThrow(RangeError);
    expect(() => read(message({ size: [40, 40] }).slice(0, 100))).toThrow(RangeError);
  });
});
