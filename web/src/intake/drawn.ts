/**
 * What comes in, as it is drawn. Drawing takes time from reading files: how far they are is drawn a few times a second, what
 * begins, stops, fails or ends all of it at once.
 */
import { useEffect, useState } from "react";
import { useIncoming, type Coming } from "./incoming";

/** How often what changes all the time is drawn, in milliseconds. */
export const DRAW_EVERY = 400;

/** Whether a person waits to see what has become of a list. */
function isAwaited(list: Coming[], before: Coming[]): boolean {
  const halted = (all: Coming[]) => all.filter((u) => u.stopped || u.failure !== "").map((u) => `${u.id} ${u.failure}`);
  return list.length === 0 || list.length > before.length || halted(list).join("\n") !== halted(before).join("\n");
}

/** Gives the list to draw now, and from then on whenever it is time to. Ends by what it gives back. */
export function follow(draw: (list: Coming[]) => void): () => void {
  let timer = 0;
  const now = () => {
    window.clearTimeout(timer);
    timer = 0;
    draw(useIncoming.getState().list);
  };
  const end = useIncoming.subscribe(({ list }, before) => {
    if (isAwaited(list, before.list)) now();
    else timer ||= window.setTimeout(now, DRAW_EVERY);
  });
  now();
  return () => {
    window.clearTimeout(timer);
    end();
  };
}

/** What comes in, to be drawn. */
export function useDrawn(): Coming[] {
  const [list, draw] = useState(() => useIncoming.getState().list);
  useEffect(() => follow(draw), []);
  return list;
}
