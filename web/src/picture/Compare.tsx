/** What the look differs in from what it is compared against, step by step. */
import { useQuery } from "@tanstack/react-query";
import { api, type Difference, type Field, type Zone } from "../data/client";
import { useInstruments } from "../session/instruments";
import { useSession } from "../session/session";
import { comparedPath } from "./compared";
import { useWork } from "../document/work";
import { Dialog } from "../ui/controls";
import { show } from "../ui/units";

export function Compare({ open, onClose }: { open: boolean; onClose: () => void }) {
  const against = useInstruments((s) => s.against);
  const path = useWork((s) => s.document?.path);
  const select = useWork((s) => s.select);
  const found = useQuery({
    queryKey: ["compare", against, path],
    queryFn: () => {
      const before = comparedPath();
      return before && path ? api.compare(before, path) : Promise.resolve([]);
    },
    enabled: open,
  });
  const steps = new Map<string, Difference[]>();
  for (const d of found.data ?? []) steps.set(`${d.id} ${d.name}`, [...(steps.get(`${d.id} ${d.name}`) ?? []), d]);
  return (
    <Dialog open={open} wide title="What differs in the open look" onClose={onClose}>
      {found.isError && <p className="text-alarm">{found.error.message}</p>}
      {found.data?.length === 0 && <p className="text-dim">Nothing: both are the same.</p>}
      <ul aria-label="Differences" className="flex max-h-[60vh] flex-col gap-2 overflow-y-auto">
        {[...steps.entries()].map(([key, all]) => (
          <li key={key} className="grid grid-cols-[170px_1fr] gap-3 border-b border-shelf pb-2" data-differs={all[0]?.name}>
            <button
              type="button"
              className="truncate text-left text-value text-bright"
              onClick={() => {
                if (all[0]) select(all[0].id);
                onClose();
              }}
            >
              {all[0]?.name}
            </button>
            <ul className="flex flex-col gap-0.5">
              {all.map((d, i) => (
                <Line key={i} of={d} />
              ))}
            </ul>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}

const WHAT: Partial<Record<Difference["what"], string>> = {
  added: "is new",
  removed: "is gone",
  moved: "stands elsewhere",
};

function Line({ of: d }: { of: Difference }) {
  const field = useSession((s) => s.catalogue.find((k) => k.kind === d.kind)?.fields.find((f) => f.id === d.field));
  const said = WHAT[d.what];
  if (said) return <li className="text-dim">{said}</li>;
  return (
    <li className="grid grid-cols-[150px_1fr_1fr] gap-3">
      <span className="text-dim">{d.what === "value" ? d.title : NAMES[d.what]}</span>
      <span className="truncate text-faint">{words(d.before, d.what, field, d.zone ?? "scene")}</span>
      <span className="truncate text-text">{words(d.after, d.what, field, d.zone ?? "scene")}</span>
    </li>
  );
}

const NAMES: Partial<Record<Difference["what"], string>> = {
  name: "Name",
  on: "Switch",
  strength: "Strength",
  region: "Where it works",
  group: "Group",
};

function words(value: unknown, what: Difference["what"], field: Field | undefined, zone: Zone): string {
  if (what === "strength" && typeof value === "number") return `${(value * 100).toFixed(0)} %`;
  if (typeof value === "boolean") return value ? "on" : "off";
  if (typeof value === "number") return field ? show(field, value, zone) : String(value);
  // A stock goes by its name.
  if (typeof value === "object" && value !== null && "name" in value) return String(value.name);
  if (Array.isArray(value)) return value.length === 0 ? "none" : `${value.length} ${field?.type === "bumps" ? "bumps" : field?.type === "tables" ? "tables" : "points"}`;
  if (value === null || value === undefined) return what === "region" ? "everywhere" : "none";
  return what === "region" ? "a colour range" : typeof value === "string" ? value : "changed";
}
