/**
 * The preview socket: the newest path goes out, pixels and scope counts come back. Outside React, so that a drag
 * never waits for a render. One picture is in flight at a time; the newest values win.
 */
import type { Path, Reading } from "./client";
import type { FromSocket, ToSocket } from "./socket.worker";

/** A picture with its scope counts; arrays are views of the message, not copies. */
export interface Frame {
  seq: number;
  rest: boolean;
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
  columns: number;
  wave: Uint16Array | null;
  vector: Uint16Array | null;
  tones: Uint32Array | null;
}

export interface Thumbnail {
  index: number;
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
}

/** What to look at. */
export interface View {
  shot: string;
  path: Path;
  step: string | null;
  row: string[];
}

const HEADER = 16;
const LEVELS = 256;
const BINS = 128;
/** Quiet time after the last change until the exact picture is asked for. */
const REST_AFTER = 140;
/** The longest that a drag waits for the picture before it. */
const FREE_AFTER = 80;
const RETRY_AFTER = 800;
const WIDTH = 960;
const ROW_WIDTH = 148;
const DISPLAY = "srgb";

type Listener<T> = (value: T) => void;

class Listeners<T> {
  private readonly all = new Set<Listener<T>>();
  private last: T | undefined;

  add(listener: Listener<T>): () => void {
    this.all.add(listener);
    if (this.last !== undefined) listener(this.last);
    return () => this.all.delete(listener);
  }

  say(value: T): void {
    this.last = value;
    for (const listener of this.all) listener(value);
  }
}

class Preview {
  readonly frames = new Listeners<Frame>();
  /** Frames that have scope counts, while dragging in a task after the picture's own. */
  readonly counted = new Listeners<Frame>();
  readonly thumbnails = new Listeners<Thumbnail>();
  readonly readings = new Listeners<Reading>();
  readonly problems = new Listeners<string>();
  readonly online = new Listeners<boolean>();
  /** Milliseconds from the newest change that a picture holds to its pixels on the canvas, newest last. */
  readonly latencies: number[] = [];

  private worker: Worker | null = null;
  private connected = false;
  private view: View | null = null;
  private seq = 0;
  private inFlight: { seq: number; since: number; rest: boolean } | null = null;
  private dirty: number | null = null;
  private drags = 0;
  private restTimer: number | undefined;
  private shown = 0;
  private atRest = false;

  /** Opens the socket; it is opened again by itself when the server comes back. */
  open(): void {
    if (this.worker) return;
    this.worker = new Worker(new URL("./socket.worker.ts", import.meta.url), { type: "module" });
    this.worker.onmessage = (event: MessageEvent<FromSocket>) => {
      const said = event.data;
      if ("text" in said) this.text(said.text);
      else if ("bytes" in said) this.bytes(said.bytes);
      else this.turned(said.state === "open");
    };
    this.connect();
  }

  private connect(): void {
    this.tell({ open: `ws://${location.host}/api/preview` });
  }

  private tell(message: ToSocket): void {
    this.worker?.postMessage(message);
  }

  /** The connection has come or gone. */
  private turned(open: boolean): void {
    this.connected = open;
    this.inFlight = null;
    this.online.say(open);
    if (!open) window.setTimeout(() => this.connect(), RETRY_AFTER);
    else if (this.view) this.askRest();
  }

  /** Shows another path or shot. `dragging` asks for the quick picture first and the exact one at rest. */
  show(view: View, dragging: boolean): void {
    this.view = view;
    this.atRest = false;
    window.clearTimeout(this.restTimer);
    if (!dragging) {
      this.askRest();
      return;
    }
    this.dirty = performance.now();
    this.askDrag();
    this.restTimer = window.setTimeout(() => this.askRest(), REST_AFTER);
  }

  /** The number of the exact picture that is shown, or 0 while anything is under way. */
  settled(): number {
    return this.inFlight || this.dirty !== null || !this.atRest ? 0 : this.shown;
  }

  /** Calls back in the next frame in which no quick picture is under way, or soon anyway. */
  whenFree(job: () => void): void {
    const begun = performance.now();
    const look = () => {
      const busy = this.inFlight && !this.inFlight.rest && performance.now() - begun < FREE_AFTER;
      if (busy) requestAnimationFrame(look);
      else job();
    };
    requestAnimationFrame(look);
  }

  private ready(): boolean {
    return this.connected;
  }

  private send(message: object): void {
    this.tell({ send: JSON.stringify(message) });
  }

  private ask(rest: boolean, since: number, scopes: boolean): void {
    const view = this.view;
    if (!view) return;
    this.seq += 1;
    this.inFlight = { seq: this.seq, since, rest };
    this.send({
      ask: "picture",
      seq: this.seq,
      shot: view.shot,
      path: view.path,
      quality: rest ? "rest" : "drag",
      width: WIDTH,
      display: DISPLAY,
      scopes,
      tones_of: view.step,
    });
  }

  private askDrag(): void {
    // The server drops an exact picture under way for a newer one, so only a quick one is waited for.
    if (this.dirty === null || (this.inFlight && !this.inFlight.rest) || !this.ready()) return;
    const since = this.dirty;
    this.dirty = null;
    this.drags += 1;
    // Scopes come with every second picture: half the rate is plenty for a trace.
    this.ask(false, since, this.drags % 2 === 0);
    this.askReading();
  }

  private askReading(): void {
    if (this.view) this.send({ ask: "reading", seq: this.seq, path: this.view.path, step: this.view.step });
  }

  private askRest(): void {
    const view = this.view;
    if (!view || !this.ready()) return;
    this.dirty = null;
    this.ask(true, performance.now(), true);
    this.askReading();
    this.send({ ask: "row", seq: this.seq, shots: view.row, path: view.path, width: ROW_WIDTH, display: DISPLAY });
  }

  private text(data: string): void {
    const message = JSON.parse(data) as { reading?: Reading; problem?: { seq: number; detail: string } };
    if (message.reading) this.readings.say(message.reading);
    if (message.problem) {
      this.inFlight = null;
      this.problems.say(message.problem.detail);
    }
  }

  private bytes(data: ArrayBuffer): void {
    const header = new DataView(data);
    const [width, height] = [header.getUint16(8, true), header.getUint16(10, true)];
    const pixels = new Uint8ClampedArray(data, HEADER, width * height * 4);
    if (header.getUint8(0) === 2) {
      this.thumbnails.say({ index: header.getUint16(14, true), width, height, pixels });
      return;
    }
    const [flags, seq, columns] = [header.getUint16(2, true), header.getUint32(4, true), header.getUint16(12, true)];
    let at = HEADER + width * height * 4;
    let [wave, vector, tones]: [Uint16Array | null, Uint16Array | null, Uint32Array | null] = [null, null, null];
    if (flags & 1) {
      wave = new Uint16Array(data, at, columns * 3 * LEVELS);
      at += wave.byteLength;
      vector = new Uint16Array(data, at, LEVELS * LEVELS);
      at += vector.byteLength;
    }
    if (flags & 2) tones = new Uint32Array(data, at, BINS);
    const rest = header.getUint8(1) === 1;
    // An exact picture of a path that has changed since would flash the old state.
    if (seq >= (this.inFlight?.seq ?? 0)) {
      const frame = { seq, rest, width, height, pixels, columns, wave, vector, tones };
      this.frames.say(frame);
      if (wave && rest) this.counted.say(frame);
      else if (wave) window.setTimeout(() => this.counted.say(frame));
      this.shown = seq;
      this.atRest = rest;
      if (this.inFlight && !rest) {
        this.latencies.push(performance.now() - this.inFlight.since);
        if (this.latencies.length > 1000) this.latencies.shift();
      }
      this.inFlight = null;
    }
    this.askDrag();
  }
}

export const preview = new Preview();

declare global {
  interface Window {
    lantern: { latencies: number[]; settled: () => number };
  }
}
// Tests and the benchmark read the page's own measurements.
window.lantern = { latencies: preview.latencies, settled: () => preview.settled() };
