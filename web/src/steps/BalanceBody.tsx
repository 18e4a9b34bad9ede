/** Balance: exposure and white, and the two droppers. */
import { useState } from "react";
import type { KindInfo, Step } from "../data/client";
import { useInstruments } from "../session/instruments";
import { Button, TextField } from "../ui/controls";
import { Numbers } from "./values";

const PATCHES = [
  { title: "grey card", stops: 0 },
  { title: "white, 90 %", stops: 2.32 },
  { title: "light skin", stops: 1 },
];

export function BalanceBody({ step, info }: { step: Step; info: KindInfo }) {
  const tool = useInstruments((s) => s.tool);
  const set = useInstruments((s) => s.set);
  const [stops, setStops] = useState(0);
  const waits = (kind: string) => tool?.kind === kind && "step" in tool && tool.step === step.id;
  return (
    <div className="flex w-full flex-col gap-4">
      <div className="grid grid-cols-3 gap-6">
        <Numbers step={step} fields={info.fields} />
      </div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <Button
          aria-pressed={waits("white")}
          kind={waits("white") ? "main" : "plain"}
          onClick={() => set({ tool: waits("white") ? null : { kind: "white", step: step.id } })}
        >
          White dropper
        </Button>
        <span className="text-faint">temperature and tint from something neutral</span>
      </div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <Button
          aria-pressed={waits("exposure")}
          kind={waits("exposure") ? "main" : "plain"}
          onClick={() => set({ tool: waits("exposure") ? null : { kind: "exposure", step: step.id, stops } })}
        >
          Exposure dropper
        </Button>
        <span className="text-faint">Place patch at</span>
        <TextField
          label="Stops from grey of the patch"
          className="w-16 text-right"
          key={stops}
          defaultValue={stops.toFixed(2)}
          onBlur={(e) => {
            const typed = Number(e.target.value.replace("−", "-").replace(",", "."));
            if (Number.isFinite(typed)) setStops(Math.min(8, Math.max(-8, typed)));
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
        <span className="text-faint">stops:</span>
        {PATCHES.map((p) => (
          <Button key={p.title} kind="quiet" aria-pressed={stops === p.stops} className={stops === p.stops ? "text-bright" : ""} onClick={() => setStops(p.stops)}>
            {p.title}
          </Button>
        ))}
      </div>
    </div>
  );
}
