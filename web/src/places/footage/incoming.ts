/**
 * Files on their way in: one after the other, in pieces that go on where they broke off, each shot with its progress,
 * each can be stopped and gone on with.
 */
import { create } from "zustand";
import { api, type Group } from "../../api/client";
import { refreshProduction, say, shotsOf, useSession } from "../../state/session";

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

/** The longest piece of a file that is sent at once. */
const PIECE = 64 << 20;
/** The page reads the production anew at most this often while frames come in. */
const REFRESH_EVERY = 1500;

let next = 0;
let refreshed = 0;
const jobs = new Map<number, Job>();
const running = new Map<number, AbortController>();

/** A key that the same file has again after the page was closed: made from its name, length and time. */
export async function keyOf(file: File, scene: string): Promise<string> {
  const text = `${scene}|${file.name}|${file.size}|${file.lastModified}`;
  const hash = await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text));
  return Array.from(new Uint8Array(hash), (b) => b.toString(16).padStart(2, "0")).join("");
}

/** Sends a piece; fetch does not tell how much of it was sent. */
function sendPiece(url: string, piece: Blob, stop: AbortSignal, sent: (bytes: number) => void): Promise<number> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("PUT", url);
    request.upload.onprogress = (e) => sent(e.loaded);
    request.onload = () => {
      const body = JSON.parse(request.responseText || "{}") as { have?: number; detail?: string };
      if (request.status < 300) resolve(body.have ?? 0);
      else reject(new Error(body.detail ?? "the server refused this file"));
    };
    request.onerror = () => reject(new Error("the server does not answer; go on when it is back"));
    request.onabort = () => reject(new Error("stopped"));
    stop.addEventListener("abort", () => request.abort());
    request.send(piece);
  });
}

/** Sends what is missing of a file and gives the key that it lies under. */
export async function sendFile(file: File, scene: string, stop: AbortSignal, sent: (share: number) => void): Promise<string> {
  const key = await keyOf(file, scene);
  let { have } = await api.have(key);
  while (have < file.size || file.size === 0) {
    const url = `/api/incoming/${key}?from=${have}&name=${encodeURIComponent(file.name)}`;
    const from = have;
    have = await sendPiece(url, file.slice(from, from + PIECE), stop, (n) => sent((from + n) / Math.max(1, file.size)));
    if (file.size === 0) break;
  }
  return key;
}

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
  async function sendShot(id: number, { scene, group, files }: Job, stop: AbortSignal): Promise<void> {
    const total = group.files.length;
    // A sequence that broke off goes on in the shot that was begun.
    const begun = group.sequence ? begunShot(scene, group.name) : undefined;
    const here = new Map(begun ? (await api.frames(begun.id)).map((f) => [f.name, f.bytes]) : []);
    let shot = begun?.id;
    for (const [i, [name, number]] of group.files.entries()) {
      const file = files.get(name);
      if (!file || here.get(name) === file.size) continue;
      change(id, { at: i + 1, sent: i / total });
      const key = await sendFile(file, scene, stop, (share) => change(id, { sent: (i + share) / total }));
      if (shot) await api.addFrame(shot, { key, name, number });
      else shot = (await api.createShot(scene, { key, name, number: group.sequence ? number : 0, shot: group.name, expected: total })).id;
      await refreshSometimes();
    }
  }

  async function run(id: number): Promise<void> {
    const job = jobs.get(id);
    if (!job || !get().list.some((u) => u.id === id)) return;
    const stop = new AbortController();
    running.set(id, stop);
    change(id, { failure: "", stopped: false });
    try {
      await sendShot(id, job, stop.signal);
      dismiss(id);
    } catch (e) {
      if (stop.signal.aborted) change(id, { stopped: true });
      else change(id, { failure: e instanceof Error ? e.message : String(e) });
    }
    running.delete(id);
    await refreshSometimes(true);
  }

  return {
    list: [],
    dismiss,
    stop: (id) => {
      if (running.has(id)) running.get(id)?.abort();
      else dismiss(id);
    },
    again: (id) => void run(id),
    send: async (scene, files) => {
      const known = new Map(files.filter((f) => isFootage(f.name)).map((f) => [f.name, f]));
      if (known.size === 0) {
        say("None of these files is a picture or clip that can be read.");
        return;
      }
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
      for (const { id } of fresh) await run(id);
    },
  };
});

function begunShot(scene: string, name: string) {
  const { production } = useSession.getState();
  const there = production?.scenes.find((s) => s.id === scene)?.shots ?? [];
  return shotsOf(production).find((s) => there.includes(s) && s.name === name && s.warnings.some((w) => w.includes("came in")));
}

const ENDINGS = /\.(exr|dpx|tiff?|png|jpe?g|mov|mp4|m4v|mkv|webm|avi|mxf|ts|mts|m2ts|mpe?g|gif|ogv|dv|nut|y4m)$/i;

/** Whether a name ends as pictures or clips do; the server looks at the bytes. */
export function isFootage(name: string): boolean {
  return ENDINGS.test(name) && !name.startsWith(".");
}

/** All files of a drop, those inside folders too. */
export async function filesOf(drop: DataTransfer): Promise<File[]> {
  // Entries have to be taken before the first await: the list is empty afterwards.
  const entries = [...drop.items].map((i) => i.webkitGetAsEntry()).filter((e) => e !== null);
  if (entries.length === 0) return [...drop.files];
  return (await Promise.all(entries.map(walk))).flat();
}

async function walk(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) return [await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return found;
    for (const e of some) found.push(...(await walk(e)));
  }
}
