/** What the scopes of the page have in common. */
import { useEffect, useRef } from "react";
import type { Counts } from "../data/client";
import { preview, type Frame } from "../preview/preview";
import { useInstruments } from "../session/instruments";
import { type Place, useSession } from "../session/session";

/** Whose counts are drawn: the shot's in hand, or those of the one beside it. */
export type Source = "hand" | "beside";

/** Draws each frame that has counts into a canvas. */
export function useCounts(source: Source, draw: (canvas: HTMLCanvasElement, frame: Frame) => void) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const from = source === "hand" ? preview.counted : preview.besides;
    return from.add((frame) => {
      if (!canvas.current) return;
      draw(canvas.current, frame);
      canvas.current.dataset.seq = String(frame.seq);
    });
  }, [source, draw]);
  return canvas;
}

interface PlotProps {
  /** What tests and styles call it. */
  id: string;
  source: Source;
  label: string;
  draw: (canvas: HTMLCanvasElement, frame: Frame) => void;
  className?: string;
  style?: React.CSSProperties;
}

/** The canvas of a scope, over all of the box that it stands in unless said otherwise. */
export function Plot({ id, source, label, draw, className = "inset-0 h-full", style }: PlotProps) {
  const canvas = useCounts(source, draw);
  const name = source === "hand" ? id : `${id}-beside`;
  return <canvas ref={canvas} data-scope={name} role="img" aria-label={label} className={`absolute w-full ${className}`} style={style} />;
}

/** Whether a look is compared with something: then two traces lie on each other. */
function useCompared(): boolean {
  const on = useInstruments((s) => s.against !== null);
  return useSession((s) => s.place) === "look" && on;
}

/** A trace; where the look is compared with something, in grey over that one's in amber, as readings of references are drawn. */
export function Traces(of: PlotProps) {
  const compared = useCompared() && of.source === "hand";
  return (
    <>
      {compared && <Plot {...of} source="beside" label={`${of.label} that it is compared with`} style={{ ...of.style, filter: AMBER }} />}
      <Plot {...of} style={compared ? { ...of.style, filter: "grayscale(1)", mixBlendMode: "screen" } : of.style} />
    </>
  );
}

const AMBER = "grayscale(1) sepia(1) hue-rotate(-12deg) saturate(3.4)";

/** The shots whose scopes are drawn: one, or two beside each other on the same axes. */
export const sourcesOf = (mode: Mode): Source[] => (mode === "two" ? ["hand", "beside"] : ["hand"]);

/** How much room there is: beside a look, or beside one shot or two of Balance. */
export type Mode = "narrow" | "wide" | "two";

/** A scope of the page. */
export interface Scope {
  id: string;
  /** The places that show it. */
  places: Place[];
  /** The counts that it draws, as things are set. */
  asks: (set: ReturnType<typeof useInstruments.getState>) => Partial<Counts>;
  Panel: (props: { mode: Mode }) => React.ReactNode;
}
