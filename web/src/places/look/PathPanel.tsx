/** The path: one line of light from camera to screen, the steps as beads on it. */
import { DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { memo, useEffect, useMemo, useState } from "react";
import type { Fingerprint as Print, Step, Zone } from "../../api/client";
import { preview } from "../../api/preview";
import { useWork } from "../../state/work";
import { encodingName } from "../../state/encodings";
import { shotsOf, useSession } from "../../state/session";
import { Button, Menu, TextField } from "../../ui/controls";
import * as commands from "./commands";
import { Fingerprint } from "./Fingerprint";

const ZONES: { zone: Zone; title: string; says: string }[] = [
  { zone: "scene", title: "Scene", says: "light before any rendering" },
  { zone: "film", title: "Film", says: "scene light to display light" },
  { zone: "screen", title: "Screen", says: "light of the display" },
];

/** The path of the document in hand; `trim` shows the Scene zone alone, which is all that a trim has. */
export function PathPanel({ trim = false }: { trim?: boolean }) {
  const steps = useWork((s) => s.document?.path.steps);
  const shot = useSession((s) => shotsOf(s.production).find((x) => x.id === s.shot));
  const camera = useSession((s) => encodingName(s.production, shot?.encoding ?? ""));
  const prints = useFingerprints();
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor),
  );
  if (!steps) return <nav aria-label="Path" className="w-[240px] bg-wall" />;
  return (
    <nav aria-label="Path" className="relative flex w-[240px] shrink-0 flex-col overflow-y-auto bg-wall py-3">
      <div className="absolute top-6 bottom-6 left-[19px] w-px bg-ember" aria-hidden />
      <End title="Camera" says={camera} />
      <DndContext
        sensors={sensors}
        onDragEnd={({ active, over }) => over && commands.moveTo(String(active.id), String(over.id))}
      >
        {(trim ? ZONES.slice(0, 1) : ZONES).map(({ zone, title, says }) => {
          const own = steps.filter((s) => s.zone === zone);
          return (
            <section key={zone} aria-label={`${title} zone`} className="pb-1">
              <header className="flex h-7 items-center gap-2 pr-2 pl-10 text-faint" title={says}>
                <span>{title}</span>
                <span className="h-px flex-1 bg-shelf" />
                <AddStep zone={zone} full={own.some((s) => s.kind === "plain-rendering")} />
              </header>
              <Beads steps={own} prints={prints} />
              {own.length === 0 && (
                <p className="pl-10 text-faint">{zone === "film" ? "plain rendering stands in" : "no steps"}</p>
              )}
            </section>
          );
        })}
      </DndContext>
      <div className="flex-1" />
      {trim ? <End title="Looks" says="lie over this trim" /> : <End title="Screen" says="sRGB" />}
    </nav>
  );
}

function useFingerprints(): Map<string, Print> {
  const [prints, setPrints] = useState(new Map<string, Print>());
  useEffect(
    () =>
      preview.readings.add((r) =>
        setPrints((old) => {
          // A fingerprint that is as it was stays the same object, and its bead is not drawn again.
          const keep = (p: Print) => {
            const before = old.get(p.step);
            return before && JSON.stringify(before) === JSON.stringify(p) ? before : p;
          };
          return new Map(r.fingerprints.map((p) => [p.step, keep(p)]));
        }),
      ),
    [],
  );
  return prints;
}

function End({ title, says }: { title: string; says: string }) {
  return (
    <div className="flex h-7 shrink-0 items-center gap-3 pl-[14px]">
      <span className="z-10 h-[11px] w-[11px] rounded-full border border-lantern bg-wall" />
      <span className="text-value text-bright">{title}</span>
      <span className="truncate text-faint">{says}</span>
    </div>
  );
}

function Beads({ steps, prints }: { steps: Step[]; prints: Map<string, Print> }) {
  // The same list as long as the order is the same: a new one would draw every bead anew.
  const order = steps.map((s) => s.id).join(" ");
  const ids = useMemo(() => order.split(" ").filter(Boolean), [order]);
  return (
    <SortableContext items={ids} strategy={verticalListSortingStrategy}>
      {steps.map((step) => (
        <Bead key={step.id} step={step} print={prints.get(step.id)} />
      ))}
    </SortableContext>
  );
}

const AddStep = memo(function AddStep({ zone, full }: { zone: Zone; full: boolean }) {
  const kinds = useSession((s) => s.catalogue).filter((k) => k.zones.includes(zone));
  return (
    <Menu
      trigger={
        <Button kind="quiet" aria-label={`Add a step to the ${zone} zone`} className="px-1">
          + step
        </Button>
      }
      items={kinds.map((info) => ({
        label: info.title,
        disabled: full && info.kind === "plain-rendering",
        run: () => commands.add(info, zone),
      }))}
    />
  );
});

const Bead = memo(function Bead({ step, print }: { step: Step; print: Print | undefined }) {
  const inHand = useWork((s) => s.step === step.id);
  const select = useWork((s) => s.select);
  const [renaming, setRenaming] = useState(false);
  const { setNodeRef, listeners, transform, transition, isDragging } = useSortable({ id: step.id });

  const keys = (e: React.KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    if (e.key === "F2") setRenaming(true);
    else if (e.key === "Delete") commands.remove(step.id);
    else if (e.key === "d" && (e.ctrlKey || e.metaKey)) commands.duplicate(step.id);
    else if (e.altKey && e.key === "ArrowUp") commands.move(step.id, -1);
    else if (e.altKey && e.key === "ArrowDown") commands.move(step.id, 1);
    else return;
    e.preventDefault();
  };

  return (
    <div
      ref={setNodeRef}
      {...listeners}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-step={step.kind}
      className={`group relative mx-1.5 flex h-9 items-center gap-2 rounded pr-1 pl-2 ${inHand ? "bg-shelf" : ""} ${isDragging ? "z-20 bg-edge" : ""}`}
    >
      <button
        type="button"
        role="switch"
        aria-checked={step.on}
        aria-label={`${step.name} on`}
        onClick={() => commands.toggle(step.id)}
        className={`z-10 h-[13px] w-[13px] shrink-0 rounded-full border ${
          step.on ? (inHand ? "border-lantern bg-lantern" : "border-ember bg-ember") : "border-faint bg-wall"
        }`}
      />
      {renaming ? (
        <TextField
          label="Name of the step"
          autoFocus
          defaultValue={step.name}
          className="w-24 flex-1"
          onBlur={(e) => {
            commands.rename(step.id, e.target.value);
            setRenaming(false);
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") setRenaming(false);
            e.stopPropagation();
          }}
        />
      ) : (
        <button
          type="button"
          aria-current={inHand}
          onClick={() => select(step.id)}
          onDoubleClick={() => setRenaming(true)}
          onKeyDown={keys}
          title={step.name}
          className="min-w-0 flex-1 text-left"
        >
          <span className={`block truncate text-value ${inHand ? "text-bright" : step.on ? "text-text" : "text-faint"}`}>
            {step.name}
          </span>
          <span className="mt-0.5 block h-0.5 rounded bg-edge">
            <span
              className={`block h-0.5 rounded ${inHand ? "bg-lantern" : "bg-dim"}`}
              style={{ width: `${step.on ? step.strength * 100 : 0}%` }}
            />
          </span>
        </button>
      )}
      <Fingerprint print={print} />
      <Menu
        trigger={
          <Button kind="quiet" aria-label={`More about ${step.name}`} className="px-0.5">
            ⋯
          </Button>
        }
        items={[
          { label: "Rename", hint: "F2", run: () => window.setTimeout(() => setRenaming(true)) },
          { label: "Duplicate", hint: "Ctrl D", disabled: step.kind === "plain-rendering", run: () => commands.duplicate(step.id) },
          { label: "Move up", hint: "Alt ↑", run: () => commands.move(step.id, -1) },
          { label: "Move down", hint: "Alt ↓", run: () => commands.move(step.id, 1) },
          { label: "Reset", run: () => commands.reset(step.id) },
          null,
          { label: "Delete", hint: "Del", run: () => commands.remove(step.id) },
        ]}
      />
    </div>
  );
});
