/** What tables and pictures are written as. */
import type { Handoff } from "../../data/client";

export const SIZES = ["17", "33", "65"];
/** Formats of tables, with what each is. */
export const FORMATS: { value: Handoff["format"]; label: string }[] = [
  { value: "cube", label: ".cube" },
  { value: "clf", label: ".clf: Common LUT Format" },
  { value: "spi3d", label: ".spi3d" },
  { value: "spi1d", label: ".spi1d: one curve a channel" },
  { value: "hald", label: "HaldCLUT: a PNG" },
];
export const RANGES: { value: Handoff["range"]; label: string }[] = [
  { value: "full", label: "Full" },
  { value: "legal", label: "Legal, 64–940" },
];
/** Formats of pictures and of movies. */
export const PICTURES = ["png", "tiff", "exr", "dpx"];
export const MOVIES = ["mp4", "mov", "mkv"];
/** Forms of ASC CDL. */
export const FORMS = [
  { value: "ccc", label: ".ccc: one collection" },
  { value: "cdl", label: ".cdl: one decision list" },
  { value: "cc", label: ".cc: a file for each shot" },
];

/** How often what is being made is asked for, in milliseconds. */
export const POLL = 250;

export const isUnderWay = (state: string) => state === "running" || state === "queued";

/** What a state is called; nothing for what is done. */
export const STATES: Record<string, string> = { done: "", queued: "waiting", running: "in progress", failed: "failed", cancelled: "stopped" };
