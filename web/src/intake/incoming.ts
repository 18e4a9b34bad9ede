/** Shots on their way in: a few at once, each with its progress, each can be stopped and gone on with. */
import { create } from "zustand";
import { api, type Group } from "../data/client";
import { refreshProduction, say, shotsOf, told, useSession } from "../session/session";
import { counted } from "../ui/units";
import { isFootage, pathOf } from "./files";
import { putInOrder } from "./order";
import { keyOf, sendFile, sendFrame, sendShot } from "./sending";

export interface Coming {
  id: number;
  /** What the shot is called. */
  name: string;
  /** The file under way, from 1, of how many. */
  at: number;
  of: number;
  /** Share of all that was sent, 0..1. */
  sent: number;
  failure: string;
  stopped: boolean;
}

interface Uploads {
  list: Coming[];
  send: (scene: string, files: File[]) => Promise<void>;
  stop: (id: number) => void;
  again: (id: number) => void;
  dismiss: (id: number) => void;
}

interface Job {
  scene: string;
  group: Group;
  files: Map<string, File>;
}

/** Shots that come in at once. */
const AT_ONCE = 3;
/** The page reads the production anew at most this often while frames come in. */
const REFRESH_EVERY = 1500;

let next = 0;
let refreshed = 0;
const jobs = new Map<number, Job>();
const running = new Map<number, AbortController>();

async function refreshSometimes(now = false): Promise<void> {
  if (!now && performance.now() - refreshed < REFRESH_EVERY) return;
  refreshed = performance.now();
  await refreshProduction().catch(() => undefined);
}

export const useIncoming = create<Uploads>((set, get) => {
  const change = (id: number, part: Partial<Coming>) => set({ list: get().list.map((u) => (u.id === id ? { ...u, ...part } : u)) });
  const dismiss = (id: number) => {
    jobs.delete(id);
    set({ list: get().list.filter((u) => u.id !== id) });
  };

  /** Sends the files of one shot; those that are here already are left out. */
  async function sendAll(id: number, { scene, group, files }: Job, stop: AbortSignal): Promise<string | undefined> {
    const total = group.files.length;
    // A sequence that broke off goes on in the shot that was begun.
    const begun = group.sequence ? begunShot(scene, group.name) : undefined;
    const here = new Map(begun ? (await api.frames(begun.id)).map((f) => [f.name, f.bytes]) : []);
    let shot = begun?.id;
    let done = 0;
    const sendOne = async ([name, number]: [string, number]) => {
      const file = files.get(name);
      if (!file || here.get(file.name) === file.size) return;
      const sent = (share: number) => change(id, { at: done + 1, sent: (done + share) / total });
      const arrived = { key: await keyOf(file, scene), name: file.name, number: group.sequence ? number : 0 };
      const first = { ...arrived, shot: group.name, expected: total };
      const whole = group.clip ? null : await (shot ? sendFrame(shot, arrived, file, stop, sent) : sendShot(scene, first, file, stop, sent));
      if (!whole) await sendFile(file, arrived.key, stop, sent);
      if (whole) shot ??= whole.id;
      else if (shot) await api.addFrame(shot, arrived);
      else shot = (await api.createShot(scene, first)).id;
      done += 1;
      change(id, { at: Math.min(total, done + 1), sent: done / total });
      await refreshSometimes();
    };
    const left = [...group.files] as [string, number][];
    // The first makes the shot; then a few at once.
    while (!shot && left.length > 0) await sendOne(left.shift() as [string, number]);
    const worker = async () => {
      for (let next = left.shift(); next; next = left.shift()) await sendOne(next);
    };
    await Promise.all(Array.from({ length: AT_ONCE }, worker));
    return shot;
  }

  async function run(id: number): Promise<string | undefined> {
    const job = jobs.get(id);
    if (!job || !get().list.some((u) => u.id === id)) return undefined;
    let made: string | undefined;
    const stop = new AbortController();
    running.set(id, stop);
    change(id, { failure: "", stopped: false });
    try {
      made = await sendAll(id, job, stop.signal);
      dismiss(id);
    } catch (e) {
      if (stop.signal.aborted) change(id, { stopped: true });
      else change(id, { failure: e instanceof Error ? e.message : String(e) });
    }
    running.delete(id);
    // While others come in, at the pace of all; at the end at once.
    await refreshSometimes(running.size === 0);
    return made;
  }

  return {
    list: [],
    dismiss,
    stop: (id) => {
      if (running.has(id)) running.get(id)?.abort();
      else dismiss(id);
    },
    again: (id) => told(run(id)),
    send: async (scene, files) => {
      const known = new Map(files.filter((f) => isFootage(f.name)).map((f) => [pathOf(f), f]));
      if (known.size === 0) {
        say("No readable pictures or clips in this selection.");
        return;
      }
      const left = files.length - known.size;
      if (left > 0) say(`${counted(left, "file")} left out: no picture or clip that can be read.`);
      let groups: Group[];
      try {
        groups = await api.group([...known.keys()]);
      } catch (e) {
        say(e);
        return;
      }
      const fresh = groups.map((group) => {
        const id = next++;
        jobs.set(id, { scene, group, files: known });
        return { id, name: group.name, at: 1, of: group.files.length, sent: 0, failure: "", stopped: false };
      });
      set({ list: [...get().list, ...fresh] });
      // A few at once: while one is decoded, the next is on its way.
      const waiting = fresh.map((f) => f.id);
      const made = new Map<number, string | undefined>();
      const worker = async () => {
        for (let id = waiting.shift(); id !== undefined; id = waiting.shift()) made.set(id, await run(id));
      };
      await Promise.all(Array.from({ length: AT_ONCE }, worker));
      // They may have come in another order than the one that they were sent in.
      putInOrder(scene, fresh.flatMap((f) => made.get(f.id) ?? []));
    },
  };
});

function begunShot(scene: string, name: string) {
  const { production } = useSession.getState();
  const there = production?.scenes.find((s) => s.id === scene)?.shots ?? [];
  return shotsOf(production).find((s) => there.includes(s) && s.name === name && s.frames < s.expected);
}

/** The scene that files go to where none is said: the last that holds shots; made where there is none. */
export async function sceneToSendTo(): Promise<string | null> {
  const { production } = useSession.getState();
  if (!production) return null;
  const last = production.scenes.filter((s) => !s.finished).at(-1);
  if (last) return last.id;
  const made = await api.createScene(production.id, "Scene 1");
  await refreshProduction();
  return made.id;
}

/** Sends files to a scene, or to the one that they belong in where none is said. */
export async function sendTo(scene: string | null, files: File[]): Promise<void> {
  if (files.length === 0) return;
  if (!files.some((f) => isFootage(f.name))) {
    say("No readable pictures or clips in this selection.");
    return;
  }
  try {
    const to = scene ?? (await sceneToSendTo());
    if (to) await useIncoming.getState().send(to, files);
  } catch (e) {
    say(e);
  }
}
