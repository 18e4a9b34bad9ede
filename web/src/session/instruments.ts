/** How the scopes look and what they are held to, in every place alike. */
import { create } from "zustand";

export type Wave = "luma" | "overlay" | "parade";
export type Show = "picture" | "stops" | "marks" | "matte" | "isolated" | "halation" | "grain";
/** What lies around the picture; a page is white with the picture set into it. */
export type Surround = "black" | "grey" | "white" | "page";
export type Corner = [number, number];
/** What a press on the picture does. */
export type Tool =
  | { kind: "white"; step: string }
  | { kind: "exposure"; step: string; stops: number }
  | { kind: "rectangle" }
  | { kind: "loop" }
  | { kind: "bump"; step: string }
  | { kind: "range"; target: string; want: "range" | "add" | "subtract" }
  | null;
/** How a second picture is shown. */
export type As = "side" | "wipe";
/** A second shot. */
export type Beside = { shot: string; as: As } | null;
/** What a look is compared against. */
export type Against =
  | { kind: "untouched" | "plain" }
  | { kind: "version"; look: string; number: number }
  | { kind: "look"; look: string }
  | { kind: "reference"; shot: string }
  | null;

interface Instruments {
  wave: Wave;
  zoom: number;
  show: Show;
  area: Corner[] | null;
  /** The area of the shot beside. */
  areaBeside: Corner[] | null;
  pins: Corner[];
  tool: Tool;
  beside: Beside;
  against: Against;
  againstAs: As;
  /** Where the wipe's line stands, as a share of the way across, and the angle it is turned by, in degrees. */
  wipe: number;
  wipeAngle: number;
  surround: Surround;
  /** The display that pictures are made for and scopes count. */
  display: string;
  /** Screen pixels for a pixel of the frame; null fits the picture in. */
  closeup: number | null;
  /** The place in the middle of a close-up. */
  centre: Corner;
  /** The part of the frame that is seen close up: left, top, width, height as shares. */
  view: [number, number, number, number] | null;
  full: boolean;
  /** Whether a part of the frame is shown pixel for pixel beside the whole of it. */
  loupe: boolean;
  set: (change: Partial<Omit<Instruments, "set">>) => void;
}

export const useInstruments = create<Instruments>((set) => ({
  wave: "overlay",
  zoom: 1,
  show: "picture",
  area: null,
  areaBeside: null,
  pins: [],
  tool: null,
  beside: null,
  against: null,
  againstAs: "wipe",
  wipe: 0.5,
  wipeAngle: 0,
  surround: "black",
  display: "srgb",
  closeup: null,
  centre: [0.5, 0.5],
  view: null,
  full: false,
  loupe: false,
  set: (change) => set(change),
}));
