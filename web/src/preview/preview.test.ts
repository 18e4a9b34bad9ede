/** The way of a drag: what is asked for when, and which picture counts. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { message } from "../testing/message";
import { step } from "../testing/path";
import type { FromSocket, ToSocket } from "./socket.worker";
import type { View } from "./preview";

interface Asked {
  ask: string;
  seq: number;
  shots?: string[];
  quality?: string;
  width?: number;
  path?: { steps: { strength: number }[] };
  counts?: Record<string, unknown>;
}

/** The worker that has the socket. */
class Socket {
  static last: Socket;
  static readonly opened: string[] = [];
  onmessage: (event: { data: FromSocket }) => void = () => undefined;
  readonly sent: Asked[] = [];
  constructor() {
    Socket.last = this;
  }
  postMessage(said: ToSocket) {
    if ("send" in said) this.sent.push(JSON.parse(said.send) as Asked);
    else Socket.opened.push(said.open);
  }
  says(data: FromSocket) {
    this.onmessage({ data });
  }
}

let preview: typeof import("./preview").preview;
const frames: number[] = [];

/** A view of a path whose one step has a strength. */
const view = (strength: number, more: Partial<View> = {}): View => {
  const path = { steps: [step("a", { strength })] };
  const base = { shot: "mole", frame: null, path, trim: null, show: "picture", matteOf: null, part: null, counts: { wave: true, limits: true } };
  return { ...base, own: path, step: "a", huesOf: null, row: ["mole"], rowFirst: 0, rowPath: path, beside: null, loupe: null, places: [], ...more } as View;
};
const asked = (what: string) => Socket.last.sent.filter((m) => m.ask === what);
const pictures = () => asked("picture").map((m) => `${m.quality} ${m.path?.steps[0]?.strength}`);
const newest = () => asked("picture").at(-1)?.seq ?? 0;
const arrives = (seq: number, rest = false, more = {}) => Socket.last.says({ bytes: message({ seq, rest, ...more }) });

beforeEach(async () => {
  vi.useFakeTimers();
  vi.resetModules();
  vi.stubGlobal("Worker", Socket);
  vi.stubGlobal("location", { host: "127.0.0.1:7171" });
  vi.stubGlobal("requestAnimationFrame", (job: () => void) => setTimeout(job, 16));
  Socket.opened.length = 0;
  frames.length = 0;
  ({ preview } = await import("./preview"));
  preview.frames.next((f) => frames.push(f.seq));
  preview.open();
  Socket.last.says({ state: "open" });
});

describe("where nothing but the row is seen", () => {
  const rowOnly = { rowOnly: true, row: ["mole", "quay"] };

  it("asks for the row and not for the picture in hand, and is at rest at once", () => {
    for (const dragging of [false, true]) {
      preview.show(view(0.1, rowOnly), dragging);
      vi.advanceTimersByTime(1000);
      expect(asked("row").at(-1)).toMatchObject({ shots: ["mole", "quay"], seq: preview.settled() });
    }
    expect(Socket.last.sent.every((m) => m.ask === "row")).toBe(true);
  });

  it("drops a picture that was under way, and asks anew where it is seen again", () => {
    preview.show(view(0.1), true);
    const late = newest();
    preview.show(view(0.1, rowOnly), false);
    expect(preview.settled()).toBeGreaterThan(late);
    arrives(late);
    expect(frames).toEqual([]);
    preview.show(view(0.1), false);
    expect(preview.settled()).toBe(0);
    expect(pictures()).toEqual(["drag 0.1", "rest 0.1"]);
    arrives(late);
    expect(frames).toEqual([]);
    arrives(newest(), true);
    expect(frames).toEqual([newest()]);
    expect(preview.settled()).toBe(newest());
  });

  it("asks anew for what stands beside the picture and for the loupe: an encoding may have changed meanwhile", () => {
    const beside = view(0.1, { shot: "quay" });
    const seen = view(0.1, { beside, loupe: [0, 0, 0.1, 0.1] });
    preview.show(seen, false);
    preview.show(view(0.1, rowOnly), false);
    preview.show(seen, false);
    expect([asked("beside"), asked("loupe")].map((all) => all.length)).toEqual([2, 2]);
  });

  it("asks for the row when the server is back", () => {
    Socket.last.says({ state: "closed" });
    preview.show(view(0.1, rowOnly), false);
    expect(preview.settled()).toBe(0);
    expect(asked("row")).toEqual([]);
    Socket.last.says({ state: "open" });
    expect(asked("row")).toHaveLength(1);
    expect(preview.settled()).toBeGreaterThan(0);
  });
});

describe("a drag", () => {
  it("asks for no more pixels than the screen has under the picture, and at rest or close up for all", () => {
    for (const [across, width] of [
      [638, 640],
      [640, 640],
      [641, 640],
      [650, 800],
      [90, 320],
      [1900, 960],
    ] as const) {
      preview.across = across;
      preview.show(view(across), true);
      expect(asked("picture").at(-1)?.width).toBe(width);
      arrives(newest());
    }
    preview.across = 500;
    vi.advanceTimersByTime(500);
    expect(asked("picture").at(-1)).toMatchObject({ quality: "rest", width: 960 });
    arrives(newest(), true);
    preview.show(view(0.3, { part: [0.2, 0.2, 0.5, 0.5] }), true);
    expect(asked("picture").at(-1)).toMatchObject({ quality: "drag", width: 960 });
  });

  it("has one picture under way, and then the newest value and none between", () => {
    for (const s of [0.1, 0.2, 0.3, 0.4]) preview.show(view(s), true);
    expect(pictures()).toEqual(["drag 0.1"]);
    arrives(newest());
    expect(pictures()).toEqual(["drag 0.1", "drag 0.4"]);
    arrives(newest());
    expect(pictures()).toHaveLength(2);
    expect(frames).toHaveLength(2);
  });

  it("asks for the exact picture a while after the last change, and only once the quick one is there", () => {
    preview.show(view(0.1), true);
    vi.advanceTimersByTime(100);
    preview.show(view(0.2), true);
    vi.advanceTimersByTime(139);
    expect(pictures()).toEqual(["drag 0.1"]);
    vi.advanceTimersByTime(500);
    expect(pictures()).toEqual(["drag 0.1"]);
    arrives(newest());
    expect(pictures()).toEqual(["drag 0.1", "drag 0.2"]);
    arrives(newest());
    vi.advanceTimersByTime(20);
    expect(pictures()).toEqual(["drag 0.1", "drag 0.2", "rest 0.2"]);
    expect(preview.settled()).toBe(0);
    arrives(newest(), true);
    expect(preview.settled()).toBe(newest());
  });

  it("goes on over an exact picture, which is dropped when it comes late", () => {
    preview.show(view(0.1), false);
    const exact = newest();
    preview.show(view(0.2), true);
    expect(pictures()).toEqual(["rest 0.1", "drag 0.2"]);
    arrives(exact, true);
    expect(frames).toEqual([]);
    arrives(newest());
    expect(frames).toEqual([newest()]);
    expect(preview.settled()).toBe(0);
  });

  it("asks for scopes with every second picture, and for whole programs at rest alone", () => {
    for (const s of [0.1, 0.2, 0.3]) {
      preview.show(view(s), true);
      arrives(newest());
    }
    expect(asked("picture").map((m) => m.counts?.wave)).toEqual([undefined, true, undefined]);
    expect(asked("picture")[1]?.counts?.limits).toBe(false);
    vi.advanceTimersByTime(200);
    expect(asked("picture").at(-1)?.counts).toMatchObject({ wave: true, limits: true });
  });

  it("draws scopes in a task after the picture's own", () => {
    const counted: number[] = [];
    preview.counted.next((f) => counted.push(f.seq));
    preview.show(view(0.1), true);
    arrives(newest(), false, { columns: 1, holds: 2, counts: [new Uint16Array(256)] });
    expect([frames.length, counted.length]).toEqual([1, 0]);
    vi.advanceTimersByTime(1);
    expect(counted).toEqual(frames);
  });

  it("measures from the change that a picture holds to its pixels", () => {
    preview.show(view(0.1), true);
    vi.advanceTimersByTime(12);
    preview.show(view(0.2), true);
    vi.advanceTimersByTime(8);
    arrives(newest());
    vi.advanceTimersByTime(30);
    arrives(newest());
    // The second value waited 8 ms for the first picture, and its own took 30.
    expect(preview.latencies.map(Math.round)).toEqual([20, 38]);
  });
});

describe("those who wait for a picture", () => {
  it("are called when it is there, or before long anyway", () => {
    const told: string[] = [];
    preview.whenFree(() => told.push("none under way"));
    vi.advanceTimersByTime(16);
    preview.show(view(0.1), true);
    preview.whenFree(() => told.push("its picture"));
    vi.advanceTimersByTime(16);
    expect(told).toEqual(["none under way"]);
    arrives(newest());
    expect(told).toEqual(["none under way", "its picture"]);
    preview.show(view(0.2), true);
    preview.whenFree(() => told.push("late"));
    vi.advanceTimersByTime(80);
    expect(told.at(-1)).toBe("late");
    arrives(newest());
    expect(told).toHaveLength(3);
  });
});

describe("at rest", () => {
  it("everything is asked for that is on screen, and what did not change is not asked for twice", () => {
    const beside = { ...view(1), shot: "ferry" };
    const whole = view(0.5, { beside, loupe: [0.4, 0.4, 0.1, 0.1], places: [[0.5, 0.5]] });
    preview.show(whole, false);
    expect(Socket.last.sent.map((m) => m.ask)).toEqual(["picture", "reading", "sample", "beside", "loupe", "row"]);
    arrives(newest(), true);
    preview.show({ ...whole, step: "b" }, false);
    expect([asked("beside").length, asked("loupe").length, asked("row").length]).toEqual([1, 1, 2]);
    preview.show({ ...whole, loupe: [0.5, 0.4, 0.1, 0.1] }, false);
    expect(asked("loupe")).toHaveLength(2);
  });

  it("pictures of other kinds go to those who asked for them and settle nothing", () => {
    const got: string[] = [];
    preview.besides.next(() => got.push("beside"));
    preview.loupes.next(() => got.push("loupe"));
    preview.thumbnails.next((t) => got.push(`row ${t.thumbnail.index}`));
    preview.cards.next((c) => got.push(`card ${c.seq}`));
    preview.show(view(0.5), false);
    const cards = preview.askCards("mole", null, [view(1).path], 96);
    for (const [kind, more] of [[3, {}], [5, {}], [2, { index: 4 }], [4, { seq: cards }]] as const) arrives(newest(), true, { kind, ...more });
    expect(got).toEqual(["beside", "loupe", "row 4", `card ${cards}`]);
    expect([frames, preview.settled()]).toEqual([[], 0]);
  });
});

describe("when something goes wrong", () => {
  const refuses = (ask: string, seq: number, detail = "Not so.") => Socket.last.says({ text: JSON.stringify({ problem: { ask, seq, detail } }) });

  it("a refusal of something else leaves the picture under way alone", () => {
    preview.show(view(0.1), true);
    const under = newest();
    for (const ask of ["row", "cards", "sample", "reading", "beside", "loupe", "reel", ""]) refuses(ask, under);
    refuses("picture", under - 1);
    preview.show(view(0.2), true);
    expect(pictures()).toEqual(["drag 0.1"]);
    arrives(under);
    expect([frames, pictures()]).toEqual([[under], ["drag 0.1", "drag 0.2"]]);
  });

  it("a refused picture gives its place to the newest value", () => {
    preview.show(view(0.1), true);
    preview.show(view(0.2), true);
    refuses("picture", newest());
    expect(pictures()).toEqual(["drag 0.1", "drag 0.2"]);
  });

  it("what stands beside is asked for again after it was refused", () => {
    const beside = { ...view(0.1), shot: "pier" };
    preview.show(view(0.1, { beside }), false);
    vi.advanceTimersByTime(500);
    arrives(newest(), true);
    expect(asked("beside")).toHaveLength(1);
    refuses("beside", newest());
    preview.show(view(0.1, { beside }), false);
    vi.advanceTimersByTime(500);
    expect(asked("beside")).toHaveLength(2);
  });

  it("a refusal is said, and the next change is asked for", () => {
    const problems: string[] = [];
    preview.problems.next((p) => problems.push(p));
    preview.show(view(0.1), true);
    refuses("picture", newest(), "There is no shot with this id.");
    expect(problems).toEqual(["There is no shot with this id."]);
    preview.show(view(0.2), true);
    expect(pictures()).toEqual(["drag 0.1", "drag 0.2"]);
  });

  it("the socket is opened again, and what is on screen is asked for anew", () => {
    const online: boolean[] = [];
    preview.online.next((o) => online.push(o));
    preview.show(view(0.1), true);
    Socket.last.says({ state: "closed" });
    preview.show(view(0.2), true);
    expect(pictures()).toEqual(["drag 0.1"]);
    vi.advanceTimersByTime(800);
    expect(Socket.opened).toEqual(["ws://127.0.0.1:7171/api/preview", "ws://127.0.0.1:7171/api/preview"]);
    Socket.last.says({ state: "open" });
    expect(pictures().at(-1)).toBe("rest 0.2");
    expect(online).toEqual([false, true]);
  });
});
