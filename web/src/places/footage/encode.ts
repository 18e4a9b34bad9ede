/** Setting the encodings of many shots at once, and taking that back. */
import { api, type Shot, type ShotEncoding } from "../../data/client";
import { attempt, say, told, useSession } from "../../session/session";
import { counted } from "../../ui/units";

/** Sets encodings in one request; gives whether it was done. */
export async function setEncodings(set: ShotEncoding[], onlyUnset = false): Promise<boolean> {
  const production = useSession.getState().production?.id;
  if (!production) return false;
  let before: ShotEncoding[] = [];
  const done = await attempt(async () => {
    before = await api.setEncodings(production, set, onlyUnset);
  });
  if (!done) return false;
  const undo = () => attempt(() => api.setEncodings(production, before));
  say(`Encoding of ${counted(before.length, "shot")} set.`, before.length > 0 ? { label: "Undo", run: () => told(undo()) } : null);
  return true;
}

/** Shots whose files say nothing, by what nearly all such files are. */
export function proposals(shots: Shot[]): Map<string, Shot[]> {
  const found = new Map<string, Shot[]>();
  for (const shot of shots) if (shot.proposed && !shot.encoding) found.set(shot.proposed, [...(found.get(shot.proposed) ?? []), shot]);
  return found;
}
