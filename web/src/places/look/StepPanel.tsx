/** The step or group in hand, with room to work. */
import { useState } from "react";
import type { Field, KindInfo, Step, StepGroup } from "../../data/client";
import { groupInHand, stepInHand, useWork } from "../../document/work";
import { useSession } from "../../session/session";
import { Button } from "../../ui/controls";
import { NumberField } from "../../ui/NumberField";
import { balanceStep } from "../../picture/tools";
import { setStrength, reset, ungroup } from "../../commands/commands";
import { StepBody } from "../../steps/registry";
import { RegionPanel } from "./RegionPanel";
import { useCurves } from "../../steps/reading";

const STRENGTH = {
  id: "strength",
  title: "Strength",
  help: "Share of the effect",
  unit: "percent",
  type: "number",
  min: 0,
  max: 1,
  default: 1,
  nudge: 0.01,
} as const satisfies Field;

const FRAME = "@container flex h-[238px] min-w-0 shrink-0 flex-col rounded bg-wall px-3.5 pt-2.5 pb-2";

export function StepPanel() {
  const step = useWork(stepInHand);
  const group = useWork(groupInHand);
  const trim = useWork((s) => s.kind === "trim");
  const info = useSession((s) => s.catalogue.find((k) => k.kind === step?.kind));
  if (group) return <GroupPanel key={group.id} group={group} />;
  if (!step || !info) {
    return (
      <section aria-label="Selected step" className="flex h-[238px] shrink-0 items-center justify-center rounded bg-wall text-faint">
        {trim ? (
          <Button kind="main" onClick={() => balanceStep()}>
            Begin with Balance
          </Button>
        ) : (
          "Select a step on the path, or add one with + step."
        )}
      </section>
    );
  }
  return <OneStep key={step.id} step={step} info={info} trim={trim} />;
}

function OneStep({ step, info, trim }: { step: Step; info: KindInfo; trim: boolean }) {
  const [where, setWhere] = useState(false);
  const zones = { scene: "ACEScct", film: "scene to display", screen: "2.4 power, P3" };
  const domain = { linear: "linear light", encoded: zones[step.zone], exposure: "film exposure", density: "film density", rendering: zones.film }[info.domain];
  const goes = trim ? "of this shot alone" : info.picture_only ? `picture only: ${info.picture_only}` : "in the table";
  return (
    <section aria-label="Selected step" className={FRAME}>
      <header className="flex h-8 items-start gap-3">
        <h2 className="max-w-40 shrink-0 truncate text-[14px] font-medium text-bright">{step.name}</h2>
        <span className="truncate pt-0.5 text-faint" title={info.purpose}>
          {step.zone} · {domain} · {goes}
        </span>
        {!trim && <Steep />}
        <span className="flex-1" />
        {step.zone !== "film" && <WhereButton open={where} region={!!step.region} onClick={() => setWhere(!where)} />}
        <Without what="step" />
        <Strength of={step} zone={step.zone} />
        <Button kind="quiet" title="Reset to neutral: all values to what changes nothing" onClick={() => reset(step.id)}>
          reset
        </Button>
      </header>
      <div className="flex min-h-0 flex-1 gap-5 pt-1">
        {where ? <RegionPanel of={step} zone={step.zone} /> : <StepBody step={step} info={info} />}
      </div>
    </section>
  );
}


/** Says, while values make it so, that a table of 33 points will not hold the step in hand. */
function Steep() {
  const steep = useCurves()?.steep;
  if (!steep) return null;
  return (
    <span role="status" className="shrink-0 pt-0.5 text-lantern" title="These values bend colours faster than 33 points follow. Softer edges or smaller moves make the table closer.">
      {steep.points ? `This look needs a ${steep.points}-point table` : "A 65-point table will not hold this look"}
    </span>
  );
}

function GroupPanel({ group }: { group: StepGroup }) {
  const zone = useWork((s) => s.document?.path.steps.find((x) => x.group === group.id)?.zone ?? "scene");
  const count = useWork((s) => s.document?.path.steps.filter((x) => x.group === group.id).length ?? 0);
  return (
    <section aria-label="Selected group" className={FRAME}>
      <header className="flex h-8 items-start gap-3">
        <h2 className="max-w-52 truncate text-[14px] font-medium text-bright">{group.name}</h2>
        <span className="pt-0.5 text-faint">
          {zone} · {count} steps share switch, strength and region
        </span>
        <span className="flex-1" />
        <Without what="group" />
        <Strength of={group} zone={zone} />
        <Button kind="quiet" onClick={() => ungroup(group.id)}>
          ungroup
        </Button>
      </header>
      <div className="flex min-h-0 flex-1 gap-5 pt-1">
        <RegionPanel of={group} zone={zone} />
      </div>
    </section>
  );
}

/** Before and after of the step or group alone: what is shown while it is held, by pointer or key. */
function Without({ what }: { what: "step" | "group" }) {
  const held = useSession((s) => s.held === what);
  const set = useSession((s) => s.set);
  const hold = (on: boolean) => set({ held: on ? what : null });
  return (
    <Button
      kind="quiet"
      aria-pressed={held}
      title={`Hold to bypass this ${what} (${what === "step" ? "S" : "D"})`}
      onPointerDown={() => hold(true)}
      onPointerUp={() => hold(false)}
      onPointerLeave={() => held && hold(false)}
      onKeyDown={(e) => e.key === " " && hold(true)}
      onKeyUp={(e) => e.key === " " && hold(false)}
    >
      bypass
    </Button>
  );
}

function WhereButton({ open, region, onClick }: { open: boolean; region: boolean; onClick: () => void }) {
  return (
    <Button kind="quiet" aria-pressed={open} className={region ? "text-lantern" : ""} title="The colours that it works on" onClick={onClick}>
      {region ? "Where: colour range" : "Where: everywhere"}
    </Button>
  );
}

function Strength({ of, zone }: { of: Step | StepGroup; zone: Step["zone"] }) {
  const endGesture = useWork((s) => s.endGesture);
  return (
    <div className="-mt-1 w-28 shrink-0">
      <NumberField
        key={of.id}
        field={STRENGTH}
        value={of.strength}
        zone={zone}
        onChange={(v, gesture) => setStrength(of.id, v, gesture)}
        onEnd={endGesture}
      />
    </div>
  );
}
