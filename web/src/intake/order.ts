/** The order of scenes and shots: what a drop or a key makes of it. */
import { api, type Scene } from "../data/client";
import { attempt, told, useSession } from "../session/session";

/** What the ids of scenes begin with among the things that are dragged. */
export const SCENE = "scene:";

function scenes(): Scene[] {
  return useSession.getState().production?.scenes.map((s) => ({ ...s, shots: [...s.shots] })) ?? [];
}

/** Shows and saves an order. */
function keep(order: Scene[]): void {
  const { production, set } = useSession.getState();
  if (!production) return;
  set({ production: { ...production, scenes: order } });
  told(attempt(() => api.arrange(production.id, order.map((s) => ({ id: s.id, shots: s.shots.map((x) => x.id) })))));
}

/** Puts a shot into a scene at a place; at its end where none is given. */
export function moveShot(shot: string, scene: string, at?: number): void {
  moveShots([shot], scene, at);
}

/** Puts shots into a scene, in the order that they have; at its end where no place is given. */
export function moveShots(shots: string[], scene: string, at?: number): void {
  const order = scenes();
  const to = order.find((s) => s.id === scene);
  const moved = order.flatMap((s) => s.shots).filter((x) => shots.includes(x.id));
  if (!to || moved.length === 0) return;
  for (const s of order) s.shots = s.shots.filter((x) => !shots.includes(x.id));
  to.shots.splice(at ?? to.shots.length, 0, ...moved);
  keep(order);
}

/** Puts shots of a scene into an order among themselves, at the places that they have together. */
export function putInOrder(scene: string, shots: string[]): void {
  const order = scenes();
  const own = order.find((s) => s.id === scene);
  if (!own) return;
  const wanted = shots.flatMap((id) => own.shots.find((s) => s.id === id) ?? []);
  const places = own.shots.flatMap((s, i) => (shots.includes(s.id) ? [i] : []));
  if (places.every((place, i) => own.shots[place] === wanted[i])) return;
  places.forEach((place, i) => {
    const shot = wanted[i];
    if (shot) own.shots[place] = shot;
  });
  keep(order);
}

/** Moves a scene by places. */
export function moveScene(scene: string, by: number): void {
  const order = scenes();
  const at = order.findIndex((s) => s.id === scene);
  const to = at + by;
  if (at < 0 || to < 0 || to >= order.length) return;
  const [moved] = order.splice(at, 1);
  if (moved) order.splice(to, 0, moved);
  keep(order);
}

/** Moves a shot by places inside its scene (sideways), or to the scene before or after. */
export function nudgeShot(shot: string, sideways: number, scenesOn: number): void {
  const order = scenes();
  const in_ = order.findIndex((s) => s.shots.some((x) => x.id === shot));
  const scene = order[in_ + scenesOn];
  const at = order[in_]?.shots.findIndex((x) => x.id === shot) ?? -1;
  if (!scene || at < 0) return;
  if (scenesOn !== 0) moveShot(shot, scene.id);
  else if (at + sideways >= 0 && at + sideways < scene.shots.length) moveShot(shot, scene.id, at + sideways);
}

/** Something was dropped on something: a scene on a scene, a shot on a shot or on a scene. */
export function dropOn(dragged: string, onto: string): void {
  if (dragged === onto) return;
  const order = scenes();
  const sceneOf = (id: string) =>
    id.startsWith(SCENE) ? order.find((s) => SCENE + s.id === id) : order.find((s) => s.shots.some((x) => x.id === id));
  const to = sceneOf(onto);
  if (!to) return;
  if (dragged.startsWith(SCENE)) {
    const from = order.findIndex((s) => SCENE + s.id === dragged);
    moveScene(dragged.slice(SCENE.length), order.indexOf(to) - from);
    return;
  }
  const at = to.shots.findIndex((x) => x.id === onto);
  moveShot(dragged, to.id, at < 0 ? undefined : at);
}
