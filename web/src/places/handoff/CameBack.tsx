/** "Is this our table?": a file that came back, held against every handoff of the production. */
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type GreyPlace, type Identified as Told } from "../../data/client";
import { TABLE_ENDINGS } from "../../data/constants";
import { useSession } from "../../session/session";
import { Button, FileInput } from "../../ui/controls";

/** Where such a file is dropped or chosen. */
export function CameBack({ onFile }: { onFile: (file: File) => void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  return (
    <section
      aria-label="Is this our table?"
      className={`mt-auto flex flex-col gap-2 rounded border border-dashed p-3 ${over ? "border-lantern" : "border-edge"}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const file = e.dataTransfer.files[0];
        if (file) onFile(file);
      }}
    >
      <h3 className="text-value text-bright">Is this our table?</h3>
      <p className="leading-4 text-dim">Drop a table that came back: which handoff it is, or what became of it.</p>
      <Button className="self-start" onClick={() => chooser.current?.click()}>
        Choose a file…
      </Button>
      <FileInput ref={chooser} label="Table that came back" accept={[...TABLE_ENDINGS, ".png"].join(",")} onFile={onFile} />
    </section>
  );
}

/** What the file is. */
export function Identified({ file, onClose }: { file: File; onClose: () => void }) {
  const production = useSession((s) => s.production?.id);
  const found = useQuery({
    queryKey: ["identified", production, file.name, file.size, file.lastModified],
    queryFn: () => api.identify(production ?? "", file),
    enabled: production !== undefined,
    retry: false,
    staleTime: 0,
    gcTime: 0,
  });
  return (
    <article className="mx-auto flex max-w-[640px] flex-col gap-4 pt-6" data-identified={found.data?.kinship ?? ""}>
      <header className="flex items-start gap-3">
        <h2 className="min-w-0 flex-1 truncate text-[15px] text-bright">{file.name}</h2>
        <Button onClick={onClose}>Close</Button>
      </header>
      {found.isPending && <p className="text-dim">Comparing with what was handed off…</p>}
      {found.isError && (
        <p role="alert" className="leading-5 text-alarm">
          {found.error.message}
        </p>
      )}
      {found.data && <Found found={found.data} />}
    </article>
  );
}

const three = (v: number[]) => v.map((x) => x.toFixed(3)).join("  ");

function Found({ found }: { found: Told }) {
  const same = found.kinship === "same-file" || found.kinship === "same-table";
  return (
    <>
      <p className="text-value leading-5 text-bright">{found.says.charAt(0).toUpperCase() + found.says.slice(1)}.</p>
      {found.name && !same && (
        <p className="leading-5 text-dim">
          {found.measure} from what was handed off: mean {found.mean.toFixed(2)}, 99 % of colours below {found.p99.toFixed(2)}.
        </p>
      )}
      {found.worst && !same && (
        <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 tabular-nums">
          <dt className="text-dim">Most at code values</dt>
          <dd>{three(found.worst.input)}</dd>
          <dt className="text-dim">handed off</dt>
          <dd>{three(found.worst.known)}</dd>
          <dt className="text-dim">this file</dt>
          <dd>{three(found.worst.found)}</dd>
        </dl>
      )}
      {found.greys.length > 1 && <Greys greys={found.greys} />}
    </>
  );
}

const COLOURS = ["var(--color-red)", "var(--color-green)", "var(--color-blue)"];

/** Greys of both: solid what the file gives, dashed what was handed off. */
function Greys({ greys }: { greys: GreyPlace[] }) {
  const all = greys.flatMap((g) => [...g.known, ...g.found]);
  const [low, high] = [Math.min(0, ...all), Math.max(1, ...all)];
  const y = (v: number) => 1 - (v - low) / (high - low);
  const line = (c: number, of: "known" | "found") => greys.map((g, i) => `${i / (greys.length - 1)},${y(g[of][c] ?? 0)}`).join(" ");
  return (
    <figure className="flex flex-col gap-1">
      <svg viewBox="-0.01 -0.02 1.02 1.04" preserveAspectRatio="none" className="h-56 w-full rounded bg-pit" role="img" aria-label="Greys of both tables">
        {[0, 1, 2].map((c) => (
          <g key={c} fill="none" stroke={COLOURS[c]} strokeWidth={1.4}>
            <polyline points={line(c, "known")} stroke="var(--color-faint)" strokeDasharray="4 3" vectorEffect="non-scaling-stroke" />
            <polyline points={line(c, "found")} vectorEffect="non-scaling-stroke" />
          </g>
        ))}
      </svg>
      <figcaption className="text-faint">What becomes of greys: solid this file, dashed what was handed off.</figcaption>
    </figure>
  );
}
