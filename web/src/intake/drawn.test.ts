import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { DRAW_EVERY, follow } from "./drawn";
import { useIncoming, type Coming } from "./incoming";

const coming = (id: number, part: Partial<Coming> = {}): Coming => ({ id, name: `quay ${id}`, at: 1, of: 1, sent: 0, failure: "", stopped: false, ...part });
const put = (...list: Coming[]) => useIncoming.setState({ list });

describe("what comes in is drawn", () => {
  let drawn: Coming[][] = [];
  let end = () => {};
  beforeEach(() => {
    vi.useFakeTimers();
    put();
    drawn = [];
    end = follow((list) => drawn.push(list));
  });
  afterEach(() => {
    end();
    vi.useRealTimers();
  });
  const last = () => drawn.at(-1);

  it("at once where something begins, stops, fails, goes on or all of it ends", () => {
    for (const list of [
      [coming(1), coming(2)],
      [coming(1, { stopped: true }), coming(2)],
      [coming(1, { stopped: true }), coming(2, { failure: "the file is empty" })],
      [coming(1), coming(2, { failure: "the file is empty" })],
      [coming(1)],
      [],
    ]) {
      put(...list);
      expect(last()).toEqual(list);
    }
  });

  it("a few times a second where it only gets further, and always as it is then", () => {
    put(coming(1), coming(2), coming(3));
    const before = drawn.length;
    for (let sent = 0; sent < 1; sent += 0.01) put(coming(1, { sent }), coming(2), coming(3));
    put(coming(2), coming(3));
    expect(drawn.length).toBe(before);
    vi.advanceTimersByTime(DRAW_EVERY);
    expect(drawn.length).toBe(before + 1);
    expect(last()).toEqual([coming(2), coming(3)]);
    vi.advanceTimersByTime(10 * DRAW_EVERY);
    expect(drawn.length).toBe(before + 1);
  });

  it("no more after its end, also what was still to be drawn", () => {
    put(coming(1));
    put(coming(1, { sent: 0.5 }));
    const before = drawn.length;
    end();
    put(coming(1, { failure: "refused" }));
    vi.advanceTimersByTime(DRAW_EVERY);
    expect(drawn.length).toBe(before);
  });
});
