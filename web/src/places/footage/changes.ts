/** Changes of shots and scenes that can be taken back from what the page says of them. */
import { api, type Replaced, type Scene, type Shot } from "../../data/client";
import { attempt, say, told, useSession } from "../../session/session";
import { counted } from "../../ui/units";
import { useSelection } from "./selection";

export async function deleteShots(shots: Shot[]): Promise<void> {
  const done = await attempt(async () => {
    for (const s of shots) await api.deleteShot(s.id);
  });
  const what = shots.length === 1 ? `“${shots[0]?.name ?? ""}”` : counted(shots.length, "shot");
  const undo = () => attempt(async () => { for (const s of shots) await api.restore("shots", s.id); });
  if (done) say(`Deleted ${what}.`, { label: "Undo", run: () => told(undo() )});
}

export async function deleteScene(scene: Scene): Promise<void> {
  const done = await attempt(() => api.deleteScene(scene.id));
  if (done) say(`Deleted scene “${scene.name}”.`, { label: "Undo", run: () => told(attempt(() => api.restore("scenes", scene.id)) )});
}

/** Shows what took the place of what, selects it, and offers to take it back. */
function replaced(words: string, by: Replaced): void {
  useSelection.getState().set(by.made.map((s) => s.id));
  const undo = () =>
    attempt(async () => {
      for (const s of by.gone) await api.restore("shots", s);
      for (const s of by.made) await api.deleteShot(s.id);
    });
  say(words, { label: "Undo", run: () => told(undo() )});
}

/** Takes a sequence apart into stills. */
export async function apart(shot: Shot): Promise<void> {
  let found: Replaced | null = null;
  await attempt(async () => { found = await api.apart(shot.id); });
  const by = found as Replaced | null;
  if (by) replaced(`“${shot.name}” was taken apart into ${counted(by.made.length, "still")}.`, by);
}

/** Joins stills to a sequence, where the first of them stands. */
export async function join(first: string, shots: string[]): Promise<void> {
  const scene = useSession.getState().production?.scenes.find((s) => s.shots.some((x) => x.id === first));
  if (!scene) return;
  let found: Replaced | null = null;
  await attempt(async () => { found = await api.join(scene.id, shots); });
  const by = found as Replaced | null;
  if (by) replaced(`${counted(by.gone.length, "still")} joined to “${by.made[0]?.name ?? ""}”.`, by);
}
