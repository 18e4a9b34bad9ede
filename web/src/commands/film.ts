/** The Film zone's own rules: one step of each kind, in the order that light goes; a film or the plain rendering. */
import type { KindInfo, Step } from "../data/client";
import { useSession } from "../session/session";

const FILM = ["negative", "print"];
const PLAIN = "plain-rendering";

/** The place of a kind in the order that light goes. */
function rank(kind: string): number {
  return useSession.getState().catalogue.findIndex((k) => k.kind === kind);
}

/** Whether a step brings the scene to the screen, alone or with others. */
export function renders(kind: string): boolean {
  return kind === PLAIN || FILM.includes(kind);
}

/** The steps of a path with others of the Film zone put in: each in its place, in place of one of its own kind. */
export function withFilm(steps: Step[], fresh: Step[]): Step[] {
  const kinds = fresh.map((s) => s.kind as string);
  const film = kinds.some((k) => FILM.includes(k));
  const plain = kinds.includes(PLAIN);
  const goes = (s: Step) => kinds.includes(s.kind) || (film && s.kind === PLAIN) || (plain && FILM.includes(s.kind));
  const own = steps.filter((s) => s.zone === "film" && !goes(s));
  const all = [...own, ...fresh.map((s) => ({ ...s, group: undefined }))].sort((a, b) => rank(a.kind) - rank(b.kind));
  return [...steps.filter((s) => s.zone === "scene"), ...all, ...steps.filter((s) => s.zone === "screen")];
}

/** Whether a path has a step of this kind already. */
export function taken(steps: Step[], info: KindInfo): boolean {
  return info.zones.includes("film") && steps.some((s) => s.kind === info.kind);
}

/** What a stock field begins with: the first stock that ships. */
export function firstStock(type: "negativestock" | "printstock"): unknown {
  const { stocks } = useSession.getState();
  return structuredClone(type === "negativestock" ? stocks?.negatives[0] : stocks?.prints[0]);
}
