/** Encodings as people read and choose them. */
import { useQuery } from "@tanstack/react-query";
import { api, type EncodingInfo, type Production } from "../data/client";
import { useSession } from "./session";

const NONE: EncodingInfo[] = [];

/** The HDR displays that ship. */
export function useHdrDisplays(): EncodingInfo[] {
  const shipped = useQuery({ queryKey: ["encodings"], queryFn: api.encodings, staleTime: Infinity });
  return (shipped.data ?? NONE).filter((e) => e.peak);
}

/** What an encoding's id is called in a production. */
export function encodingName(production: Production | null, id: string): string {
  const profiles = production?.profiles ?? [];
  const own = id === "camera" ? profiles.find((p) => p.usual) : profiles.find((p) => p.encoding === id);
  if (own) return own.body.name;
  const shipped = useSession.getState().encodings.find((e) => e.id === id);
  return shipped?.name ?? (id === "camera" ? "Camera" : id);
}

/** What is said where nobody knows an encoding. */
export const UNKNOWN = "Encoding unknown";

export interface EncodingOption {
  value: string;
  label: string;
  /** A line on what it is. */
  title: string;
  kind: "camera" | "log" | "linear" | "display";
}

/** All that can be chosen: the production's own profiles first, the usual one before the others. */
export function encodingOptions(production: Production | null, shipped: EncodingInfo[]): EncodingOption[] {
  const profiles = [...(production?.profiles ?? [])].sort((a, b) => Number(b.usual) - Number(a.usual));
  const own = profiles.map((p) => ({
    value: p.usual ? "camera" : p.encoding,
    label: p.body.name,
    title: p.usual ? "The production's default camera" : "A camera of the production",
    kind: "camera" as const,
  }));
  const kind = (e: EncodingInfo) => (e.display ? "display" : e.linear ? "linear" : "log");
  return [...own, ...shipped.map((e) => ({ value: e.id, label: e.name, title: e.title, kind: kind(e) }) as const)];
}

/**
 * The encoding that a table most likely begins from: that of most shots that are graded. Linear ones need a table that few
 * programs read; such footage is handed on in ACEScct.
 */
export function usualInput(production: Production | null, shipped: EncodingInfo[]): string {
  const shots = (production?.scenes ?? []).filter((s) => !s.finished).flatMap((s) => s.shots);
  const usual = production?.profiles.find((p) => p.usual);
  const counts = new Map<string, number>();
  for (const { encoding } of shots) if (encoding) counts.set(encoding, (counts.get(encoding) ?? 0) + 1);
  const [most] = [...counts].sort((a, b) => b[1] - a[1])[0] ?? [usual ? "camera" : "acescct"];
  const known = most === "camera" || shipped.some((e) => e.id === most && !e.narrow);
  return known ? most : usual ? "camera" : "acescct";
}
