/** Encodings as people read and choose them. */
import { useQuery } from "@tanstack/react-query";
import { api, type EncodingInfo, type Production } from "../api/client";

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
  return own ? own.body.name : id;
}

/** All that can be chosen: the production's own profiles first. */
export function encodingOptions(production: Production | null, shipped: EncodingInfo[]): { value: string; label: string }[] {
  const own = (production?.profiles ?? []).map((p) =>
    p.usual ? { value: "camera", label: `camera — ${p.body.name}` } : { value: p.encoding, label: p.body.name },
  );
  return [...own, ...shipped.map((e) => ({ value: e.id, label: e.id }))];
}
