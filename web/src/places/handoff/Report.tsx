/** The fidelity report, drawn: numbers, where the worst colour lies, what the table's own shape says. */
import { useEffect, useRef } from "react";
import type { Comparison, Fidelity, Handoff } from "../../data/client";
import { encodingName } from "../../session/encodings";
import { useSession } from "../../session/session";
import { Button } from "../../ui/controls";

/** Differences from here on are visible side by side (common practice: about 1 is just noticeable). */
const NOTICEABLE = 1;

/** The most points on a side that are offered. */
const FINEST = 65;

export function Report({ handoff, report, onFiner }: { handoff: Handoff; report: Fidelity; onFiner: () => void }) {
  const production = useSession((s) => s.production);
  const pictures = report.comparisons.filter((c) => c.picture);
  const others = report.comparisons.filter((c) => !c.picture);
  const all = report.pictures;
  return (
    <article className="mx-auto flex max-w-[900px] flex-col gap-6" data-report>
      <header className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-[15px] text-bright">{handoff.file_name}</h2>
          <p className="pt-1 text-dim">
            Input {encodingName(production, report.from)}, output {encodingName(production, report.to)}, {report.size} points{report.shaped ? " after a 1D part" : ""}, {handoff.range} range
          </p>
          {handoff.says.map((line) => (
            <p key={line} className="pt-0.5 leading-4 text-text" data-says>
              {line}
            </p>
          ))}
          <p className="truncate pt-0.5 text-faint" title="BLAKE3 of the file">
            {handoff.checksum}
          </p>
        </div>
        <a href={`/api/handoffs/${handoff.id}/report`} download={handoff.file_name.replace(/[^.]*$/, "report.json")} className="rounded bg-shelf px-3 py-1.5 hover:bg-edge">
          Report
        </a>
        <a
          href={`/api/handoffs/${handoff.id}/table`}
          download={handoff.file_name}
          data-download
          className="rounded bg-lantern px-3 py-1.5 font-medium text-pit hover:brightness-110"
        >
          Download the table
        </a>
      </header>

      {all && (
        <section aria-label="Over all pictures" className="flex items-end gap-10 rounded bg-wall px-5 py-4">
          <Figure label="mean" value={all.mean} />
          <Figure label="99 % of pixels below" value={all.p99} />
          <Figure label={`worst, in ${all.worst_in}`} value={all.worst} />
          <p className="flex-1 pb-1 leading-4 text-faint">
            {report.measure} between the exact path and this file as read back, over {all.count.toLocaleString()} pixels
            of the production. 1 is about just noticeable.
          </p>
        </section>
      )}

      {all && all.p99 >= NOTICEABLE && report.size < FINEST && (
        <p role="note" data-steep className="flex items-center gap-3 rounded border border-ember px-4 py-2 text-text">
          <span className="flex-1">
            The look is steep for {report.size} points, most of all in {all.worst_in}. {FINEST} points come closer.
          </span>
          <Button onClick={onFiner}>Make it with {FINEST} points</Button>
        </p>
      )}

      <section aria-label="Pictures" className="grid grid-cols-3 gap-4">
        {pictures.map((c) => (
          <PictureMap key={c.name} comparison={c} />
        ))}
      </section>

      <div className="grid grid-cols-2 gap-6">
        <section aria-label="Beyond the pictures" className="flex flex-col gap-2">
          <h3 className="text-value text-bright">Beyond the pictures</h3>
          {others.map((c) => (
            <div key={c.name} className="rounded bg-wall px-3 py-2">
              <div className="flex justify-between">
                <span>{c.name}</span>
                <span className="text-dim">
                  mean {c.mean.toFixed(2)} · 99 % {c.p99.toFixed(2)} · worst {c.worst.difference.toFixed(2)}
                </span>
              </div>
              <Bar comparison={c} />
              <WorstColour comparison={c} />
            </div>
          ))}
        </section>
        <div className="flex flex-col gap-5">
          {report.judgement && <Shape judgement={report.judgement} />}
          <section aria-label="Left out">
            <h3 className="pb-1 text-value text-bright">Left out</h3>
            {report.left_out.length === 0 ? (
              <p className="text-dim">Nothing: every active step is in the table.</p>
            ) : (
              report.left_out.map((l) => (
                <p key={l.step} className="leading-4">
                  <span className="text-text">{l.step}</span> <span className="text-dim">{l.why}</span>
                </p>
              ))
            )}
          </section>
        </div>
      </div>
    </article>
  );
}

function Figure({ label, value }: { label: string; value: number }) {
  return (
    <div>
      <div className={`text-[22px] leading-7 ${value > NOTICEABLE ? "text-lantern" : "text-bright"}`}>{value.toFixed(3)}</div>
      <div className="text-dim">{label}</div>
    </div>
  );
}

function css(colour: number[]): string {
  return `rgb(${colour.map((v) => Math.round(Math.min(1, Math.max(0, v)) * 255)).join(" ")})`;
}

/** Where in the picture the differences lie: dark none, lantern noticeable, white twice that; a ring at the worst. */
function PictureMap({ comparison: c }: { comparison: Comparison }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const rows = c.map.length / c.map_width;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const image = context.createImageData(c.map_width, rows);
    c.map.forEach((d, i) => {
      const t = Math.min(1, d / NOTICEABLE);
      const over = Math.min(1, Math.max(0, d / NOTICEABLE - 1));
      const lit = [16 + 208 * t * t, 16 + 144 * t * t, 16 + 64 * t * t];
      lit.forEach((v, k) => (image.data[i * 4 + k] = v + (255 - v) * over));
      image.data[i * 4 + 3] = 255;
    });
    context.putImageData(image, 0, 0);
  }, [c, rows]);
  const [x = 0, y = 0] = c.worst.at;
  return (
    <figure className="flex flex-col gap-1.5">
      <div className="relative">
        <canvas
          ref={canvas}
          width={c.map_width}
          height={rows}
          role="img"
          aria-label={`Where differences lie in ${c.name}`}
          className="block w-full [image-rendering:pixelated]"
        />
        <span
          aria-hidden
          className="absolute h-4 w-4 -translate-x-1/2 -translate-y-1/2 rounded-full border border-bright outline outline-room"
          style={{ left: `${x * 100}%`, top: `${y * 100}%` }}
        />
      </div>
      <figcaption className="flex flex-col gap-0.5">
        <span className="text-bright">{c.name}</span>
        <span className="text-dim">
          mean {c.mean.toFixed(2)} · 99 % {c.p99.toFixed(2)} · worst {c.worst.difference.toFixed(2)}
        </span>
        <WorstColour comparison={c} />
      </figcaption>
    </figure>
  );
}

function WorstColour({ comparison: { worst } }: { comparison: Comparison }) {
  const text = (v: number[]) => v.map((x) => x.toFixed(3)).join("  ");
  return (
    <div className="flex items-center gap-2 text-faint" title={`Input ${text(worst.input)}`}>
      <span className="flex h-4 w-9 overflow-hidden rounded-sm">
        <span className="flex-1" style={{ background: css(worst.exact) }} />
        <span className="flex-1" style={{ background: css(worst.table) }} />
      </span>
      <span>worst: exact | table, from {text(worst.input)}</span>
    </div>
  );
}

/** Mean, 99th percentile and worst on one scale to 4. */
function Bar({ comparison: c }: { comparison: Comparison }) {
  const at = (v: number) => `${Math.min(1, v / 4) * 100}%`;
  return (
    <div className="relative my-1.5 h-1.5 rounded bg-shelf" aria-hidden>
      <div className="absolute h-1.5 rounded bg-faint" style={{ width: at(c.p99) }} />
      <div className="absolute h-1.5 rounded bg-text" style={{ width: at(c.mean) }} />
      <div className="absolute -top-0.5 h-2.5 w-px bg-lantern" style={{ left: at(c.worst.difference) }} />
      <div className="absolute -top-0.5 h-2.5 w-px bg-faint" style={{ left: at(NOTICEABLE) }} />
    </div>
  );
}

function Shape({ judgement }: { judgement: NonNullable<Fidelity["judgement"]> }) {
  return (
    <section aria-label="Shape of the table">
      <h3 className="pb-1 text-value text-bright">
        Shape of the table{" "}
        <span className={judgement.sound ? "text-dim" : "text-lantern"}>{judgement.sound ? "is sound" : "is steep in places"}</span>
      </h3>
      <table className="w-full">
        <thead className="text-left text-faint">
          <tr>
            <th className="font-normal">measure</th>
            <th className="text-right font-normal">measured</th>
            <th className="text-right font-normal">limit</th>
          </tr>
        </thead>
        <tbody>
          {judgement.measures.map((m) => (
            <tr key={m.id} className={m.falls_short ? (m.warning_only ? "text-dim" : "text-lantern") : ""}>
              <td className="py-px">{m.title}</td>
              <td className="text-right">{m.value.toFixed(m.limit < 0.5 ? 4 : 2)}</td>
              <td className="text-right text-faint">{m.limit}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
