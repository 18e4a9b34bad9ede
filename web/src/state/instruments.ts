/** How the scopes look and what they are held to, in every place alike. */
import { create } from "zustand";
import type { Counts } from "../api/client";

export type Wave = "luma" | "overlay" | "parade";
export type Show = "picture" | "stops" | "marks";
export type Corner = [number, number];
/** What a press on the picture does. */
export type Tool =
  | { kind: "white"; step: string }
  | { kind: "exposure"; step: string; stops: number }
  | { kind: "rectangle" }
  | { kind: "loop" }
  | null;
/** How a second shot is shown. */
export type Beside = { shot: string; as: "side" | "wipe" } | null;

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
  /** Where the wipe's line stands, as a share of the width. */
  wipe: number;
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
  wipe: 0.5,
  set: (change) => set(change),
}));

/** The counts that a place's scopes need. */
export function countsFor(place: string, area: Corner[] | null): Counts {
  const { wave, zoom } = useInstruments.getState();
  const all = place === "balance";
  return {
    wave: wave !== "luma",
    luma: wave === "luma",
    vector: zoom,
    histogram: all,
    chromaticity: all,
    limits: all,
    area: area && { corners: area },
  };
}
