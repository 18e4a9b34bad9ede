/** What the look is compared against, where that is another path. */
import { useEffect } from "react";
import { api, type Path } from "../data/client";
import { useInstruments, type Against } from "../session/instruments";
import { say } from "../session/session";

/** The path of what the look is compared against, where that is another look or a version. */
async function pathOf(against: Against): Promise<Path | null> {
  if (against?.kind === "version") return (await api.version(against.look, against.number)).document.path;
  if (against?.kind === "look") return (await api.look(against.look)).document.path;
  return null;
}

let compared: Path | null = null;

/** The path that is compared against, where it is another look or a version; for the list of differences. */
export function comparedPath(): Path | null {
  return compared;
}

/** Fetches what is compared against whenever that changes. */
export function useComparison(): void {
  const against = useInstruments((s) => s.against);
  useEffect(() => {
    compared = null;
    let current = true;
    pathOf(against)
      .then((path) => {
        if (!current) return;
        compared = path;
        // The same comparison again, now with its path: the preview is asked anew.
        useInstruments.getState().set({ areaBeside: null });
      })
      .catch(say);
    return () => {
      current = false;
    };
  }, [against]);
}
