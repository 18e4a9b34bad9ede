/** Every command that has keys, by its id: read by the keyboard, by menus and by the sheet of all keys. */

interface Command {
  /** The part of the sheet that it stands in. */
  part: "Everywhere" | "Seeing, in Balance and Look" | "Steps on the path";
  /** How its keys are written. */
  keys: string;
  /** What it does, on the sheet. */
  does: string;
  /** Keys as [`press`] names them. */
  press: string[];
  /** Works as long as the key is held. */
  hold?: true;
  /** Stands in one row of the sheet with the one before. */
  too?: true;
}

const SEEING = "Seeing, in Balance and Look";
const STEPS = "Steps on the path";

const COMMANDS = {
  keys: { part: "Everywhere", keys: "?", does: "this sheet", press: ["?"] },
  escape: { part: "Everywhere", keys: "Esc", does: "closes or ends what was opened last", press: ["escape"] },
  undo: { part: "Everywhere", keys: "Ctrl Z", does: "undo", press: ["ctrl+z"] },
  redo: { part: "Everywhere", keys: "Ctrl Shift Z", does: "redo", press: ["ctrl+shift+z", "ctrl+y"], too: true },

  untouched: { part: SEEING, keys: "A", does: "the untouched shot", press: ["a"], hold: true },
  version: { part: SEEING, keys: "V", does: "the last saved version", press: ["v"], hold: true },
  bypassStep: { part: SEEING, keys: "S", does: "bypass the step", press: ["s"], hold: true },
  bypassGroup: { part: SEEING, keys: "D", does: "the group", press: ["d"], hold: true, too: true },
  middleGrey: { part: SEEING, keys: "M", does: "rest on middle grey", press: ["m"], hold: true },
  toAndFro: { part: SEEING, keys: "F", does: "the shot before, to and fro", press: ["f"] },
  shotBefore: { part: SEEING, keys: "Page Up", does: "shot before", press: ["pageup"] },
  nextShot: { part: SEEING, keys: "Page Down", does: "next shot", press: ["pagedown"], too: true },
  frameBefore: { part: SEEING, keys: "←", does: "frame before", press: ["arrowleft"] },
  nextFrame: { part: SEEING, keys: "→", does: "next frame", press: ["arrowright"], too: true },
  play: { part: SEEING, keys: "P", does: "play, pause", press: ["p"] },
  markIn: { part: SEEING, keys: "I", does: "first frame", press: ["i"] },
  markOut: { part: SEEING, keys: "O", does: "last frame", press: ["o"], too: true },
  closeup: { part: SEEING, keys: "Z", does: "fit, pixel for pixel", press: ["z"] },
  loupe: { part: SEEING, keys: "K", does: "loupe (Look)", press: ["k"] },
  surround: { part: SEEING, keys: "U", does: "surround", press: ["u"] },
  whole: { part: SEEING, keys: "W", does: "picture over the whole window", press: ["w"] },

  rename: { part: STEPS, keys: "F2", does: "rename", press: ["f2"] },
  remove: { part: STEPS, keys: "Del", does: "delete", press: ["delete"] },
  duplicate: { part: STEPS, keys: "Ctrl D", does: "duplicate", press: ["ctrl+d"] },
  moveUp: { part: STEPS, keys: "Alt ↑", does: "move up", press: ["alt+arrowup"] },
  moveDown: { part: STEPS, keys: "Alt ↓", does: "move down", press: ["alt+arrowdown"], too: true },
  copy: { part: STEPS, keys: "Ctrl C", does: "copy", press: ["ctrl+c"] },
  cut: { part: STEPS, keys: "Ctrl X", does: "cut", press: ["ctrl+x"], too: true },
  paste: { part: STEPS, keys: "Ctrl V", does: "paste", press: ["ctrl+v"], too: true },
  group: { part: STEPS, keys: "Ctrl G", does: "group, ungroup", press: ["ctrl+g"] },
  red: { part: STEPS, keys: "R", does: "printer points while Print is selected; with Shift down", press: ["r", "shift+r"] },
  green: { part: STEPS, keys: "G", does: "", press: ["g", "shift+g"], too: true },
  blue: { part: STEPS, keys: "B", does: "", press: ["b", "shift+b"], too: true },
  allLights: { part: STEPS, keys: "L", does: "", press: ["l", "shift+l"], too: true },
} satisfies Record<string, Command>;

export type CommandId = keyof typeof COMMANDS;

/** Every command that has keys. */
export const KEYMAP: Record<CommandId, Command> = COMMANDS;

/** How the keys of a command are written, for menus. */
export const keysOf = (id: CommandId): string => KEYMAP[id].keys;

interface Pressed {
  key: string;
  ctrlKey: boolean;
  metaKey: boolean;
  shiftKey: boolean;
  altKey: boolean;
}

/** A press of keys as one name, as `ctrl+shift+z`. Ctrl and Command are one. Shift counts with letters and named keys: what it makes of others is their own. */
export function press(e: Pressed): string {
  const key = e.key.toLowerCase();
  const shift = e.shiftKey && (key.length > 1 || /\p{Letter}/u.test(key));
  return [(e.ctrlKey || e.metaKey) && "ctrl", e.altKey && "alt", shift && "shift", key].filter(Boolean).join("+");
}

const BY_PRESS = new Map((Object.keys(KEYMAP) as CommandId[]).flatMap((id) => KEYMAP[id].press.map((p) => [p, id] as const)));

/** The command that a press of keys means. */
export function commandOf(e: Pressed): CommandId | null {
  return BY_PRESS.get(press(e)) ?? null;
}

/** How the sheet says that keys are held. */
const HOLD = " (hold)";

/** Rows of the sheet for a part: keys and what they do. */
export function rowsOf(part: Command["part"]): [string, string][] {
  const rows: [string, string][] = [];
  for (const c of Object.values(KEYMAP).filter((x) => x.part === part)) {
    const last = rows.at(-1);
    const [keys, does] = c.too && last ? [`${last[0].replace(HOLD, "")}, ${c.keys}`, [last[1], c.does].filter(Boolean).join(", ")] : [c.keys, c.does];
    if (c.too) rows.pop();
    rows.push([c.hold ? keys + HOLD : keys, does]);
  }
  return rows;
}
