/** The colour-difference plane as scopes and pads draw it (BT.709, items 3.2 and 3.3). */

function place(name: string, r: number, g: number, b: number) {
  const y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
  return { name, cb: (b - y) / 1.8556, cr: (r - y) / 1.5748 };
}

/** 75 % colour bars. */
export const TARGETS = [
  place("R", 0.75, 0, 0),
  place("G", 0, 0.75, 0),
  place("B", 0, 0, 0.75),
  place("Y", 0.75, 0.75, 0),
  place("C", 0, 0.75, 0.75),
  place("M", 0.75, 0, 0.75),
];

/** Hue in degrees 0..360 and radius of a place. */
export function polarOf(cb: number, cr: number): { hue: number; amount: number } {
  return { hue: ((Math.atan2(cr, cb) * 180) / Math.PI + 360) % 360, amount: Math.hypot(cb, cr) };
}

export function placeOf(hue: number, amount: number): { cb: number; cr: number } {
  const a = (hue * Math.PI) / 180;
  return { cb: amount * Math.cos(a), cr: amount * Math.sin(a) };
}
