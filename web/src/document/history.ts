/** Undo that outlives the page: the changes of each document, kept in this browser. */
import { createStore, del, entries, get, keys, set } from "idb-keyval";
import type { Look, Path } from "../data/client";

export interface Past {
  label: string;
  document: Look;
}

export interface Kept {
  /** The path that the history belongs to; of any other it is of no use. */
  text: string;
  past: Past[];
  future: Past[];
  step: string | null;
  at: number;
}

/** Changes of a document that are kept beyond the page. */
const MOST = 60;
/** Documents whose changes are kept. */
const MOST_DOCUMENTS = 40;

const store = typeof indexedDB === "undefined" ? null : createStore("dusky-lantern", "history");

/** A path or a document as text in which the order of keys, and what is left out or null, makes no difference. */
export function canonical(path: Path | Look): string {
  const sorted = (_: string, v: unknown): unknown =>
    v && typeof v === "object" && !Array.isArray(v)
      ? Object.fromEntries(Object.entries(v).filter(([, x]) => x !== null && x !== undefined).sort(([a], [b]) => (a < b ? -1 : 1)))
      : v;
  return JSON.stringify(path, sorted);
}

/** Keeps a document's history. A browser that keeps nothing is one without. */
export async function keepHistory(key: string, kept: Omit<Kept, "at">): Promise<void> {
  if (!store) return;
  try {
    await set(key, { ...kept, past: kept.past.slice(-MOST), future: kept.future.slice(-MOST), at: Date.now() }, store);
    // All of them are read only where there are too many.
    if ((await keys(store)).length <= MOST_DOCUMENTS) return;
    const all = await entries<string, Kept>(store);
    const old = all.sort((a, b) => b[1].at - a[1].at).slice(MOST_DOCUMENTS);
    for (const [k] of old) await del(k, store);
  } catch {
    // Private windows and full disks: undo then lasts as long as the page.
  }
}

/** The history of a document, where there is one that belongs to this path. */
export async function historyOf(key: string, path: Path): Promise<Kept | null> {
  if (!store) return null;
  try {
    const kept = await get<Kept>(key, store);
    return kept?.text === canonical(path) ? kept : null;
  } catch {
    return null;
  }
}
