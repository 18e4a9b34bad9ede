/** Plans to begin with. */
import type { Delivery, Plan } from "../../data/client";
import { usualInput } from "../../session/encodings";
import { useSession } from "../../session/session";

const VERSION = 1;

export function emptyPlan(): Plan {
  return { version: VERSION, name: "Plan", receivers: [{ name: "Receiver", deliveries: [] }] };
}

/** The encoding that tables of this production most likely take. */
export function usualFrom(): string {
  const { production, encodings } = useSession.getState();
  return usualInput(production, encodings);
}

/** Who receives something on most productions. */
export function usualPlan(): Plan {
  const from = usualFrom();
  const table = (rest: Partial<Extract<Delivery, { kind: "table" }>>): Delivery => ({ kind: "table", format: "cube", from, to: "rec709", size: 33, range: "full", ...rest });
  return {
    version: VERSION,
    name: "Everybody",
    receivers: [
      { name: "On-set monitors", deliveries: [table({})] },
      { name: "Visual effects", deliveries: [table({ format: "clf", from: "acescct" }), { kind: "configuration", displays: ["rec709"], size: 33 }] },
      { name: "Finishing", deliveries: [table({ format: "clf" }), { kind: "look" }, { kind: "corrections", form: "ccc" }] },
      { name: "Dailies", deliveries: [table({ size: 65, range: "legal" }), { kind: "stills", format: "png", to: "rec709" }] },
    ],
  };
}
