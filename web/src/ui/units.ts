/** How values are written: by unit, in the zone they stand in. */
import type { Field, Zone } from "../data/client";
import { MAX_NAME, SCREEN_GREY } from "../data/constants";


/** Why a name is refused; empty where it is not. */
export function refusedName(name: string): string {
  if (!name.trim()) return "A name needs at least one letter.";
  return name.trim().length > MAX_NAME ? `A name has at most ${MAX_NAME} letters; this one has ${name.trim().length}.` : "";
}

/** A number with its noun, which agrees with it. */
export function counted(count: number, noun: string): string {
  return `${count} ${noun}${count === 1 ? "" : "s"}`;
}

/** A place on the tonal axis as people read it: stops in the Scene zone, per cent in the Screen zone. */
export function tonePlace(value: number, zone: Zone): string {
  if (zone !== "screen") return signed(value, 2);
  return `${(SCREEN_GREY + value * 10).toFixed(1)} %`;
}

function signed(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  return value < 0 && Number(text) !== 0 ? `−${text}` : value > 0 ? `+${text}` : text;
}

/** Fields of unit `tones` that are distances, not places. */
const DISTANCES = /brightness$|reach$|softness$|^black$|^white$/;

export function show(field: Field, value: number, zone: Zone): string {
  switch (field.unit) {
    case "stops":
      return `${signed(value, 2)} st`;
    case "tones":
      if (zone !== "screen") return `${signed(value, 2)} st`;
      return DISTANCES.test(field.id) ? `${signed(value * 10, 1)} %` : tonePlace(value, zone);
    case "kelvin":
      return `${value.toFixed(0)} K`;
    case "duv":
      return signed(value, 1);
    case "degrees":
      return `${value.toFixed(0)}°`;
    case "percent":
      return `${(value * 100).toFixed(Math.abs(value) < 0.1 && value !== 0 ? 1 : 0)} %`;
    case "points":
      return value.toFixed(value % 1 === 0 ? 0 : 1);
    case "density":
      return value.toFixed(3);
    case "logexposure":
      return signed(value, 3);
    case "millimetres":
      return `${value.toFixed(1)} mm`;
    case "micrometres":
      return `${value.toFixed(value < 100 ? 1 : 0)} µm`;
    case "nanometres":
      return `${value.toFixed(1)} nm`;
    case "plain":
      return value.toFixed(3).replace(/0$/, "");
  }
}

/** The number that somebody typed, in the field's own unit. `null` where it is none. */
export function parse(field: Field, text: string, zone: Zone): number | null {
  const match = /^([-+−]?(?:\d+[.,]?\d*|[.,]\d+)(?:e[-+−]?\d+)?)(?:st|%|k|°|mm|µm|nm)?$/i.exec(text.replace(/\s/g, ""));
  if (!match?.[1]) return null;
  const number = Number(match[1].replaceAll("−", "-").replace(",", "."));
  if (!Number.isFinite(number)) return null;
  if (field.unit === "percent") return number / 100;
  if (field.unit === "tones" && zone === "screen") {
    return DISTANCES.test(field.id) ? number / 10 : (number - SCREEN_GREY) / 10;
  }
  return number;
}
