/** The page's address: it names production, place, look, shot and step, so that a reload or a link comes back there. */
import { useEffect } from "react";
import type { LookLine, Production } from "../data/client";
import { type Place, shotsOf, told, useSession } from "../session/session";
import { PLACES } from "../places/registry";
import { useWork } from "../document/work";

export interface Address {
  production: string | null;
  place: Place | null;
  look: string | null;
  shot: string | null;
  step: string | null;
}

export function readAddress(search: string): Address {
  const said = new URLSearchParams(search);
  return {
    production: said.get("production"),
    place: PLACES.find((p) => p.id === said.get("place"))?.id ?? null,
    look: said.get("look"),
    shot: said.get("shot"),
    step: said.get("step"),
  };
}

/** The shot that an address names, by its id or by its name. */
export function shotOf(production: Production, said: string | null): string | null {
  const all = shotsOf(production);
  return (all.find((s) => s.id === said) ?? all.find((s) => s.name === said))?.id ?? null;
}

/** The look that an address names, by its id or by its name. */
export function lookOf(looks: LookLine[], said: string | null): string | null {
  return (looks.find((l) => l.id === said) ?? looks.find((l) => l.name === said))?.id ?? null;
}

function search(): string {
  const { production, place, shot } = useSession.getState();
  const { look, step } = useWork.getState();
  const parts: [string, string | null | undefined][] = [
    ["production", production?.id],
    ["place", place],
    ["look", look?.id],
    ["shot", shot],
    ["step", step],
  ];
  const said = new URLSearchParams();
  for (const [name, value] of parts) if (value) said.set(name, value);
  return `?${said.toString()}`;
}

/** Writes the address whenever what it names changes: a new entry of the history for another place, else the same one. */
export function useAddress(): void {
  useEffect(() => {
    let place = useSession.getState().place;
    const write = () => {
      if (!useSession.getState().production) return;
      const now = search();
      if (now === location.search) return;
      const moved = useSession.getState().place !== place;
      place = useSession.getState().place;
      if (moved) history.pushState(null, "", now);
      else history.replaceState(null, "", now);
    };
    const back = () => {
      const said = readAddress(location.search);
      const { production, set, show } = useSession.getState();
      if (!production || (said.production && said.production !== production.id)) {
        location.reload();
        return;
      }
      if (said.place) {
        place = said.place;
        set({ place: said.place, playing: false });
      }
      const shot = shotOf(production, said.shot);
      if (shot) show(shot);
      const { look, kind, load, select } = useWork.getState();
      if (said.look && kind === "look" && said.look !== look?.id) told(load(said.look).then(() => select(said.step)));
      else if (said.step) select(said.step);
    };
    const stops = [useSession.subscribe(write), useWork.subscribe(write)];
    window.addEventListener("popstate", back);
    return () => {
      stops.forEach((stop) => stop());
      window.removeEventListener("popstate", back);
    };
  }, []);
}
