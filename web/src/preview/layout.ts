/** What a message of the preview socket is made of. Written by `cargo xtask types` from the server's `preview::layout`. */

/** Bytes before the pixels. */
export const HEADER = 16;

/** What a message is, by its first byte. */
export const KINDS = {
  1: "picture",
  2: "row",
  3: "beside",
  4: "card",
  5: "loupe",
  6: "reel",
} as const;

/** What may follow the pixels, in this order: its bit, its numbers, how many of them. */
export const PARTS = [
  { name: "wave", bit: 1, element: Uint16Array, count: 768, columns: true },
  { name: "luma", bit: 2, element: Uint16Array, count: 256, columns: true },
  { name: "vector", bit: 4, element: Uint16Array, count: 65536, columns: false },
  { name: "histogram", bit: 8, element: Uint32Array, count: 1024, columns: false },
  { name: "chromaticity", bit: 16, element: Uint16Array, count: 65536, columns: false },
  { name: "limits", bit: 32, element: Float32Array, count: 4, columns: false },
  { name: "tones", bit: 64, element: Uint32Array, count: 128, columns: false },
  { name: "hues", bit: 128, element: Uint32Array, count: 180, columns: false },
] as const;
