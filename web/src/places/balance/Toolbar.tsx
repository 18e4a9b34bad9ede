/** What can be done with the shot in hand: areas, false colour, a second shot, matching, copying, playing. */
import { Lasso, SquareDashed, X } from "lucide-react";
import { useEffect, useState } from "react";
import { api } from "../../data/client";
import { useInstruments, type Show } from "../../session/instruments";
import { rowOf, say, shotsOf, told, useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { balanceStep } from "../../picture/tools";
import { Button, Choice, Menu } from "../../ui/controls";
import { freshStep } from "../../commands/commands";
import { CopyTrim } from "./CopyTrim";

const SHOWS: { value: Show; label: string }[] = [
  { value: "picture", label: "picture" },
  { value: "stops", label: "false colour" },
  { value: "marks", label: "clipping" },
];

export function Toolbar() {
  const [copying, setCopying] = useState(false);
  return (
    <div role="toolbar" aria-label="Balance tools" className="flex flex-wrap items-center gap-x-1.5 gap-y-1">
      <Areas />
      <Shown />
      <Second />
      <span className="flex-1" />
      <Button onClick={() => setCopying(true)}>Copy trim…</Button>
      <CopyTrim key={String(copying)} open={copying} onClose={() => setCopying(false)} />
    </div>
  );
}

function Areas() {
  const tool = useInstruments((s) => s.tool);
  const drawn = useInstruments((s) => s.area !== null || s.areaBeside !== null);
  const set = useInstruments((s) => s.set);
  const pick = (kind: "rectangle" | "loop") => set({ tool: tool?.kind === kind ? null : { kind } });
  return (
    <div role="group" aria-label="Area of the scopes" className="flex items-center gap-1">
      <span className="text-faint">Area</span>
      <Button aria-label="Rectangle" title="Scopes of a rectangle" aria-pressed={tool?.kind === "rectangle"} kind={tool?.kind === "rectangle" ? "main" : "plain"} onClick={() => pick("rectangle")}>
        <SquareDashed size={14} />
      </Button>
      <Button aria-label="Freehand" title="Scopes of what is drawn around" aria-pressed={tool?.kind === "loop"} kind={tool?.kind === "loop" ? "main" : "plain"} onClick={() => pick("loop")}>
        <Lasso size={14} />
      </Button>
      <Button aria-label="Whole frame" title="Scopes of the whole frame again" kind="quiet" disabled={!drawn} onClick={() => set({ area: null, areaBeside: null })}>
        <X size={14} />
      </Button>
    </div>
  );
}

function Shown() {
  const show = useInstruments((s) => s.show);
  const set = useInstruments((s) => s.set);
  // Elsewhere the picture is the picture.
  useEffect(() => () => set({ show: "picture", tool: null }), [set]);
  return (
    <div role="radiogroup" aria-label="View" className="flex rounded bg-shelf">
      {SHOWS.map((s) => (
        <button
          key={s.value}
          type="button"
          role="radio"
          aria-checked={show === s.value}
          onClick={() => set({ show: s.value })}
          className={`h-6 rounded px-2 ${show === s.value ? "bg-edge text-bright" : "text-dim hover:text-bright"}`}
        >
          {s.label}
        </button>
      ))}
    </div>
  );
}

/** The shot beside, and bringing the one in hand to it. */
function Second() {
  const production = useSession((s) => s.production);
  const shot = useSession((s) => s.shot);
  const beside = useInstruments((s) => s.beside);
  const set = useInstruments((s) => s.set);
  const others = rowOf(production).filter((s) => s.id !== shot);
  const options = [{ value: "none", label: "No second shot" }, ...others.map((s) => ({ value: s.id, label: s.name }))];
  const there = others.some((s) => s.id === beside?.shot);
  useEffect(() => {
    if (beside && !there) set({ beside: null, areaBeside: null });
  }, [beside, there, set]);
  return (
    <div role="group" aria-label="Second shot" className="flex min-w-0 items-center gap-1">
      <Choice
        name="Shot beside"
        value={beside && there ? beside.shot : "none"}
        options={options}
        onChange={(id) => set({ beside: id === "none" ? null : { shot: id, as: beside?.as ?? "side" }, areaBeside: null })}
      />
      {beside && (
        <>
          {(["side", "wipe"] as const).map((as) => (
            <Button key={as} aria-pressed={beside.as === as} kind="quiet" className={beside.as === as ? "text-bright" : ""} onClick={() => set({ beside: { ...beside, as } })}>
              {as === "side" ? "side by side" : "wipe"}
            </Button>
          ))}
          <Menu
            trigger={<Button>Match to it ▾</Button>}
            items={[
              { label: "Exposure and white", hint: "Balance", run: () => told(bring(beside.shot, false) )},
              { label: "Exposure, white, contrast, saturation", hint: "Balance, Tone, Saturation", run: () => told(bring(beside.shot, true) )},
            ]}
          />
        </>
      )}
    </div>
  );
}

/** The names of the steps that a match keeps contrast and saturation in. */
const CONTRAST = "Matched contrast";
const SATURATION = "Matched saturation";

/** Brings the shot in hand to another, from the drawn areas or the whole frames, as values that can be changed. */
async function bring(to: string, whole: boolean): Promise<void> {
  const { shot, frame, production, catalogue } = useSession.getState();
  const { area, areaBeside } = useInstruments.getState();
  const step = balanceStep();
  const path = useWork.getState().document?.path;
  if (!shot || !step || !path) return;
  const held = (corners: [number, number][] | null) => corners && { corners };
  try {
    const found = await api.match({
      shot: { shot, frame, area: held(area), trim: path },
      step,
      to: { shot: to, frame: null, area: held(areaBeside), trim: null },
      whole,
    });
    const name = shotsOf(production).find((s) => s.id === to)?.name ?? "the other shot";
    useWork.getState().edit(`Match to ${name}`, (draft) => {
      const balance = draft.path.steps.find((s) => s.id === step);
      if (balance?.kind === "balance") {
        balance.values.exposure = Math.round(found.exposure * 100) / 100;
        balance.values.temperature = Math.round(found.temperature);
        balance.values.tint = Math.round(found.tint * 10) / 10;
      }
      if (!whole) return;
      for (const [kind, name] of [["tone", CONTRAST], ["saturation", SATURATION]] as const) {
        const info = catalogue.find((k) => k.kind === kind);
        const there = draft.path.steps.find((s) => s.kind === kind && s.name === name);
        const own = there ?? (info && { ...freshStep(info, "scene"), name });
        if (own?.kind === "tone") own.values.contrast = Math.round(found.contrast * 100) / 100;
        if (own?.kind === "saturation") own.values.amount = Math.round(found.saturation * 100) / 100;
        if (own && !there) draft.path.steps.push(own);
      }
    });
    say(`Matched to ${name}: exposure ${found.exposure.toFixed(2)}, ${found.temperature.toFixed(0)} K, tint ${found.tint.toFixed(1)}${whole ? `, contrast ${found.contrast.toFixed(2)}, saturation ${found.saturation.toFixed(2)}` : ""}`);
  } catch (e) {
    say(e);
  }
}
