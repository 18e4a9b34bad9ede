/** The tools that wait for a press on the picture: droppers, and colours picked for bumps and ranges. */
import { api } from "../data/client";
import { useInstruments, type Corner, type Tool } from "../session/instruments";
import { say, useSession } from "../session/session";
import { setValue, setValues, UNTOUCHED, useWork } from "../document/work";
import { freshStep, setRegion } from "../commands/commands";

type Dropper = Extract<Tool, { kind: "white" | "exposure" }>;

const signed = (v: number, digits: number) => `${v >= 0 ? "+" : "−"}${Math.abs(v).toFixed(digits)}`;

/** Solves the waiting step for a place, or for the area that was dragged over. */
export async function drop(tool: Dropper, at: Corner, area: Corner[] | null): Promise<void> {
  useInstruments.getState().set({ tool: null });
  const { shot, frame } = useSession.getState();
  const { kind, document } = useWork.getState();
  if (!shot || !document) return;
  try {
    const found = await api.dropper({
      shot,
      frame,
      path: document.path,
      trim: kind === "trim" ? UNTOUCHED : null,
      step: tool.step,
      at: area ? null : at,
      area: area && { corners: area },
      stops: tool.kind === "exposure" ? tool.stops : null,
    });
    if (tool.kind === "white") {
      const [temperature, tint] = [Math.round(found.temperature), Math.round(found.tint * 10) / 10];
      setValues(tool.step, "White dropper", { temperature, tint });
      say(`Neutral at ${temperature} K, tint ${tint.toFixed(1)}; the place lies ${signed(found.stops, 1)} stops from grey`);
    } else {
      setValues(tool.step, "Exposure dropper", { exposure: Math.round(found.exposure * 100) / 100 });
      say(`Exposure ${signed(found.exposure, 2)} puts the place at ${signed(tool.stops, 2)} stops from grey`);
    }
  } catch (e) {
    say(e);
  }
}

type Picker = Extract<Tool, { kind: "bump" | "range" }>;

/** Picks the colours of a place, or of what was dragged over, for the step or group that waits for them. */
export async function pick(tool: Picker, at: Corner, area: Corner[] | null): Promise<void> {
  // Adding and taking away go on; a new bump or range is made once.
  const goesOn = tool.kind === "range" && tool.want !== "range";
  if (!goesOn) useInstruments.getState().set({ tool: null });
  const { shot, frame } = useSession.getState();
  const { kind, document } = useWork.getState();
  if (!shot || !document) return;
  const target = tool.kind === "bump" ? tool.step : tool.target;
  try {
    const found = await api.pick({
      shot,
      frame,
      path: document.path,
      trim: kind === "trim" ? UNTOUCHED : null,
      target,
      want: tool.kind === "bump" ? "bump" : tool.want,
      at: area ? null : at,
      area: area && { corners: area },
    });
    const step = document.path.steps.find((s) => s.id === target);
    if (found.bump && step?.kind === "hue-curves") {
      setValue(target, "bumps", `Bump at ${found.bump.centre.toFixed(0)}°`, [...step.values.bumps, found.bump]);
      say(`A bump at ${found.bump.centre.toFixed(0)}°, from ${found.bump.down.toFixed(0)}° below to ${found.bump.up.toFixed(0)}° above`);
    }
    if (found.range) {
      const name = { range: "Range", add: "Wider range", subtract: "Narrower range" }[tool.kind === "range" ? tool.want : "range"];
      setRegion(target, name, { colours: found.range });
    }
  } catch (e) {
    say(e);
  }
}

/** The first Balance step of the document in hand; made at its start where there is none. */
export function balanceStep(): string | null {
  const { document, edit, select } = useWork.getState();
  const there = document?.path.steps.find((s) => s.kind === "balance" && s.on);
  if (there) {
    select(there.id);
    return there.id;
  }
  const info = useSession.getState().catalogue.find((k) => k.kind === "balance");
  if (!document || !info) return null;
  const fresh = freshStep(info, "scene");
  edit("Add Balance", (draft) => draft.path.steps.unshift(fresh));
  select(fresh.id);
  return fresh.id;
}
