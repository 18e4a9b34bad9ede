/** Messages of the preview socket, taken apart. Arrays are views of the message, not copies. */

import { HEADER, KINDS, PARTS } from "./layout";

/** The counts of a message, null where they did not come along. */
type Counted = { [P in (typeof PARTS)[number] as P["name"]]: InstanceType<P["element"]> | null };

/** A picture with the counts that came along. */
export interface Frame extends Counted {
  seq: number;
  rest: boolean;
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
  columns: number;
}

export interface Thumbnail {
  index: number;
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
}

export type Message = { kind: "picture" | "beside" | "loupe" | "reel"; frame: Frame } | { kind: "row" | "card"; seq: number; thumbnail: Thumbnail };

/** Takes a message apart; see the server's `preview::layout`. */
export function read(data: ArrayBuffer): Message {
  const header = new DataView(data);
  const [width, height] = [header.getUint16(8, true), header.getUint16(10, true)];
  const pixels = new Uint8ClampedArray(data, HEADER, width * height * 4);
  const kind = KINDS[header.getUint8(0) as keyof typeof KINDS] ?? "picture";
  const [holds, seq, columns] = [header.getUint16(2, true), header.getUint32(4, true), header.getUint16(12, true)];
  if (kind === "row" || kind === "card") {
    return { kind, seq, thumbnail: { index: header.getUint16(14, true), width, height, pixels } };
  }
  let at = HEADER + width * height * 4;
  const part = ({ bit, element, count, columns: each }: (typeof PARTS)[number]) => {
    if (!(holds & bit)) return null;
    const length = each ? count * columns : count;
    const found = new element(data, at, length);
    at += found.byteLength;
    return found;
  };
  const counts = Object.fromEntries(PARTS.map((p) => [p.name, part(p)])) as unknown as Counted;
  const rest = header.getUint8(1) === 1;
  return { kind, frame: { seq, rest, width, height, pixels, columns, ...counts } };
}
