/** Messages of the preview socket, taken apart. Arrays are views of the message, not copies. */

/** A picture with the counts that came along. */
export interface Frame {
  seq: number;
  rest: boolean;
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
  columns: number;
  wave: Uint16Array | null;
  luma: Uint16Array | null;
  vector: Uint16Array | null;
  histogram: Uint32Array | null;
  chromaticity: Uint16Array | null;
  /** Shares at black, at white, out of gamut, beyond EBU R 103. */
  limits: Float32Array | null;
  tones: Uint32Array | null;
  hues: Uint32Array | null;
}

export interface Thumbnail {
  index: number;
  width: number;
  height: number;
  pixels: Uint8ClampedArray<ArrayBuffer>;
}

export type Message = { kind: "picture" | "beside" | "loupe" | "reel"; frame: Frame } | { kind: "row" | "card"; seq: number; thumbnail: Thumbnail };

const HEADER = 16;
const LEVELS = 256;
const BINS = 128;
const HUES = 180;

/** Takes a message apart; see the server's `preview::request` for its layout. */
export function read(data: ArrayBuffer): Message {
  const header = new DataView(data);
  const [width, height] = [header.getUint16(8, true), header.getUint16(10, true)];
  const pixels = new Uint8ClampedArray(data, HEADER, width * height * 4);
  const kind = header.getUint8(0);
  const [holds, seq, columns] = [header.getUint16(2, true), header.getUint32(4, true), header.getUint16(12, true)];
  if (kind === 2 || kind === 4) {
    const thumbnail = { index: header.getUint16(14, true), width, height, pixels };
    return { kind: kind === 2 ? "row" : "card", seq, thumbnail };
  }
  let at = HEADER + width * height * 4;
  const words = (bit: number, count: number) => {
    if (!(holds & bit)) return null;
    at += count * 2;
    return new Uint16Array(data, at - count * 2, count);
  };
  const longs = (bit: number, count: number) => {
    if (!(holds & bit)) return null;
    at += count * 4;
    return new Uint32Array(data, at - count * 4, count);
  };
  const wave = words(1, columns * 3 * LEVELS);
  const luma = words(2, columns * LEVELS);
  const vector = words(4, LEVELS * LEVELS);
  const histogram = longs(8, 4 * LEVELS);
  const chromaticity = words(16, LEVELS * LEVELS);
  const shares = longs(32, 4);
  const limits = shares && new Float32Array(shares.buffer, shares.byteOffset, 4);
  const tones = longs(64, BINS);
  const hues = longs(128, HUES);
  const rest = header.getUint8(1) === 1;
  const counts = { wave, luma, vector, histogram, chromaticity, limits, tones, hues };
  const sort = ({ 3: "beside", 5: "loupe", 6: "reel" } as const)[kind] ?? "picture";
  return { kind: sort, frame: { seq, rest, width, height, pixels, columns, ...counts } };
}
