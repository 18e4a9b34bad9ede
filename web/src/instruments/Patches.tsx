/** Two areas as patches: one of the picture in hand, one of the reference that it is compared with. */
import { useQuery } from "@tanstack/react-query";
import { api, type PatchPair } from "../data/client";
import { useWork } from "../document/work";
import { useInstruments } from "../session/instruments";
import { useSession } from "../session/session";

export function Patches() {
  const against = useInstruments((s) => s.against);
  const as = useInstruments((s) => s.againstAs);
  const area = useInstruments((s) => s.area);
  const other = useInstruments((s) => s.areaBeside);
  const shot = useSession((s) => s.shot);
  const frame = useSession((s) => s.frame);
  const path = useWork((s) => (s.kind === "look" ? s.document?.path : undefined));
  const dragging = useWork((s) => s.dragging);
  const reference = against?.kind === "reference" ? against.shot : null;
  const both = reference !== null && area !== null && other !== null && shot !== null;
  const found = useQuery({
    queryKey: ["patches", shot, frame, path, reference, area, other],
    queryFn: () => api.comparePatches({ shot: shot ?? "", frame, path: path ?? { steps: [] }, reference: reference ?? "", area: { corners: area ?? [] }, reference_area: { corners: other ?? [] } }),
    enabled: both && !dragging,
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  if (reference === null || as !== "side") return null;
  if (!both) return <p className="shrink-0 text-faint">{area || other ? "Draw an area on the other picture too: both are compared as patches." : "Drag over an area on each picture to compare them as patches."}</p>;
  if (found.isError) return <p className="shrink-0 text-alarm">{found.error.message}</p>;
  if (!found.data) return <p className="shrink-0 text-faint">Comparing…</p>;
  const { shot: own, reference: its, difference, stops } = found.data;
  return (
    <section aria-label="Patches" className="shrink-0" data-difference={difference.toFixed(2)}>
      <div className="grid grid-cols-[auto_1fr_1fr_1fr] gap-x-3 tabular-nums">
        <span className="text-faint">L* a* b*</span>
        {Lab(own, "text-text")}
        <span className="text-faint">reference</span>
        {Lab(its, "text-dim")}
      </div>
      <p className="text-bright">
        {difference.toFixed(1)} apart (CIEDE2000); the reference is {Math.abs(stops).toFixed(2)} stops {stops < 0 ? "darker" : "brighter"}.
      </p>
    </section>
  );
}

const Lab = (of: PatchPair["shot"], tone: string) => of.lab.map((v, i) => <span key={i} className={`text-right ${tone}`}>{v.toFixed(1)}</span>);
