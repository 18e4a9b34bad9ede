/** Drawing scope counts into canvases. */
import { LEVELS } from "../data/constants";


/** Brightness of a count: a log curve, so that single pixels show and heaps do not burn out. */
function glow(scale: number): Uint8ClampedArray {
  const table = new Uint8ClampedArray(4096);
  for (let n = 1; n < table.length; n++) table[n] = Math.min(235, 26 + 30 * Math.log2(1 + n * scale));
  return table;
}

const waveGlow = glow(1);
const vectorGlow = glow(0.5);

/** The waveform: RGB overlaid in the same columns, or the three side by side. */
export function drawWave(canvas: HTMLCanvasElement, wave: Uint16Array, columns: number, parade: boolean): void {
  const width = parade ? columns * 3 : columns;
  const out = sheet(canvas, width, LEVELS);
  if (!out) return;
  const { words } = out;
  for (let x = 0; x < columns; x++) {
    const column = x * 3 * LEVELS;
    for (let level = 0; level < LEVELS; level++) {
      const at = column + level;
      const [red, green, blue] = [wave[at] ?? 0, wave[at + LEVELS] ?? 0, wave[at + 2 * LEVELS] ?? 0];
      if ((red | green | blue) === 0) continue;
      const place = (LEVELS - 1 - level) * width + x;
      if (parade) {
        if (red) words[place] = word(shine(red), 0, 0);
        if (green) words[place + columns] = word(0, shine(green), 0);
        if (blue) words[place + 2 * columns] = word(0, 0, shine(blue));
      } else {
        words[place] = word(shine(red), shine(green), shine(blue));
      }
    }
  }
  out.context.putImageData(out.image, 0, 0);
}

function shine(count: number): number {
  return waveGlow[count < 4096 ? count : 4095] ?? 0;
}

/** A pixel as one word, red in the lowest byte. A little of the others keeps deep blue and red legible on black. */
function word(red: number, green: number, blue: number): number {
  const most = Math.max(red, green, blue) * 0.22;
  return (0xff000000 | (Math.max(blue, most) << 16) | (Math.max(green, most) << 8) | Math.max(red, most)) >>> 0;
}

/** The waveform of luma, in grey. */
export function drawLuma(canvas: HTMLCanvasElement, luma: Uint16Array, columns: number): void {
  const out = sheet(canvas, columns, LEVELS);
  if (!out) return;
  for (let x = 0; x < columns; x++) {
    for (let level = 0; level < LEVELS; level++) {
      const count = luma[x * LEVELS + level] ?? 0;
      if (count === 0) continue;
      const at = ((LEVELS - 1 - level) * columns + x) * 4;
      out.data.fill(waveGlow[Math.min(count, 4095)] ?? 0, at, at + 3);
      out.data[at + 3] = 255;
    }
  }
  out.context.putImageData(out.image, 0, 0);
}

/** Histograms of R, G and B over that of luma, root-scaled so that small populations show. */
export function drawHistogram(canvas: HTMLCanvasElement, counts: Uint32Array): void {
  const height = 96;
  const out = sheet(canvas, LEVELS, height);
  if (!out) return;
  // The ends hold all that is clipped and would flatten the rest.
  let most = 1;
  for (let i = 0; i < counts.length; i++) if (i % LEVELS > 0 && i % LEVELS < LEVELS - 1) most = Math.max(most, counts[i] ?? 0);
  const tall = (c: number, x: number) => Math.min(height, Math.ceil(Math.sqrt((counts[c * LEVELS + x] ?? 0) / most) * height));
  for (let x = 0; x < LEVELS; x++) {
    const luma = tall(3, x);
    for (let y = 0; y < luma; y++) {
      const at = ((height - 1 - y) * LEVELS + x) * 4;
      out.data.fill(52, at, at + 3);
      out.data[at + 3] = 255;
    }
    for (let c = 0; c < 3; c++) {
      const [here, left] = [tall(c, x), x > 0 ? tall(c, x - 1) : 0];
      // A line, not a heap: three heaps would hide each other.
      for (let y = Math.max(0, Math.min(here, left) - 1); y < Math.max(here, left); y++) {
        const at = ((height - 1 - y) * LEVELS + x) * 4;
        out.data[at + c] = 225;
        out.data[at + ((c + 1) % 3)] = Math.max(out.data[at + ((c + 1) % 3)] ?? 0, 70);
        out.data[at + ((c + 2) % 3)] = Math.max(out.data[at + ((c + 2) % 3)] ?? 0, 70);
        out.data[at + 3] = 255;
      }
    }
  }
  out.context.putImageData(out.image, 0, 0);
}

/** The chromaticity's trace, each place in a colour of its own hue. */
export function drawChromaticity(canvas: HTMLCanvasElement, counts: Uint16Array, span: number, white: [number, number]): void {
  const out = sheet(canvas, LEVELS, LEVELS);
  if (!out) return;
  for (let i = 0; i < counts.length; i++) {
    const count = counts[i] ?? 0;
    if (count === 0) continue;
    const u = ((i % LEVELS) / LEVELS) * span - white[0];
    const v = (1 - Math.floor(i / LEVELS) / LEVELS) * span - white[1];
    const light = vectorGlow[Math.min(count, 4095)] ?? 0;
    const tint = (120 + light) * 2.2;
    // Red lies to the right in u', green to the left, blue down in v': enough to know one's way about.
    out.data[i * 4] = light * 0.8 + tint * Math.max(0, u + 0.3 * v) + 40;
    out.data[i * 4 + 1] = light * 0.8 + tint * Math.max(0, v - u) + 40;
    out.data[i * 4 + 2] = light * 0.8 + tint * Math.max(0, -v) + 40;
    out.data[i * 4 + 3] = 255;
  }
  out.context.putImageData(out.image, 0, 0);
}

/** What a canvas was drawn with last: new pixels for every picture would keep the page busy with clearing up. */
const drawn = new WeakMap<HTMLCanvasElement, { image: ImageData; words: Uint32Array }>();

/** A canvas of a size with clear pixels, as bytes and as words. */
function sheet(canvas: HTMLCanvasElement, width: number, height: number) {
  const context = canvas.getContext("2d");
  if (!context) return null;
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  let last = drawn.get(canvas);
  if (last?.image.width !== width || last.image.height !== height) {
    const image = context.createImageData(width, height);
    last = { image, words: new Uint32Array(image.data.buffer) };
    drawn.set(canvas, last);
  } else {
    last.words.fill(0);
  }
  return { context, image: last.image, data: last.image.data, words: last.words };
}

/** The vectorscope's trace, each place in the colour that lies there. */
export function drawVector(canvas: HTMLCanvasElement, vector: Uint16Array, span: number): void {
  const sheeted = sheet(canvas, LEVELS, LEVELS);
  if (!sheeted) return;
  const out = sheeted.data;
  for (let i = 0; i < vector.length; i++) {
    const count = vector[i] ?? 0;
    if (count === 0) continue;
    const cb = ((i % LEVELS) / LEVELS - 0.5) * 2 * span;
    const cr = (0.5 - Math.floor(i / LEVELS) / LEVELS) * 2 * span;
    const light = vectorGlow[Math.min(count, 4095)] ?? 0;
    // The colour of the place, brighter where more pixels lie.
    const tint = 120 + light;
    out[i * 4] = light + tint * 1.5748 * cr;
    out[i * 4 + 1] = light - tint * (0.1873 * cb + 0.4681 * cr);
    out[i * 4 + 2] = light + tint * 1.8556 * cb;
    out[i * 4 + 3] = 255;
  }
  sheeted.context.putImageData(sheeted.image, 0, 0);
}
