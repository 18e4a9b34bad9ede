/** Files on their way in: as a whole, in pieces, broken off and gone on with, stopped, sequences that were begun before. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Group, Production } from "../data/client";
import { useSession } from "../session/session";

const calls = vi.hoisted(() => ({
  have: vi.fn(),
  group: vi.fn(),
  frames: vi.fn(),
  createShot: vi.fn(),
  addFrame: vi.fn(),
  production: vi.fn(),
}));

vi.mock("../data/client", async (original) => {
  const real = await original<typeof import("../data/client")>();
  return { ...real, api: { ...real.api, ...calls } };
});

/** What the server has of each key, what came to it, and what it answers next in place of taking that. */
const server = { kept: new Map<string, number>(), pieces: [] as string[], whole: [] as string[], fail: [] as (string | null)[], hold: false, takes: null as Promise<void> | null };

/** A request that reaches that server at once, or hangs while it holds. */
class Request {
  readonly upload: { onprogress: (e: { loaded: number }) => void; onload: () => void } = { onprogress: () => undefined, onload: () => undefined };
  onload: () => void = () => undefined;
  onerror: () => void = () => undefined;
  onabort: () => void = () => undefined;
  status = 200;
  responseText = "";
  private aborted = false;
  private url = "";
  open(_: string, url: string) {
    this.url = url;
  }
  send(piece: Blob) {
    if (server.hold) return;
    const at = new URL(this.url, "http://127.0.0.1");
    const [whole, said] = [at.pathname.endsWith("/pictures"), at.searchParams];
    const key = (whole ? said.get("key") : at.pathname.split("/").at(-1)) ?? "";
    const from = Number(said.get("from"));
    if (whole) server.whole.push(`${at.pathname} ${said.get("name")} ${said.get("number")} ${said.get("shot")} ${said.get("expected")}`);
    else server.pieces.push(`${said.get("name")} ${from}+${piece.size}`);
    if (server.takes) this.upload.onload();
    const taken = server.takes ?? Promise.resolve();
    const answer = () => {
      if (this.aborted) return;
      const failure = server.fail.shift();
      if (failure === "away") {
        this.onerror();
        return;
      }
      if (failure) {
        [this.status, this.responseText] = [422, JSON.stringify({ detail: failure })];
      } else if (from !== (server.kept.get(key) ?? 0)) {
        [this.status, this.responseText] = [422, JSON.stringify({ detail: "go on from elsewhere" })];
      } else if (whole) {
        this.responseText = at.pathname.startsWith("/api/scenes/") ? JSON.stringify({ id: "new" }) : "";
      } else {
        server.kept.set(key, from + piece.size);
        this.upload.onprogress({ loaded: piece.size });
        this.responseText = JSON.stringify({ have: from + piece.size });
      }
      this.onload();
    };
    taken.then(answer, answer);
  }
  abort() {
    this.aborted = true;
    this.onabort();
  }
}

const { useIncoming } = await import("./incoming");
const { filesOf, isFootage } = await import("./files");
const { keyOf } = await import("./sending");

/** A file that holds nothing but its length. */
function file(name: string, size: number): File {
  const blob = { name, size, lastModified: 5, slice: (a: number, b: number) => ({ size: Math.max(0, Math.min(b, size) - a) }) };
  return blob as unknown as File;
}

const list = () => useIncoming.getState().list;
const send = (...files: File[]) => useIncoming.getState().send("quay", files);
const still = (name: string): Group => ({ name, sequence: false, files: [[name, 0]] }) as unknown as Group;
const until = (what: () => boolean) => vi.waitFor(() => expect(what()).toBe(true));
const MB = 1 << 20;

beforeEach(() => {
  vi.clearAllMocks();
  vi.stubGlobal("XMLHttpRequest", Request);
  Object.assign(server, { kept: new Map(), pieces: [], whole: [], fail: [], hold: false, takes: null });
  useIncoming.setState({ list: [] });
  const scenes = [{ id: "quay", shots: [] }];
  useSession.setState({ production: { id: "clock", scenes } as unknown as Production, notice: "" });
  calls.production.mockResolvedValue({ id: "clock", scenes: [] });
  calls.have.mockImplementation((key: string) => Promise.resolve({ have: server.kept.get(key) ?? 0 }));
  calls.group.mockImplementation((names: string[]) => Promise.resolve(names.map(still)));
  calls.createShot.mockResolvedValue({ id: "new" });
  calls.frames.mockResolvedValue([]);
});

describe("a file", () => {
  it("goes in pieces and becomes a shot when all of it is there", async () => {
    await send(file("mole 014.exr", 150 * MB));
    expect(server.pieces).toEqual([`mole 014.exr 0+${64 * MB}`, `mole 014.exr ${64 * MB}+${64 * MB}`, `mole 014.exr ${128 * MB}+${22 * MB}`]);
    expect(calls.createShot).toHaveBeenCalledExactlyOnceWith("quay", expect.objectContaining({ name: "mole 014.exr", number: 0, expected: 1 }));
    expect(list()).toEqual([]);
  });

  it("that breaks off says so, is kept in the list, and goes on where it was", async () => {
    server.fail = [null, "away"];
    await send(file("mole.exr", 100 * MB));
    expect(list()[0]).toMatchObject({ name: "mole.exr", failure: "the server does not answer; go on when it is back" });
    expect(list()[0]?.sent).toBeCloseTo(0.64);
    expect(calls.createShot).not.toHaveBeenCalled();
    server.pieces = [];
    useIncoming.getState().again(list()[0]?.id ?? -1);
    await until(() => list().length === 0);
    expect(server.pieces).toEqual([`mole.exr ${64 * MB}+${36 * MB}`]);
    expect(calls.createShot).toHaveBeenCalledOnce();
  });

  it("that is short is sent as a whole, without a question and with all that is said of it", async () => {
    await send(file("a & b.png", 30));
    expect(server.whole).toEqual(["/api/scenes/quay/pictures a & b.png 0 a & b.png 1"]);
    expect([server.pieces, calls.have.mock.calls.length, calls.createShot.mock.calls.length]).toEqual([[], 0, 0]);
  });

  it.each([["b.png", 12, ["b.png 12+18"]], ["c.png", 30, []]])("that is here in part goes on from there: %s", async (name, there, sent) => {
    server.kept.set(await keyOf(file(name, 30), "quay"), there);
    await send(file(name, 30));
    expect([server.whole.length, server.pieces]).toEqual([1, sent]);
    expect(calls.createShot).toHaveBeenCalledExactlyOnceWith("quay", expect.objectContaining({ name, shot: name }));
    expect(list()).toEqual([]);
  });

  it("that is a clip goes in pieces, however short", async () => {
    calls.group.mockResolvedValue([{ ...still("a.mov"), clip: true }]);
    await send(file("a.mov", 30));
    expect([server.whole, server.pieces]).toEqual([[], ["a.mov 0+30"]]);
    expect(calls.createShot).toHaveBeenCalledOnce();
  });

  it("that is short and breaks off while the server is away says so", async () => {
    server.fail = ["away"];
    calls.have.mockRejectedValue(new TypeError("Failed to fetch"));
    await send(file("a.png", 30));
    expect(list().map((c) => c.failure)).toEqual(["the server does not answer; go on when it is back"]);
  });

  it("that the server refuses is named with its words, and the next one goes on", async () => {
    server.fail = ["this is no picture: it begins as text"];
    await send(file("notes.png", 10), file("mole.png", 20));
    // Both are sent at once: whichever came first was refused.
    const [refused] = list();
    const other = refused?.name === "notes.png" ? "mole.png" : "notes.png";
    expect(list().map((c) => c.failure)).toEqual(["this is no picture: it begins as text"]);
    expect(server.whole.map((w) => w.split(" ")[1]).sort()).toEqual(["mole.png", "notes.png"]);
    expect(list().some((c) => c.name === other)).toBe(false);
    useIncoming.getState().dismiss(refused?.id ?? -1);
    expect(list()).toEqual([]);
  });

  it("that is empty is sent once, for the server to refuse", async () => {
    server.fail = ["the file is empty"];
    await send(file("empty.png", 0));
    expect([server.whole.length, server.pieces, list()[0]?.failure]).toEqual([1, [], "the file is empty"]);
  });

  it("can be stopped while it is sent, and gone on with or let go", async () => {
    server.hold = true;
    const sending = send(file("mole.png", 20), file("quay.png", 20));
    await until(() => list().length === 2);
    const [first, second] = list().map((c) => c.id);
    await new Promise((r) => setTimeout(r, 10));
    useIncoming.getState().stop(second ?? -1);
    useIncoming.getState().stop(first ?? -1);
    await sending;
    expect(list().map((c) => [c.name, c.stopped, c.failure])).toEqual([["mole.png", true, ""], ["quay.png", true, ""]]);
    server.hold = false;
    useIncoming.getState().again(first ?? -1);
    useIncoming.getState().dismiss(second ?? -1);
    await until(() => list().length === 0);
    expect(server.whole.map((w) => w.split(" ")[1])).toEqual(["mole.png"]);
  });
});

describe("what is stopped", () => {
  it("when all of it was sent is taken in all the same, and not sent again", async () => {
    let taken: () => void = () => undefined;
    server.takes = new Promise((r) => (taken = r));
    const sending = send(file("mole.png", 20));
    await until(() => server.whole.length === 1);
    useIncoming.getState().stop(list()[0]?.id ?? -1);
    taken();
    await sending;
    expect([list(), server.whole.length, calls.have.mock.calls.length]).toEqual([[], 1, 0]);
  });

  it("of a sequence sends no more of its frames", async () => {
    const names = Array.from({ length: 9 }, (_, i) => `ferry.010${i}.exr`);
    calls.group.mockResolvedValue([{ name: "ferry", sequence: true, files: names.map((n, i) => [n, i]) }]);
    const taken: (() => void)[] = [];
    const slow = () => {
      server.takes = new Promise((r) => taken.push(r));
    };
    slow();
    const sending = send(...names.map((n) => file(n, 8)));
    await until(() => server.whole.length === 1);
    slow();
    taken[0]?.();
    await until(() => server.whole.length === 4);
    useIncoming.getState().stop(list()[0]?.id ?? -1);
    taken[1]?.();
    await sending;
    expect([list().map((c) => c.stopped), server.whole.length]).toEqual([[true], 4]);
  });
});

describe("a sequence", () => {
  const group = { name: "ferry", sequence: true, files: [["ferry.0101.exr", 101], ["ferry.0102.exr", 102], ["ferry.0103.exr", 103]] } as unknown as Group;
  const files = ["ferry.0101.exr", "ferry.0102.exr", "ferry.0103.exr"].map((n) => file(n, 8));

  it("is one shot: made with its first frame, to which the others are added", async () => {
    calls.group.mockResolvedValue([group]);
    await send(...files);
    expect(server.whole[0]).toBe("/api/scenes/quay/pictures ferry.0101.exr 101 ferry 3");
    expect(server.whole.slice(1).sort()).toEqual([102, 103].map((n) => `/api/shots/new/pictures ferry.0${n}.exr ${n} null null`));
  });

  it("of long frames goes in pieces, each taken in when it is there", async () => {
    calls.group.mockResolvedValue([group]);
    await send(...files.map((f) => file(f.name, 40 * MB)));
    expect([server.whole.length, server.pieces.length]).toEqual([0, 3]);
    expect(calls.createShot).toHaveBeenCalledExactlyOnceWith("quay", expect.objectContaining({ number: 101, shot: "ferry", expected: 3 }));
    expect(calls.addFrame.mock.calls.map(([shot, frame]) => `${shot} ${(frame as { number: number }).number}`).sort()).toEqual(["new 102", "new 103"]);
  });

  it("that was begun before goes on in its shot, without the frames that are there in full", async () => {
    calls.group.mockResolvedValue([group]);
    const begun = { id: "begun", name: "ferry", frames: 2, expected: 3, warnings: [] };
    useSession.setState({ production: { id: "clock", scenes: [{ id: "quay", shots: [begun] }] } as unknown as Production });
    calls.frames.mockResolvedValue([{ name: "ferry.0101.exr", bytes: 8 }, { name: "ferry.0102.exr", bytes: 5 }]);
    await send(...files);
    expect(calls.createShot).not.toHaveBeenCalled();
    // A few go at once, in any order.
    expect(server.whole.sort()).toEqual([102, 103].map((n) => `/api/shots/begun/pictures ferry.0${n}.exr ${n} null null`));
  });
});

describe("names", () => {
  it("say what is footage before anything is sent", async () => {
    for (const yes of ["a.exr", "B.DPX", "c.TIFF", "d.jpeg", "e.MOV", "f.mp4"]) expect(isFootage(yes), yes).toBe(true);
    for (const no of ["a.txt", ".hidden.png", "png", "a.exr.bak", ""]) expect(isFootage(no), no).toBe(false);
    await send(file("notes.txt", 10));
    expect(calls.group).not.toHaveBeenCalled();
    expect(useSession.getState().notice).toMatch(/No readable pictures or clips/);
  });

  it("make the same key for the same file in the same scene, and another for any other", async () => {
    const own = await keyOf(file("a.exr", 8), "quay");
    expect(own).toMatch(/^[0-9a-f]{64}$/);
    expect(await keyOf(file("a.exr", 8), "quay")).toBe(own);
    for (const [name, size, scene] of [["b.exr", 8, "quay"], ["a.exr", 9, "quay"], ["a.exr", 8, "deck"]] as const) {
      expect(await keyOf(file(name, size), scene)).not.toBe(own);
    }
  });
});

describe("a drop", () => {
  it("gives the files inside folders too, also where a folder is read in parts", async () => {
    const leaf = (name: string) => ({ isFile: true, fullPath: `/day/${name}`, file: (done: (f: unknown) => void) => done({ name }) });
    const folder = (parts: unknown[][]) => ({
      isFile: false,
      createReader: () => {
        const left = [...parts];
        return { readEntries: (done: (e: unknown[]) => void) => done(left.shift() ?? []) };
      },
    });
    const day = folder([[leaf("a.exr")], [folder([[leaf("b.exr"), leaf("c.exr")]])]]);
    const items = [day, leaf("d.exr"), null].map((entry) => ({ webkitGetAsEntry: () => entry }));
    const found = await filesOf({ items, files: [] } as unknown as DataTransfer);
    expect(found.map((f) => f.name)).toEqual(["a.exr", "b.exr", "c.exr", "d.exr"]);
    const plain = await filesOf({ items: [], files: [{ name: "e.png" }] } as unknown as DataTransfer);
    expect(plain.map((f) => f.name)).toEqual(["e.png"]);
  });
});
