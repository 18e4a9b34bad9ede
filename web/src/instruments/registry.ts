/** The scopes of the page, in the order in which they stand. */
import type { Counts } from "../data/client";
import { type Corner, useInstruments } from "../session/instruments";
import type { Place } from "../session/session";
import { chromaticity } from "./Chromaticity";
import type { Scope } from "./counts";
import { histogram } from "./Histogram";
import { limits } from "./Limits";
import { vectorscope } from "./Vectorscope";
import { waveform } from "./Waveform";

const SCOPES: Scope[] = [waveform, vectorscope, chromaticity, histogram, limits];

/** The scopes that a place shows. */
export const scopesOf = (place: Place): Scope[] => SCOPES.filter((s) => s.places.includes(place));

/** The counts that a place's scopes draw, of the picture or of an area of it. */
export function countsFor(place: Place, area: Corner[] | null): Counts {
  const set = useInstruments.getState();
  return Object.assign({ area: area && { corners: area } }, ...scopesOf(place).map((s) => s.asks(set))) as Counts;
}
