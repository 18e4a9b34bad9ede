/** Files on their way to the server: short pictures as a whole, others in pieces that go on where they broke off. */
import { api } from "../data/client";
import { pathOf } from "./files";

/** The longest picture that is sent as a whole and taken in by the same request. */
const WHOLE = 32 << 20;
/** The longest piece of a file that is sent at once. */
const PIECE = 64 << 20;
/** How often a file under way says how much of it was sent, in milliseconds: drawing it takes time from reading files. */
const TELL_EVERY = 250;

/** Told the share of a file that was sent, 0..1. */
type Sent = (share: number) => void;

/** What is said of a file that arrives: the key that it lies under, its name, its frame number. */
interface Arrived {
  key: string;
  name: string;
  number: number;
}

/** A key that the same file has again after the page was closed: made from its name, length and time. */
export async function keyOf(file: File, scene: string): Promise<string> {
  const text = `${scene}|${pathOf(file)}|${file.size}|${file.lastModified}`;
  const hash = await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text));
  return Array.from(new Uint8Array(hash), (b) => b.toString(16).padStart(2, "0")).join("");
}

/**
 * Sends bytes and gives what is answered; fetch does not tell how much of them was sent. Once all are sent it is too late to stop:
 * the server is taking them in.
 */
function send<Answer>(url: string, bytes: Blob, stop: AbortSignal, sent: (bytes: number) => void): Promise<Answer> {
  return new Promise((resolve, reject) => {
    if (stop.aborted) {
      reject(new Error("stopped"));
      return;
    }
    const request = new XMLHttpRequest();
    const abort = () => request.abort();
    request.open("PUT", url);
    let told = performance.now();
    request.upload.onprogress = (e) => {
      if (performance.now() - told < TELL_EVERY) return;
      told = performance.now();
      sent(e.loaded);
    };
    request.onload = () => {
      const body = JSON.parse(request.responseText || "{}") as Answer & { detail?: string };
      if (request.status < 300) resolve(body);
      else reject(new Error(body.detail ?? "the server refused this file"));
    };
    request.onerror = () => reject(new Error("the server does not answer; go on when it is back"));
    request.onabort = () => reject(new Error("stopped"));
    request.upload.onload = () => stop.removeEventListener("abort", abort);
    stop.addEventListener("abort", abort);
    request.send(bytes);
  });
}

/** How many bytes of a file are at the server. */
async function here(key: string): Promise<number> {
  return (await api.have(key)).have;
}

/** Sends what is missing of a file, to lie under its key. */
export async function sendFile(file: File, key: string, stop: AbortSignal, sent: Sent): Promise<void> {
  const size = Math.max(1, file.size);
  let have = await here(key);
  // One that is empty is sent too: the server says what is wrong with it.
  do {
    const url = `/api/incoming/${key}?from=${have}&name=${encodeURIComponent(file.name)}`;
    const from = have;
    if (from > 0 && from === file.size) return;
    const piece = file.slice(from, from + PIECE);
    have = (await send<{ have?: number }>(url, piece, stop, (n) => sent((from + n) / size))).have ?? 0;
    sent(have / size);
  } while (have < file.size);
}

/** Sends a picture as a whole. `null` where it is too long for that, or was here in part: then it goes in pieces. */
async function sendWhole(to: string, arrived: Arrived, file: File, stop: AbortSignal, sent: Sent): Promise<{ id?: string } | null> {
  if (file.size > WHOLE) return null;
  const said = new URLSearchParams(Object.entries(arrived).map(([name, value]) => [name, String(value)]));
  try {
    // As it is, it goes from the disk to the socket; a slice goes through three processes of the browser.
    return await send<{ id?: string }>(`${to}?${said.toString()}`, file, stop, (n) => sent(n / Math.max(1, file.size)));
  } catch (e) {
    // One that is hardly ever here in part need not be asked for first. Where the server is away, what went wrong first is said.
    if (stop.aborted || (await here(arrived.key).catch(() => 0)) === 0) throw e;
    return null;
  }
}

/** Sends a picture as a whole and makes a shot of it; see {@link sendWhole}. */
export function sendShot(scene: string, first: Arrived & { shot: string; expected: number }, file: File, stop: AbortSignal, sent: Sent) {
  return sendWhole(`/api/scenes/${scene}/pictures`, first, file, stop, sent);
}

/** Sends a picture as a whole as another frame of a shot; see {@link sendWhole}. */
export function sendFrame(shot: string, arrived: Arrived, file: File, stop: AbortSignal, sent: Sent) {
  return sendWhole(`/api/shots/${shot}/pictures`, arrived, file, stop, sent);
}
