/** Printer points: stepping them, and which way the picture goes. */
import { changeStep, useWork } from "../../document/work";

type Light = "red" | "green" | "blue" | "all";

/** Steps the light of the print, while that is the selected step; gives whether it is. Goes on until the gesture is ended. */
export function printerPoint(light: Light, by: number): boolean {
  const { document, step: selected } = useWork.getState();
  const step = document?.path.steps.find((s) => s.kind === "print" && s.id === selected);
  if (!step) return false;
  const which = light === "all" ? (["red", "green", "blue"] as const) : [light];
  changeStep(
    step.id,
    `Printer ${light} ${by > 0 ? "up" : "down"}`,
    (found) => {
      if (found.kind !== "print") return;
      for (const w of which) found.values[w] = Math.min(50, Math.max(0, found.values[w] + by));
    },
    `points ${light}`,
  );
  return true;
}

/** Colours around the a-b plane of CIELAB, by their angle in degrees. */
const ROUND = [
  { at: 0, name: "magenta" },
  { at: 40, name: "red" },
  { at: 95, name: "yellow" },
  { at: 140, name: "green" },
  { at: 215, name: "cyan" },
  { at: 285, name: "blue" },
  { at: 330, name: "magenta" },
];

/** Which way a move in CIELAB goes, in words. */
export function toward(move: number[] | undefined): string {
  const [l = 0, a = 0, b = 0] = move ?? [];
  const light = l < -0.05 ? "darker" : l > 0.05 ? "lighter" : "";
  // Colour is what is said, unless brightness is most of the move.
  if (Math.hypot(a, b) < Math.max(0.25, 0.5 * Math.abs(l))) return light;
  const angle = (Math.atan2(b, a) * 180) / Math.PI;
  const off = (x: number) => Math.abs(((angle - x + 540) % 360) - 180);
  const nearest = ROUND.reduce((best, c) => (off(c.at) < off(best.at) ? c : best), ROUND[0] ?? { at: 0, name: "" });
  return nearest.name;
}
