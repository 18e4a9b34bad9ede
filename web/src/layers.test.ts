/** Who may use whom: folders of the page import from those before them in this list, and from no other. */
import { describe, expect, it } from "vitest";

/** What a folder holds, lowest first. */
const LAYERS = [
  "data", // what the server holds, and asking for it
  "session", // what is looked at: production, shot, place, instruments
  "preview", // the socket: pictures and counts
  "document", // the look or trim in hand: edits, undo, saving
  "gestures", // press, move, let go
  "ui", // buttons, fields, menus, dialogs
  "intake", // what comes in, and in which order it stands
  "commands", // what is done to a path
  "instruments", // scopes
  "steps", // panels of steps
  "picture", // the picture and what is drawn on it
  "shelf",
  "places",
  "shell", // head, foot, keys, address: what puts the page together
];

/** The text of each file, by its path from here. */
const SOURCES = import.meta.glob<string>("./**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });

const layerOf = (path: string) => path.split("/")[1] ?? "";

/** Where an import of a file leads, from here. */
function resolved(file: string, to: string): string {
  return `.${new URL(to, `file://${file.slice(1)}`).pathname}`;
}

/** Files of the page and what they import, but for tests, which may use anything. */
const uses = Object.entries(SOURCES)
  .filter(([file]) => !/\.test\.tsx?$/.test(file) && file.split("/").length > 2)
  .flatMap(([file, text]) => [...text.matchAll(/(?:from |import |import\()"(\.[^"]+)"/g)].map(([, to]) => ({ file, used: resolved(file, to ?? "") })));

describe("the page's folders", () => {
  it("use those below them alone", () => {
    expect(uses.length).toBeGreaterThan(200);
    const up = uses.filter(({ file, used }) => LAYERS.indexOf(layerOf(used)) > LAYERS.indexOf(layerOf(file)) && layerOf(file) !== "testing");
    expect(up.map(({ file, used }) => `${file} uses ${used}`)).toEqual([]);
  });

  it("are all in the list", () => {
    const folders = new Set(Object.keys(SOURCES).filter((file) => file.split("/").length > 2).map(layerOf));
    folders.delete("testing");
    expect([...folders].sort()).toEqual([...LAYERS].sort());
  });
});
