import { expect, test } from "vitest";
import { commandOf, KEYMAP, press, rowsOf } from "./keymap";

const down = (key: string, held: Partial<Record<"ctrlKey" | "metaKey" | "shiftKey" | "altKey", boolean>> = {}) => ({
  key, ctrlKey: false, metaKey: false, shiftKey: false, altKey: false, ...held,
});

test("no two commands have the same keys", () => {
  const all = Object.values(KEYMAP).flatMap((c) => c.press);
  expect(new Set(all).size).toBe(all.length);
});

test("a press means its command, whatever the platform and the letter's case", () => {
  expect(commandOf(down("z", { ctrlKey: true }))).toBe("undo");
  expect(commandOf(down("Z", { metaKey: true, shiftKey: true }))).toBe("redo");
  expect(commandOf(down("F", {}))).toBe("toAndFro");
  expect(commandOf(down("ArrowUp", { altKey: true }))).toBe("moveUp");
  expect(commandOf(down("ArrowUp"))).toBeNull();
  expect(commandOf(down("R", { shiftKey: true }))).toBe("red");
  // Where it lies on a key with Shift, the mark is what counts.
  expect(commandOf(down("?", { shiftKey: true }))).toBe("keys");
  expect(press(down("Delete", { shiftKey: true }))).toBe("shift+delete");
});

test("the sheet has every command once, those of a kind in one row", () => {
  const parts = [...new Set(Object.values(KEYMAP).map((c) => c.part))];
  const written = parts.flatMap((p) => rowsOf(p).flatMap(([keys]) => keys.replace(" (hold)", "").split(", ")));
  expect(written.sort()).toEqual(Object.values(KEYMAP).map((c) => c.keys).sort());
  expect(rowsOf("Everywhere")).toContainEqual(["Ctrl Z, Ctrl Shift Z", "undo, redo"]);
  expect(rowsOf("Seeing, in Balance and Look")).toContainEqual(["S, D (hold)", "bypass the step, the group"]);
  expect(rowsOf("Steps on the path")).toContainEqual(["R, G, B, L", "printer points while Print is selected; with Shift down"]);
});
