/**
 * The preview socket: the newest path goes out, pixels and scope counts come back. Outside React, so that a drag
 * never waits for a render. One picture is in flight at a time; the newest values win.
 */
import type { Counts, Path, Reading, Sample } from "../data/client";
import { read, type Frame, type Thumbnail } from "./message";
import type { FromSocket, ToSocket } from "./socket.worker";

export type { Frame, Thumbnail } from "./message";

/** A picture that is looked at. */
export interface Seen {
  shot: string;
  frame: number | null;
  path: Path;
  /** The trim beneath; null for the shot's own as it was saved last. */
  trim: Path | null;
  show: "picture" | "stops" | "marks" | "matte" | "isolated" | "halation" | "grain";
  /** The step or group whose region is shown. */
  matteOf: string | null;
  /** The part of the frame that is seen close up. */
  part: [number, number, number, number] | null;
  /** The display that it is made for; HDR ones come tone-mapped. */
  display: string;
  counts: Counts;
}

/** What to look at. */
export interface View extends Seen {
  /** One's own path, which fingerprints and curves are drawn of, whatever the picture shows. */
  own: Path;
  step: string | null;
  /** The step or group whose population of hues is wanted. */
  huesOf: string | null;
  row: string[];
  /** Whether nothing but the row is seen, as in Footage: the picture in hand is not asked for then. */
  rowOnly: boolean;
  /** The place in the row that is drawn first; the others follow by how near they are. */
  rowFirst: number;
  rowPath: Path;
  beside: Seen | null;
  /** The part of the frame that the loupe shows. */
  loupe: [number, number, number, number] | null;
  /** Places to read, as shares of width and height. */
  places: [number, number][];
}

/** What lies at places of the picture. */
export interface Samples {
  seq: number;
  at: [number, number][];
  found: Sample[];
}

/** Why a request was not answered. */
interface Refusal {
  ask: string;
  seq: number;
  detail: string;
}

/** Quiet time after the last change until the exact picture is asked for. */
const REST_AFTER = 140;
/** The longest that a drag waits for the picture before it. */
const FREE_AFTER = 80;
const RETRY_AFTER = 800;
/** Time until it is looked again whether the quick picture has come. */
const POLL = 10;
/** The widest that a picture is asked for; while dragging it is no wider than it stands on the screen. */
const WIDTH = 960;
/** Widths while dragging go by this, so that a window that is being sized does not ask for each on its way. */
const WIDTH_STEP = 160;
const ROW_WIDTH = 148;
/** Milliseconds after which a picture that is older than the values is said to be. */
const BEHIND_AFTER = 300;

/** The monitor that the page is seen on. */
export const MONITOR = "srgb";

type Listener<T> = (value: T) => void;

class Listeners<T> {
  private readonly all = new Set<Listener<T>>();
  private last: T | undefined;

  add(listener: Listener<T>): () => void {
    this.all.add(listener);
    if (this.last !== undefined) listener(this.last);
    return () => this.all.delete(listener);
  }

  /** Adds a listener that is told of what comes from now on. */
  next(listener: Listener<T>): () => void {
    this.all.add(listener);
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
  /** Pictures of the shot beside the one in hand. */
  readonly besides = new Listeners<Frame>();
  /** The part of the frame that the loupe shows. */
  readonly loupes = new Listeners<Frame>();
  /** Frames that are kept for playing. */
  readonly reels = new Listeners<Frame>();
  readonly samples = new Listeners<Samples>();
  /** Small pictures of the row, with the number of the request that they belong to. */
  readonly thumbnails = new Listeners<{ seq: number; thumbnail: Thumbnail }>();
  /** Small pictures under other paths, with the number of the request that they belong to. */
  readonly cards = new Listeners<{ seq: number; thumbnail: Thumbnail }>();
  readonly readings = new Listeners<Reading>();
  readonly problems = new Listeners<string>();
  readonly online = new Listeners<boolean>();
  /** Whether what is shown has been older than the values for a while. */
  readonly behind = new Listeners<boolean>();
  /** Milliseconds from the newest change that a picture holds to its pixels on the canvas, newest last. */
  readonly latencies: number[] = [];
  /** Pixels of the screen that the picture in hand lies over, from side to side. */
  across = WIDTH;

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
  private readonly waiting: (() => void)[] = [];
  private askedBeside: string | null = null;
  private askedLoupe: string | null = null;
  private late: number | undefined;
  /** The first request for the shot that is shown: samples from before it are of another one. */
  private samplesFrom = 0;

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
    this.free();
    this.askedBeside = null;
    this.askedLoupe = null;
    this.online.say(open);
    if (!open) window.setTimeout(() => this.connect(), RETRY_AFTER);
    else if (this.view) this.askRest();
  }

  /** Shows another path or shot. `dragging` asks for the quick picture first and the exact one at rest. */
  show(view: View, dragging: boolean): void {
    if (view.shot !== this.view?.shot) {
      this.samplesFrom = this.seq + 1;
      this.samples.say({ seq: this.seq, at: [], found: [] });
    }
    this.view = view;
    this.atRest = false;
    this.late ??= window.setTimeout(() => this.behind.say(true), BEHIND_AFTER);
    window.clearTimeout(this.restTimer);
    if (view.rowOnly) {
      this.askRest();
      return;
    }
    if (!dragging) {
      this.restSoon();
      return;
    }
    this.dirty = performance.now();
    this.askDrag();
    this.restTimer = window.setTimeout(() => this.restSoon(), REST_AFTER);
  }

  /**
   * Asks for the exact picture when the quick one is there, also where a hand has let go: the quick one would be dropped
   * for the exact one, and nothing seen meanwhile.
   */
  private restSoon(): void {
    if (this.inFlight && !this.inFlight.rest) this.restTimer = window.setTimeout(() => this.restSoon(), POLL);
    else this.askRest();
  }

  /** The number of the exact picture that is shown, or 0 while anything is under way. */
  settled(): number {
    return this.inFlight || this.dirty !== null || !this.atRest ? 0 : this.shown;
  }

  /** Calls back as soon as no quick picture is under way, or before long anyway. */
  whenFree(job: () => void): void {
    if (!this.inFlight || this.inFlight.rest) {
      requestAnimationFrame(job);
      return;
    }
    const late = window.setTimeout(() => this.free(), FREE_AFTER);
    this.waiting.push(() => {
      window.clearTimeout(late);
      job();
    });
  }

  /** Tells those who wait for a picture that it is there. */
  private free(): void {
    for (const job of this.waiting.splice(0)) job();
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
    this.send({ ask: "picture", seq: this.seq, ...this.seen(view, rest, scopes), tones_of: view.step, hues_of: view.huesOf });
  }

  private seen(s: Seen, rest: boolean, scopes: boolean) {
    return {
      shot: s.shot,
      frame: s.frame,
      path: s.path,
      trim: s.trim,
      quality: rest ? "rest" : "drag",
      width: rest || s.part ? WIDTH : widthFor(this.across),
      display: s.display,
      show: s.show,
      matte_of: s.matteOf,
      view: s.part,
      // Shares that need whole programs wait for rest.
      counts: scopes ? (rest ? s.counts : { ...s.counts, limits: false, chromaticity: false }) : { area: s.counts.area },
    };
  }

  /** Reads other places of the same picture. */
  look(places: [number, number][]): void {
    if (!this.view) return;
    this.view = { ...this.view, places };
    this.askSamples();
  }

  private askSamples(): void {
    const view = this.view;
    if (!view || view.places.length === 0 || !this.ready()) return;
    const { shot, frame, path, trim, display, places } = view;
    this.send({ ask: "sample", seq: this.seq, shot, frame, path, trim, display, at: places });
  }

  /** Asks for small pictures of a shot under several paths; they come one by one. Gives the request's number. */
  askCards(shot: string, frame: number | null, paths: Path[], width: number): number {
    this.seq += 1;
    this.send({ ask: "cards", seq: this.seq, shot, frame, paths, width, display: MONITOR });
    return this.seq;
  }

  /** Asks for everything once more: something that is not in the view has changed. */
  again(): void {
    if (this.view && this.ready()) this.askRow();
  }

  private askRow(): void {
    const view = this.view;
    if (!view) return;
    this.send({ ask: "row", seq: this.seq, shots: view.row, first: view.rowFirst, path: view.rowPath, width: ROW_WIDTH, display: view.display });
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
    if (this.view) this.send({ ask: "reading", seq: this.seq, path: this.view.own, step: this.view.step });
  }

  private askRest(): void {
    const view = this.view;
    if (!view || !this.ready()) return;
    this.dirty = null;
    if (view.rowOnly) {
      this.passOver();
      return;
    }
    this.ask(true, performance.now(), true);
    this.askReading();
    this.askSamples();
    const beside = view.beside && JSON.stringify(view.beside);
    if (view.beside && beside !== this.askedBeside) {
      this.send({ ask: "beside", seq: this.seq, ...this.seen(view.beside, true, true) });
    }
    this.askedBeside = beside;
    this.askLoupe();
    this.askRow();
  }

  /** Draws the row and takes the picture in hand for shown: nobody sees it. What is under way of it is dropped when it comes. */
  private passOver(): void {
    this.seq += 1;
    this.inFlight = null;
    this.shown = this.seq;
    this.atRest = true;
    // What stands beside it may mean something else by the time that it is seen again.
    this.askedBeside = null;
    this.askedLoupe = null;
    this.caughtUp();
    this.free();
    this.askRow();
  }

  private askLoupe(): void {
    const view = this.view;
    const loupe = view?.loupe ? JSON.stringify([view.shot, view.frame, view.path, view.trim, view.show, view.loupe]) : null;
    if (view?.loupe && loupe !== this.askedLoupe) {
      this.send({ ask: "loupe", seq: this.seq, ...this.seen({ ...view, part: view.loupe, counts: {} }, true, false) });
    }
    this.askedLoupe = loupe;
  }

  /** Asks for one frame that is kept for playing; `tick` is what grain, weave and flicker go by. Gives its number. */
  askReel(frame: number | null, tick: number, width: number): number {
    const view = this.view;
    this.seq += 1;
    if (view) this.send({ ask: "reel", seq: this.seq, ...this.seen({ ...view, frame, part: null, counts: {} }, true, false), tick, width });
    return this.seq;
  }

  /** A picture of the newest values is there. */
  private caughtUp(): void {
    window.clearTimeout(this.late);
    this.late = undefined;
    this.behind.say(false);
    if (this.dirty !== null) this.late = window.setTimeout(() => this.behind.say(true), BEHIND_AFTER);
  }

  private text(data: string): void {
    const message = JSON.parse(data) as { reading?: Reading; samples?: Samples; problem?: Refusal };
    if (message.reading) this.readings.say(message.reading);
    if (message.samples && message.samples.seq >= this.samplesFrom) this.samples.say(message.samples);
    if (message.problem) this.refused(message.problem);
  }

  /** Something cannot be shown: only what was asked for with that request is over. */
  private refused({ ask, seq, detail }: Refusal): void {
    if (ask === "picture" && seq === this.inFlight?.seq) {
      this.inFlight = null;
      this.caughtUp();
      this.free();
      this.askDrag();
    }
    if (ask === "beside") this.askedBeside = null;
    if (ask === "loupe") this.askedLoupe = null;
    this.problems.say(detail);
  }

  private bytes(data: ArrayBuffer): void {
    const message = read(data);
    if ("thumbnail" in message) {
      const { kind, seq, thumbnail } = message;
      (kind === "row" ? this.thumbnails : this.cards).say({ seq, thumbnail });
      return;
    }
    if (message.kind !== "picture") {
      const listeners = { beside: this.besides, loupe: this.loupes, reel: this.reels }[message.kind];
      listeners.say(message.frame);
      return;
    }
    const { frame } = message;
    if (this.view?.rowOnly) return;
    // An exact picture of a path that has changed since would flash the old state.
    if (frame.seq >= (this.inFlight?.seq ?? 0)) {
      this.frames.say(frame);
      const counted = frame.wave ?? frame.luma;
      if (counted && frame.rest) this.counted.say(frame);
      else if (counted) window.setTimeout(() => this.counted.say(frame));
      this.shown = frame.seq;
      this.caughtUp();
      this.atRest = frame.rest;
      if (this.inFlight && !frame.rest) {
        this.latencies.push(performance.now() - this.inFlight.since);
        if (this.latencies.length > 1000) this.latencies.shift();
      }
      this.inFlight = null;
      this.free();
    }
    this.askDrag();
  }
}

/** How wide a picture need be that lies over so many pixels of the screen. */
export function widthFor(across: number): number {
  return Math.min(WIDTH, Math.max(2, Math.ceil(across / WIDTH_STEP - 0.01)) * WIDTH_STEP);
}

export const preview = new Preview();

declare global {
  interface Window {
    lantern: { latencies: number[]; settled: () => number };
  }
}
// Tests and the benchmark read the page's own measurements.
window.lantern = { latencies: preview.latencies, settled: () => preview.settled() };
