/** Drawing scope counts into canvases. */

const LEVELS = 256;

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
  const context = canvas.getContext("2d");
  if (!context) return;
  const width = parade ? columns * 3 : columns;
  if (canvas.width !== width || canvas.height !== LEVELS) {
    canvas.width = width;
    canvas.height = LEVELS;
  }
  const image = context.createImageData(width, LEVELS);
  const out = image.data;
  for (let x = 0; x < columns; x++) {
    for (let c = 0; c < 3; c++) {
      const column = (x * 3 + c) * LEVELS;
      const left = parade ? c * columns + x : x;
      for (let level = 0; level < LEVELS; level++) {
        const count = wave[column + level] ?? 0;
        if (count === 0) continue;
        const at = ((LEVELS - 1 - level) * width + left) * 4;
        const light = waveGlow[Math.min(count, 4095)] ?? 0;
        out[at + c] = light;
        // A little of the others keeps deep blue and red legible on black.
        for (let k = 0; k < 3; k++) if (k !== c) out[at + k] = Math.max(out[at + k] ?? 0, light * 0.22);
        out[at + 3] = 255;
      }
    }
  }
  context.putImageData(image, 0, 0);
}

/** The vectorscope's trace, each place in the colour that lies there. */
export function drawVector(canvas: HTMLCanvasElement, vector: Uint16Array, span: number): void {
  const context = canvas.getContext("2d");
  if (!context) return;
  if (canvas.width !== LEVELS) {
    canvas.width = LEVELS;
    canvas.height = LEVELS;
  }
  const image = context.createImageData(LEVELS, LEVELS);
  const out = image.data;
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
  context.putImageData(image, 0, 0);
}
