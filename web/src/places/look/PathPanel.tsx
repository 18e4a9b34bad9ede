/** The path: one line of light from camera to screen, the steps as beads on it, groups in brackets. */
import { DndContext, KeyboardSensor, PointerSensor, closestCenter, useSensor, useSensors } from "@dnd-kit/core";
import { SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Fragment, memo, useEffect, useMemo, useState, type ReactNode } from "react";
import type { Fingerprint as Print, Step, StepGroup, Zone } from "../../api/client";
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
  const groups = useWork((s) => s.document?.path.groups);
  const prints = useFingerprints();
  const [lifted, setLifted] = useState<Zone | null>(null);
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
        collisionDetection={closestCenter}
        onDragStart={({ active }) => setLifted(steps.find((s) => s.id === active.id || s.group === active.id)?.zone ?? null)}
        onDragCancel={() => setLifted(null)}
        onDragEnd={({ active, over }) => {
          setLifted(null);
          if (!over) return;
          const [id, onto] = [String(active.id), String(over.id)];
          if (id === onto) return;
          // A group's head stands for its first step.
          const target = groups?.some((g) => g.id === onto) ? (steps.find((s) => s.group === onto)?.id ?? onto) : onto;
          if (groups?.some((g) => g.id === id)) commands.moveGroupTo(id, target);
          else commands.moveTo(id, target);
        }}
      >
        {(trim ? ZONES.slice(0, 1) : ZONES).map(({ zone, title, says }) => {
          const own = steps.filter((s) => s.zone === zone);
          return (
            <section
              key={zone}
              aria-label={`${title} zone`}
              data-takes={lifted === null ? undefined : lifted === zone}
              className={`pb-1 ${lifted === null ? "" : lifted === zone ? "rounded bg-room outline outline-ember" : "opacity-30"}`}
            >
              <header className="flex h-7 items-center gap-2 pr-2 pl-10 text-faint" title={says}>
                <span>{title}</span>
                <span className="h-px flex-1 bg-shelf" />
                <AddStep zone={zone} full={own.some((s) => s.kind === "plain-rendering")} />
              </header>
              <Beads steps={own} groups={groups ?? []} prints={prints} />
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

function Beads({ steps, groups, prints }: { steps: Step[]; groups: StepGroup[]; prints: Map<string, Print> }) {
  // The same list as long as the order is the same: a new one would draw every bead anew.
  const order = steps.map((s, i) => (s.group && s.group !== steps[i - 1]?.group ? `${s.group} ${s.id}` : s.id)).join(" ");
  const ids = useMemo(() => order.split(" ").filter(Boolean), [order]);
  return (
    <SortableContext items={ids} strategy={verticalListSortingStrategy}>
      {steps.map((step, i) => {
        const group = groups.find((g) => g.id === step.group);
        const last = group !== undefined && steps[i + 1]?.group !== step.group;
        return (
          <Fragment key={step.id}>
            {group && steps[i - 1]?.group !== step.group && <GroupHead group={group} />}
            <Bead step={step} print={prints.get(step.id)} inGroup={group !== undefined} quiet={group?.on === false} last={last} />
          </Fragment>
        );
      })}
    </SortableContext>
  );
}

/** The head of a group: switch, name, strength, and what it holds its steps to. */
const GroupHead = memo(function GroupHead({ group }: { group: StepGroup }) {
  const inHand = useWork((s) => s.step === group.id);
  const select = useWork((s) => s.select);
  const [renaming, setRenaming] = useState(false);
  const { setNodeRef, listeners, transform, transition, isDragging } = useSortable({ id: group.id });
  return (
    <div
      ref={setNodeRef}
      {...listeners}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-group={group.name}
      className={`relative mx-1.5 flex h-8 items-center gap-2 rounded pr-1 pl-2 ${inHand ? "bg-shelf" : ""} ${isDragging ? "z-20 bg-edge" : ""}`}
    >
      <span aria-hidden className="absolute top-1/2 bottom-0 left-[3px] w-1.5 rounded-tl border-t border-l border-faint" />
      <Switch on={group.on} name={group.name} inHand={inHand} square onClick={() => commands.toggle(group.id)} />
      <NameOrField name={group.name} id={group.id} renaming={renaming} onDone={() => setRenaming(false)}>
        <button
          type="button"
          aria-current={inHand}
          onClick={() => select(group.id)}
          onDoubleClick={() => setRenaming(true)}
          onKeyDown={(e) => {
            if (e.target !== e.currentTarget) return;
            if (e.key === "F2") setRenaming(true);
            else if (e.key === "Delete") commands.remove(group.id);
            else return;
            e.preventDefault();
          }}
          title={group.name}
          className="min-w-0 flex-1 text-left"
        >
          <Label name={group.name} on={group.on} inHand={inHand} strength={group.strength} note={group.region ? regionNote(group.region.colours.inverted) : ""} />
        </button>
      </NameOrField>
      <Menu
        trigger={
          <Button kind="quiet" aria-label={`More about ${group.name}`} className="px-0.5">
            ⋯
          </Button>
        }
        items={[
          { label: "Rename", hint: "F2", run: () => window.setTimeout(() => setRenaming(true)) },
          { label: "Ungroup", hint: "Ctrl G", run: () => commands.ungroup(group.id) },
          { label: "Copy", hint: "Ctrl C", run: () => { select(group.id); commands.copy(); } },
          { label: "Keep as favourite", run: () => { select(group.id); void commands.keepFavourite(); } },
          null,
          { label: "Delete with its steps", hint: "Del", run: () => commands.remove(group.id) },
        ]}
      />
    </div>
  );
});

const regionNote = (inverted: boolean) => (inverted ? "outside" : "range");

function Switch({ on, name, inHand, square = false, onClick }: { on: boolean; name: string; inHand: boolean; square?: boolean; onClick: () => void }) {
  return (
    <button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={`${name} on`}
      onClick={onClick}
      className={`z-10 h-[13px] w-[13px] shrink-0 border ${square ? "rounded-[3px]" : "rounded-full"} ${
        on ? (inHand ? "border-lantern bg-lantern" : "border-ember bg-ember") : "border-faint bg-wall"
      }`}
    />
  );
}

function Label({ name, on, inHand, strength, note }: { name: string; on: boolean; inHand: boolean; strength: number; note: string }) {
  return (
    <>
      <span className={`flex gap-1.5 text-value ${inHand ? "text-bright" : on ? "text-text" : "text-faint"}`}>
        <span className="truncate">{name}</span>
        {note && <span className="text-label text-faint">{note}</span>}
      </span>
      <span className="mt-0.5 block h-0.5 rounded bg-edge">
        <span className={`block h-0.5 rounded ${inHand ? "bg-lantern" : "bg-dim"}`} style={{ width: `${on ? strength * 100 : 0}%` }} />
      </span>
    </>
  );
}

function NameOrField({ name, id, renaming, onDone, children }: { name: string; id: string; renaming: boolean; onDone: () => void; children: ReactNode }) {
  if (!renaming) return children;
  return (
    <TextField
      label="Name of the step"
      autoFocus
      defaultValue={name}
      className="w-24 flex-1"
      onBlur={(e) => {
        commands.rename(id, e.target.value);
        onDone();
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") onDone();
        e.stopPropagation();
      }}
    />
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

const Bead = memo(function Bead({
  step,
  print,
  inGroup,
  quiet,
  last,
}: {
  step: Step;
  print: Print | undefined;
  inGroup: boolean;
  /** Its group is off. */
  quiet: boolean;
  last: boolean;
}) {
  const inHand = useWork((s) => s.step === step.id);
  const picked = useWork((s) => s.picked.includes(step.id));
  const pictureOnly = useSession((s) => s.catalogue.find((k) => k.kind === step.kind)?.picture_only ?? "");
  const { select, pick } = useWork.getState();
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
  const forPicked = (run: () => void) => {
    if (!picked) select(step.id);
    run();
  };

  return (
    <div
      ref={setNodeRef}
      {...listeners}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-step={step.kind}
      data-picked={picked || undefined}
      className={`group relative mx-1.5 flex h-9 items-center gap-2 rounded pr-1 pl-2 ${pictureOnly ? "ml-5" : ""} ${inHand ? "bg-shelf" : picked ? "bg-room outline outline-edge" : ""} ${isDragging ? "z-20 bg-edge" : ""}`}
    >
      {inGroup && <span aria-hidden className={`absolute top-0 left-[3px] w-1.5 border-l border-faint ${last ? "bottom-1/2 rounded-bl border-b" : "bottom-0"}`} />}
      <Switch on={step.on && !quiet} name={step.name} inHand={inHand} onClick={() => commands.toggle(step.id)} />
      <NameOrField name={step.name} id={step.id} renaming={renaming} onDone={() => setRenaming(false)}>
        <button
          type="button"
          aria-current={inHand}
          onClick={(e) => (e.ctrlKey || e.metaKey || e.shiftKey ? pick(step.id) : select(step.id))}
          onDoubleClick={() => setRenaming(true)}
          onKeyDown={keys}
          title={step.name}
          className="min-w-0 flex-1 text-left"
        >
          <Label
            name={step.name}
            on={step.on && !quiet}
            inHand={inHand}
            strength={step.strength}
            note={[pictureOnly && "picture only", step.region && regionNote(step.region.colours.inverted)].filter(Boolean).join(" · ")}
          />
        </button>
      </NameOrField>
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
          { label: "Copy", hint: "Ctrl C", run: () => forPicked(commands.copy) },
          { label: "Cut", hint: "Ctrl X", run: () => forPicked(commands.cutOut) },
          { label: "Paste after it", hint: "Ctrl V", run: () => { select(step.id); commands.paste(); } },
          { label: "Keep as favourite", run: () => forPicked(() => void commands.keepFavourite()) },
          null,
          inGroup
            ? { label: "Take out of its group", run: () => commands.leaveGroup(step.id) }
            : { label: "Group", hint: "Ctrl G", disabled: step.zone === "film", run: () => forPicked(commands.group) },
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
