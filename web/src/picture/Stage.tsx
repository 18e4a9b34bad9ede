/** A picture's canvas with what is drawn on it: areas, pins, and the tools that work by pressing on the picture. */
import { useEffect, useRef, useState } from "react";
import { preview } from "../preview/preview";
import { useInstruments, type Corner } from "../session/instruments";
import { useCloseup, useFit } from "./closeup";
import { loupePart } from "./loupe";
import { follow } from "../gestures/drag";
import type { Source } from "../instruments/counts";
import { point } from "./pointer";
import { drop, pick } from "./tools";
import { told } from "../session/session";

interface Props {
  source: Source;
  name: string | undefined;
  className?: string;
}

/** The shortest drag, as a share of the width, that is not a click. */
const CLICK = 0.008;
/** Shapes that differ by less are the same shape in pixels of another size. */
const SAME_SHAPE = 0.01;
/** Corners of a loop drawn by hand lie at least this far apart. */
const GAP = 0.004;

function rectangle([x0, y0]: Corner, [x1, y1]: Corner): Corner[] {
  return [
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
  ];
}

export function Stage({ source, name, className = "" }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const tool = useInstruments((s) => s.tool);
  const area = useInstruments((s) => (source === "hand" ? s.area : s.areaBeside));
  const pins = useInstruments((s) => s.pins);
  const [drawn, setDrawn] = useState<Corner[] | null>(null);
  const room = useRef<HTMLDivElement>(null);
  const [ratio, setRatio] = useState(16 / 9);
  const size = useFit(room, ratio);
  const hand = source === "hand";
  const view = useInstruments((s) => s.view);
  const closeup = useInstruments((s) => s.closeup);
  const loupe = useInstruments((s) => s.loupe && hand && !s.view);
  const centre = useInstruments((s) => s.centre);
  // Beside a reference, a drag draws an area on either picture: both are compared as patches.
  const comparing = useInstruments((s) => s.against?.kind === "reference" && s.againstAs === "side" && !s.view);
  const [left, top, wide, high] = view ?? [0, 0, 1, 1];
  useCloseup(hand, size);
  useEffect(() => {
    if (hand) preview.across = size.width * window.devicePixelRatio;
  }, [hand, size.width]);

  useEffect(
    () =>
      (hand ? preview.frames : preview.besides).add((frame) => {
        const c = canvas.current;
        const context = c?.getContext("2d", { alpha: false });
        if (!c || !context) return;
        if (c.width !== frame.width || c.height !== frame.height) {
          c.width = frame.width;
          c.height = frame.height;
          // A close-up has the shape of the room that it fills; the frame keeps its own. So it does where pixels of
          // another size only round it differently.
          const now = frame.width / frame.height;
          if (!useInstruments.getState().view) setRatio((was) => (Math.abs(now / was - 1) < SAME_SHAPE ? was : now));
        }
        context.putImageData(new ImageData(frame.pixels, frame.width, frame.height), 0, 0);
        c.dataset.seq = String(frame.seq);
        c.dataset.quality = frame.rest ? "rest" : "drag";
      }),
    [hand],
  );

  const placeOf = (e: { clientX: number; clientY: number }): Corner => {
    const box = canvas.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    const share = (v: number, from: number, size: number) => Math.min(1, Math.max(0, (v - from) / size));
    return [left + wide * share(e.clientX, box.left, box.width), top + high * share(e.clientY, box.top, box.height)];
  };

  const press = (e: React.PointerEvent<HTMLDivElement>) => {
    if (e.button !== 0) return;
    const from = placeOf(e);
    let line: Corner[] = [from];
    let shape: Corner[] | null = null;
    const loop = tool?.kind === "loop";
    const start = useInstruments.getState().centre;
    const [x0, y0] = [e.clientX, e.clientY];
    const move = (m: PointerEvent) => {
      if (loupe && !view && !tool) {
        shape = [];
        useInstruments.getState().set({ centre: placeOf(m) });
        return;
      }
      if (view && !tool) {
        // Close up, a drag moves the frame under the room.
        const by = [((m.clientX - x0) / size.width) * wide, ((m.clientY - y0) / size.height) * high] as const;
        if (Math.hypot(m.clientX - x0, m.clientY - y0) > 3) shape = [];
        useInstruments.getState().set({ centre: [start[0] - by[0], start[1] - by[1]] });
        return;
      }
      const to = placeOf(m);
      if (Math.hypot(to[0] - from[0], to[1] - from[1]) < CLICK && !shape) return;
      if (loop) {
        const last = line.at(-1) ?? from;
        if (Math.hypot(to[0] - last[0], to[1] - last[1]) > GAP && line.length < 500) line = [...line, to];
        shape = line;
      } else {
        shape = rectangle(from, to);
      }
      if (tool || comparing) setDrawn(shape);
    };
    const end = () => {
      setDrawn(null);
      const set = useInstruments.getState().set;
      if (!tool) {
        if (comparing && shape && shape.length > 2) set(hand ? { area: shape } : { areaBeside: shape });
        else if (hand && !shape && loupe) useInstruments.getState().set({ centre: from });
        else if (hand && !shape) pin(from);
      } else if (tool.kind === "white" || tool.kind === "exposure") {
        if (hand) told(drop(tool, from, shape));
      } else if (tool.kind === "bump" || tool.kind === "range") {
        if (hand) told(pick(tool, from, shape));
      } else if (shape && shape.length > 2) {
        set(hand ? { area: shape, tool: null } : { areaBeside: shape, tool: null });
      }
    };
    follow(e, "area", move, end);
  };

  const outline = (corners: Corner[]) => `M${corners.map(([x, y]) => `${x} ${y}`).join("L")}Z`;
  return (
    <div ref={room} className={`flex h-full min-w-0 items-center justify-center ${className || "w-full"}`}>
      <div
        className="relative"
        style={size}
        onPointerMove={(e) => hand && point(placeOf(e))}
        onPointerLeave={() => hand && point(null)}
      >
        <canvas
          ref={canvas}
          width={960}
          height={540}
          role="img"
          aria-label={name ? `Picture of ${name}` : "No shot"}
          {...(hand ? { "data-picture": true } : { "data-beside": true })}
          className="block h-full w-full"
          style={{ imageRendering: closeup && closeup > 1 ? "pixelated" : "auto" }}
        />
        <div className={`absolute inset-0 ${tool || comparing ? "cursor-crosshair" : view ? "cursor-grab" : ""}`} data-touch={source} onPointerDown={press}>
          <svg viewBox={`${left} ${top} ${wide} ${high}`} preserveAspectRatio="none" className="h-full w-full" aria-hidden>
            {loupe && <LoupeFrame centre={centre} />}
            {[area, drawn].map(
              (corners, i) =>
                corners && (
                  <path
                    key={i}
                    d={outline(corners)}
                    fill="none"
                    stroke="var(--color-lantern)"
                    strokeDasharray={i === 1 ? "3 3" : undefined}
                    vectorEffect="non-scaling-stroke"
                    data-area={i === 0 ? source : undefined}
                  />
                ),
            )}
          </svg>
          {hand &&
            pins.map(([px, py], i) => [(px - left) / wide, (py - top) / high, i] as const).filter(([x, y]) => x >= 0 && x <= 1 && y >= 0 && y <= 1).map(([x, y, i]) => (
              <span
                key={i}
                aria-hidden
                className="pointer-events-none absolute flex h-4 w-4 -translate-x-1/2 -translate-y-1/2 items-center justify-center rounded-full border border-bright bg-pit/60 text-[10px] text-bright"
                style={{ left: `${x * 100}%`, top: `${y * 100}%` }}
              >
                {i + 1}
              </span>
            ))}
        </div>
      </div>
    </div>
  );
}

/** Where the loupe looks. */
function LoupeFrame({ centre }: { centre: Corner }) {
  const part = centre && loupePart();
  if (!part) return null;
  const [x, y, w, h] = part;
  return <rect x={x} y={y} width={w} height={h} fill="none" stroke="var(--color-lantern)" vectorEffect="non-scaling-stroke" data-loupe-frame />;
}

const MOST_PINS = 6;

/** Pins a place, or takes a pin away that is pressed again. */
function pin(at: Corner): void {
  const { pins, set } = useInstruments.getState();
  const there = pins.findIndex(([x, y]) => Math.hypot(x - at[0], y - at[1]) < 0.015);
  if (there >= 0) set({ pins: pins.filter((_, i) => i !== there) });
  else if (pins.length < MOST_PINS) set({ pins: [...pins, at] });
}
