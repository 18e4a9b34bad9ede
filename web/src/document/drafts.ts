/**
 * Changes that were not saved when the page went. They are written into this browser's storage as it goes, which is done at
 * once where a request may be given up half way, and taken up again when the document is opened next.
 */

/** What was not saved of a document. */
export interface Draft<T> {
  /** The revision that it was made from. */
  revision: number;
  content: T;
  /** Milliseconds since 1970. */
  at: number;
}

const PREFIX = "dusky-lantern draft";
/** Windows do not write over each other's. */
const WINDOW = Math.random().toString(36).slice(2, 10);
/** After so long nobody looks for it any more. */
const LONGEST = 30 * 24 * 3600 * 1000;
/** Browsers send no more than 64 KB after a page; all of its requests share them. */
export const MOST_AFTER = 60_000;

function storage(): Storage | null {
  try {
    return window.localStorage;
  } catch {
    return null;
  }
}

/** The names under which drafts of a document lie, the newest first. */
function namesOf(key: string): [string, Draft<unknown>][] {
  const found: [string, Draft<unknown>][] = [];
  const kept = storage();
  for (let i = 0; kept && i < kept.length; i += 1) {
    const name = kept.key(i) ?? "";
    if (!name.startsWith(`${PREFIX} ${key} `)) continue;
    try {
      const draft = JSON.parse(kept.getItem(name) ?? "") as Draft<unknown>;
      if (typeof draft.revision === "number" && draft.content && Date.now() - draft.at < LONGEST) found.push([name, draft]);
    } catch {
      // Not ours, or cut short by a full storage.
    }
  }
  return found.sort((a, b) => b[1].at - a[1].at);
}

/** Lays a draft down. A storage that is full or shut keeps none. */
export function layDown<T>(key: string, revision: number, content: T): void {
  const draft: Draft<T> = { revision, content, at: Date.now() };
  try {
    storage()?.setItem(`${PREFIX} ${key} ${WINDOW}`, JSON.stringify(draft));
  } catch {
    // The request that goes out beside it may still arrive.
  }
}

/** Takes up the newest draft of a document; what other windows laid down stays for the next time. */
export function takeUp<T>(key: string): Draft<T> | null {
  const [newest] = namesOf(key);
  if (!newest) return null;
  storage()?.removeItem(newest[0]);
  return newest[1] as Draft<T>;
}

/** Lets go of what this window laid down of a document: it was saved after all. */
export function letGo(key: string): void {
  storage()?.removeItem(`${PREFIX} ${key} ${WINDOW}`);
}

/** Calls `save` when the page goes: closed, reloaded, or another one in its place. */
export function beforeLeaving(save: () => void): void {
  window.addEventListener("pagehide", save);
}
