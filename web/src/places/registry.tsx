/** The places of the page, in the order in which footage goes through them: one entry each. */
import type { ComponentType } from "react";
import type { Place } from "../session/session";
import { BalancePlace } from "./balance/BalancePlace";
import { FootagePlace } from "./footage/FootagePlace";
import { HandoffPlace } from "./handoff/HandoffPlace";
import { LookPlace } from "./look/LookPlace";

export interface Note {
  /** What it stands at. */
  at: string;
  says: string;
  /** How far down it stands in something high, as a share of its height. */
  down?: number;
}

export interface PlaceEntry {
  id: Place;
  title: string;
  Component: ComponentType;
  /** Whether a path is worked on there: the look's, or the shot's trim. */
  path: boolean;
  /** What the foot of the page says of its keys. */
  hints: string[];
  /** Said on its first visit. */
  notes: [Note, Note, Note];
}

export const PLACES: PlaceEntry[] = [
  {
    id: "footage",
    path: false,
    title: "Footage",
    Component: FootagePlace,
    hints: ["Ctrl A select all", "Shift a row", "Alt + arrows move"],
    notes: [
    { at: "[data-bring]", says: "Bring in pictures, sequences or clips here, or drop them anywhere." },
    { at: "[data-encoding-button]", says: "Each shot says how it is encoded, and why. Press to set it." },
    { at: "[aria-label='Camera profiles']", says: "A camera's own log curve is described once, as a profile." },
    ],
  },
  {
    id: "balance",
    path: true,
    title: "Balance",
    Component: BalancePlace,
    hints: ["hold A: untrimmed", "F: the shot before", "hold M: grey"],
    notes: [
    { at: "[data-picture]", says: "Bring each shot to a known state, beneath any look." },
    { at: "[aria-label='Balance tools']", says: "Hold the scopes to an area, or bring this shot to another one." },
    { at: "[aria-label='Shots']", says: "The other shots under their trims. Page Up and Page Down go through them." },
    ],
  },
  {
    id: "look",
    path: true,
    title: "Look",
    Component: LookPlace,
    hints: ["hold A: untouched", "hold V: last version", "hold S: bypass step", "hold M: grey"],
    notes: [
    { at: "nav[aria-label='Path']", says: "The look is a path: light goes from the camera down to the screen, step by step." },
    { at: "[aria-label='Selected step']", says: "The selected step, with room to work. Every value can be dragged and typed." },
    { at: "[data-shelf-button]", says: "Starting looks, film stocks and your own looks are on the Shelf." },
    ],
  },
  {
    id: "handoff",
    path: false,
    title: "Handoff",
    Component: HandoffPlace,
    hints: [],
    notes: [
    { at: "[role=radiogroup][aria-label='What is made']", says: "One table, or a package: all that a delivery plan says, for everybody." },
    { at: "section[aria-label='Report']", says: "Each table is read back and compared with the exact look: the report.", down: 0.5 },
    { at: "nav[aria-label='Places']", says: "A handoff is of a version, which stays as it is while you work on." },
    ],
  },
];

/** The entry of a place. */
export function placeOf(id: Place): PlaceEntry {
  const found = PLACES.find((p) => p.id === id);
  if (!found) throw new Error(`there is no place ${id}`);
  return found;
}
