/** Whether a kept history belongs to a path. */
import { describe, expect, it } from "vitest";
import type { Path } from "../data/client";
import { canonical } from "./history";

const path = (text: string) => JSON.parse(text) as Path;

describe("a path as text", () => {
  it("is the same whatever the order of keys, and with what is left out or null", () => {
    const a = path('{"steps":[{"id":"a","values":{"x":1,"y":[2,3]},"group":null}],"groups":[]}');
    const b = path('{"groups":[],"steps":[{"values":{"y":[2,3],"x":1.0},"id":"a"}]}');
    expect(canonical(a)).toBe(canonical(b));
  });

  it("is another for another value, order of steps or list", () => {
    const texts = ['{"steps":[{"id":"a"},{"id":"b"}]}', '{"steps":[{"id":"b"},{"id":"a"}]}', '{"steps":[{"id":"a"}]}', '{"steps":[{"id":"a","on":false},{"id":"b"}]}'];
    expect(new Set(texts.map((t) => canonical(path(t)))).size).toBe(4);
  });
});
