/** Messages of the preview socket, built byte by byte as the server's `preview::request` describes them. */

export interface Parts {
  kind?: number;
  rest?: boolean;
  holds?: number;
  seq?: number;
  size?: [number, number];
  columns?: number;
  index?: number;
  counts?: (Uint16Array | Uint32Array | Float32Array)[];
}

export function message(p: Parts): ArrayBuffer {
  const [w, h] = p.size ?? [2, 1];
  const counts = p.counts ?? [];
  const length = counts.reduce((sum, c) => sum + c.byteLength, 0);
  const data = new ArrayBuffer(16 + w * h * 4 + length);
  const view = new DataView(data);
  view.setUint8(0, p.kind ?? 1);
  view.setUint8(1, p.rest ? 1 : 0);
  view.setUint16(2, p.holds ?? 0, true);
  view.setUint32(4, p.seq ?? 9, true);
  view.setUint16(8, w, true);
  view.setUint16(10, h, true);
  view.setUint16(12, p.columns ?? 0, true);
  view.setUint16(14, p.index ?? 0, true);
  new Uint8Array(data, 16, w * h * 4).forEach((_, i, all) => (all[i] = i + 1));
  let at = 16 + w * h * 4;
  for (const c of counts) {
    new Uint8Array(data, at).set(new Uint8Array(c.buffer, c.byteOffset, c.byteLength));
    at += c.byteLength;
  }
  return data;
}
