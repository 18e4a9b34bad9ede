/** The droppers: what a press on the picture does to the Balance step that waits for it. */
import { api } from "../api/client";
import { useInstruments, type Corner, type Tool } from "../state/instruments";
import { say, useSession } from "../state/session";
import { setValues, UNTOUCHED, useWork } from "../state/work";
import { freshStep } from "../places/look/commands";

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
