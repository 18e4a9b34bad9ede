/** A film from what it gives: patches of a chart on a print, or a print table. Negative and print are fitted together. */
import { useEffect, useRef, useState } from "react";
import { api, type FilmFit as Fit, type NegativeStock, type PrintStock, type Step, type TableLine } from "../../data/client";
import { TABLE_ENDINGS } from "../../data/constants";
import { useWork } from "../../document/work";
import { say, told, useSession } from "../../session/session";
import { Button, Choice, FileInput } from "../../ui/controls";

type Film = Extract<Step, { kind: "negative" | "print" }>;

/** Where a film's two steps stand in the path. */
function useFilm() {
  const steps = useWork((s) => s.document?.path.steps);
  const negative = steps?.find((s) => s.kind === "negative" && s.on);
  const print = steps?.find((s) => s.kind === "print" && s.on);
  return { negative: negative?.kind === "negative" ? negative : null, print: print?.kind === "print" ? print : null };
}

export function FilmFit({ step }: { step: Film }) {
  const file = useRef<HTMLInputElement>(null);
  const tableFile = useRef<HTMLInputElement>(null);
  const stop = useRef<AbortController | null>(null);
  const [busy, setBusy] = useState(false);
  const [known, setKnown] = useState(false);
  const [table, setTable] = useState<(TableLine & { log: string; display: string }) | null>(null);
  const encodings = useSession((s) => s.encodings);
  const stocks = useSession((s) => s.stocks);
  const { negative, print } = useFilm();
  useEffect(() => () => stop.current?.abort(), []);
  const other = step.kind === "negative" ? "print" : "negative";
  // What is missing in the path: a negative alone is printed on the neutral print, which is known then.
  const neutral = stocks?.prints[0];
  const there = step.kind === "negative" ? print : negative;
  const reversal = negative?.values.stock.kind === "reversal";
  const held = known || (step.kind === "negative" && !there && !reversal);
  const fit = async (data: { patches?: { name: string; text: string }; table?: { table: string; name: string; from: string; to: string } }) => {
    const own = negative?.values.stock;
    if (!own) return;
    setBusy(true);
    stop.current = new AbortController();
    try {
      const made = await api.fitFilm(
        {
          negative: own,
          print: reversal ? null : (print?.values.stock ?? neutral ?? null),
          negative_known: held && step.kind === "print",
          print_known: held && step.kind === "negative" && !reversal,
          patches: data.patches ?? null,
          table: data.table ?? null,
        },
        stop.current.signal,
      );
      useWork.getState().edit(data.table ? "Fit to a print table" : "Fit to patches", (draft) => {
        for (const s of draft.path.steps) {
          if (s.id === negative?.id && s.kind === "negative") s.values.stock = made.negative;
          if (s.id === print?.id && s.kind === "print") {
            if (made.print) s.values.stock = made.print;
            [s.values.red, s.values.green, s.values.blue] = made.points as [number, number, number];
            if (data.table) s.values.black = made.black;
          }
        }
      });
      setTable(null);
    } catch (e) {
      if (!stop.current.signal.aborted) say(e);
    }
    setBusy(false);
  };
  const measured = (step.values.stock as NegativeStock | PrintStock).measured?.film;
  if (!negative) return <p className="text-faint">A film is fitted whole: add a Negative first.</p>;
  if (negative.values.stock.kind === "black-and-white") return <p className="text-faint">Patches and print tables have colours: a black-and-white stock takes a wedge, under curves.</p>;
  const option = (e: (typeof encodings)[number]) => ({ value: e.id, label: e.name });
  return (
    <div className="flex min-h-0 flex-col gap-1.5 overflow-y-auto pr-1" data-film-fit={measured ? measured.patches?.length ?? 0 : "none"}>
      <FileInput ref={file} label="Patches file" accept=".csv,.txt" onFile={(f) => told(f.text().then((text) => fit({ patches: { name: f.name, text } })))} />
      <FileInput
        ref={tableFile}
        label="Print table file"
        accept={[...TABLE_ENDINGS, ".png"].join(",")}
        onFile={(f) =>
          told(
            api.bringTable(f).then((line) => {
              const is = (id: string, display: boolean) => encodings.some((e) => e.id === id && e.display === display);
              setTable({ ...line, log: is(line.from, false) ? line.from : "acescct", display: is(line.to, true) ? line.to : "rec709" });
            }).catch(say),
          )
        }
      />
      {busy ? (
        <div className="flex items-center gap-2" role="status">
          <span className="flex-1 text-dim">Fitting negative and print…</span>
          <Button onClick={() => stop.current?.abort()}>Stop</Button>
        </div>
      ) : table ? (
        <>
          <span className="truncate text-bright">{table.name}</span>
          <div className="grid grid-cols-[1fr_12px_1fr] items-center gap-1">
            <Choice name="What the table takes" value={table.log} options={encodings.filter((e) => !e.display).map(option)} onChange={(log) => setTable({ ...table, log })} />
            <span aria-hidden className="text-faint">→</span>
            <Choice name="What the table gives" value={table.display} options={encodings.filter((e) => e.display).map(option)} onChange={(display) => setTable({ ...table, display })} />
          </div>
          <div className="flex gap-2">
            <Button className="flex-1" onClick={() => setTable(null)}>Cancel</Button>
            <Button kind="main" className="flex-1" onClick={() => told(fit({ table: { table: table.table, name: table.name, from: table.log, to: table.display } }))}>
              Fit
            </Button>
          </div>
        </>
      ) : (
        <div className="grid grid-cols-2 gap-2">
          <Button title="CSV with a heading: name and stops (if any), R, G, B of the light, then X, Y, Z or L, a, b of the print. # light: an encoding; # white: D50." onClick={() => file.current?.click()}>
            Patches…
          </Button>
          <Button title="A table that holds a negative and a print together, from a log encoding to a display" onClick={() => tableFile.current?.click()}>
            Print table…
          </Button>
        </div>
      )}
      {there && !reversal && !busy && (
        <label className="flex items-center gap-2 text-dim">
          <input type="checkbox" checked={known} onChange={(e) => setKnown(e.target.checked)} className="accent-(--color-lantern)" />
          the {other} “{there.values.stock.name}” is known
        </label>
      )}
      {measured ? <Report fit={measured} /> : <p className="text-faint">Patches: a chart that film and camera saw under the same light, at one exposure or several. Both stocks are fitted from those in hand, and say what the data do not.</p>}
    </div>
  );
}

/** How a film meets what was measured: each patch on the plane of Lab, and what is known of its parameters. */
function Report({ fit }: { fit: Fit }) {
  const patches = fit.patches ?? [];
  const off = fit.off ?? [];
  const far = off.map((o) => Math.hypot(...o));
  const mean = (of: number[]) => of.reduce((sum, v) => sum + v, 0) / Math.max(1, of.length);
  const says = (what: string) => fit.parameters.filter((p) => p.says === what && !p.at_bound);
  const bound = fit.parameters.filter((p) => p.at_bound);
  return (
    <div className="flex flex-col gap-1 text-faint" data-mean={mean(far).toFixed(2)}>
      {patches.length > 0 && (
        <div className="grid grid-cols-2 gap-2">
          <svg viewBox="-1 -1 2 2" className="h-[100px] w-full rounded bg-pit" role="img" aria-label="Patches and what is left of them, on the plane of a* and b*">
            <path d="M-1 0H1M0 -1V1" stroke="var(--color-shelf)" strokeWidth={0.012} />
            {patches.map((p, i) => {
              const [, a = 0, b = 0] = p.lab;
              const [, da = 0, db = 0] = off[i] ?? [];
              // What is left is drawn four times as long, or nothing would be seen of it.
              return <path key={i} d={`M${a / 80} ${-b / 80}l${(-4 * da) / 80} ${(4 * db) / 80}`} stroke="var(--color-lantern)" strokeWidth={0.02} strokeLinecap="round" />;
            })}
            {patches.map((p, i) => <circle key={`dot ${i}`} cx={(p.lab[1] ?? 0) / 80} cy={-(p.lab[2] ?? 0) / 80} r={0.016} fill="var(--color-dim)" />)}
          </svg>
          <svg viewBox="0 0 100 100" className="h-[100px] w-full rounded bg-pit" role="img" aria-label="How far each patch is off, over its lightness">
            {[1, 2, 3, 4].map((v) => <path key={v} d={`M0 ${100 - v * 20}H100`} stroke="var(--color-shelf)" />)}
            {patches.map((p, i) => <circle key={i} cx={p.lab[0]} cy={100 - Math.min(100, (far[i] ?? 0) * 20)} r={1.6} fill="var(--color-lantern)" />)}
          </svg>
        </div>
      )}
      {patches.length > 0 && (
        <p className="leading-4">
          {patches.length} patches: {mean(far).toFixed(2)} off in Lab, {Math.max(...far).toFixed(1)} at most; said by the others alone {mean(fit.left_out ?? []).toFixed(2)}.
        </p>
      )}
      {fit.table && (
        <p className="leading-4">
          {fit.table.name}: natural colours {fit.table.natural.toFixed(2)}, {fit.table.worst.toFixed(1)} at most; greys {fit.table.neutrals.toFixed(2)} (CIEDE2000).
        </p>
      )}
      {fit.tied && <p className="leading-4 text-dim">Valid as a pair with “{fit.with}”: nothing here tells negative from print. A wedge of one, or a print that is known, would.</p>}
      <p className="leading-4">
        Of {fit.parameters.length} values {says("measured").length} are measured, {says("partly").length} partly.
        {says("start").length > 0 && ` From the start: ${says("start").map((p) => p.name).join(", ")}.`}
        {bound.length > 0 && ` At an end of its range: ${bound.map((p) => p.name).join(", ")}.`}
      </p>
    </div>
  );
}
