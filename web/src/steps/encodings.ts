/** The encodings that a table may expect or give. */
import type { TableUse } from "../data/client";
import { useSession } from "../session/session";

type Encoding = TableUse["from"];

/** Encodings to choose from: those that ship, and the cameras of the production, whose constants go into the look. */
export function useEncodings(): { options: { value: string; label: string }[]; of: (value: string) => Encoding; name: (e: Encoding) => string; title: (e: Encoding) => string } {
  const shipped = useSession((s) => s.encodings);
  const profiles = useSession((s) => s.production?.profiles) ?? [];
  const cameras = profiles.flatMap((p) => ("gives" in p.body ? [] : [p]));
  const value = (e: Encoding) => (typeof e === "string" ? e : `camera ${e.name}`);
  return {
    options: [
      ...cameras.map((p) => ({ value: `camera ${p.body.name}`, label: p.body.name })),
      ...shipped.map((e) => ({ value: e.id, label: e.name })),
    ],
    of: (v) => {
      const camera = cameras.find((p) => `camera ${p.body.name}` === v);
      return (camera ? camera.body : v) as Encoding;
    },
    name: value,
    title: (e) => (typeof e === "string" ? (shipped.find((x) => x.id === e)?.name ?? e) : e.name),
  };
}
