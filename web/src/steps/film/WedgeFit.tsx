/** The curves of a stock from wedges: files of log exposure and densities. */
import { useRef, useState } from "react";
import { api, type NegativeStock, type PrintStock, type Step } from "../../data/client";
import { changeStep } from "../../document/work";
import { say, told } from "../../session/session";
import { Button, FileInput } from "../../ui/controls";

type Stock = NegativeStock | PrintStock;

export function WedgeFit({ step }: { step: Extract<Step, { kind: "negative" | "print" }> }) {
  const file = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  const stock = step.values.stock as Stock;
  const { measured } = stock;
  const fit = async (files: File[]) => {
    setBusy(true);
    try {
      const wedges = await Promise.all(files.map(async (f) => ({ name: f.name.replace(/\.[^.]*$/, ""), text: await f.text() })));
      const start = step.kind === "negative" ? { negative: step.values.stock, print: null } : { negative: null, print: step.values.stock };
      const made = await api.measureStock({ wedges, ...start });
      const fresh = made.negative ?? made.print;
      if (fresh) {
        changeStep(step.id, "Fit to a wedge", (found) => {
          (found.values as { stock: Stock }).stock = fresh;
        });
      }
    } catch (e) {
      say(e);
    }
    setBusy(false);
  };
  const all = (measured?.residuals ?? []).flat(2);
  const off = Math.sqrt(all.reduce((sum, r) => sum + r * r, 0) / Math.max(1, all.length));
  return (
    <div className="flex flex-col gap-1 pb-1.5" data-wedges={measured ? measured.wedges.length : 0}>
      <FileInput ref={file} label="Wedge file" accept=".csv,.txt" multiple onFiles={(files) => told(fit(files))} />
      <Button disabled={busy} title="CSV: log exposure, then one density or three. # push: 1 says how far a development was pushed." onClick={() => file.current?.click()}>
        {busy ? "Fitting…" : "Fit to a wedge…"}
      </Button>
      {measured && (
        <p className="leading-4 text-faint" data-off={off.toFixed(4)}>
          {measured.wedges.map((w) => w.name).join(", ")}: off by {off.toFixed(3)}, gradient {measured.mean_gradient.map((g) => g.toFixed(2)).join(" ")}.
          {measured.undetermined.length > 0 && ` From ${measured.start}, not in the data: ${measured.undetermined.join(", ")}.`}
        </p>
      )}
    </div>
  );
}
