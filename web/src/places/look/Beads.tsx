/** The beads on the line of light: steps, and groups of them in brackets. */
import { SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Image as ImageIcon } from "lucide-react";
import { Fragment, memo, useMemo, useState, type ReactNode } from "react";
import type { Step, StepGroup } from "../../data/client";
import { told, useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { Button, Menu, TextField } from "../../ui/controls";
import * as commands from "../../commands/commands";
import { commandOf, keysOf } from "../../commands/keymap";
import { Fingerprint } from "./Fingerprint";

/** What a bead shows of its step: not its values, so that a drag draws no bead anew. */
export interface Face extends Pick<Step, "id" | "zone" | "kind" | "name" | "on" | "strength" | "group"> {
  region: "" | "outside" | "range";
}

function faceOf({ id, zone, kind, name, on, strength, group, region }: Step): Face {
  return { id, zone, kind, name, on, strength, group, region: region ? regionNote(region.colours.inverted) : "" };
}

function same(a: Face, b: Face): boolean {
  return (Object.keys(a) as (keyof Face)[]).every((k) => a[k] === b[k]);
}

/** The faces of the path in hand: the same list as long as none changes. */
export function useFaces(): Face[] | null {
  const [select] = useState(() => {
    let kept: Face[] = [];
    return (steps: Step[] | undefined) => {
      if (!steps) return null;
      const next = steps.map((step, i) => {
        const [face, before] = [faceOf(step), kept[i]];
        return before && same(before, face) ? before : face;
      });
      if (next.length !== kept.length || next.some((face, i) => face !== kept[i])) kept = next;
      return kept;
    };
  });
  return useWork((s) => select(s.document?.path.steps));
}

export function Beads({ steps, groups }: { steps: Face[]; groups: StepGroup[] }) {
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
            <Bead step={step} inGroup={group !== undefined} quiet={group?.on === false} last={last} />
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
            const id = commandOf(e);
            if (id === "rename") setRenaming(true);
            else if (id === "remove") commands.remove(group.id);
            else return;
            e.preventDefault();
          }}
          title={group.name}
          className="h-8 min-w-0 flex-1 text-left"
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
          { label: "Rename", hint: keysOf("rename"), run: () => window.setTimeout(() => setRenaming(true)) },
          { label: "Ungroup", hint: keysOf("group"), run: () => commands.ungroup(group.id) },
          { label: "Copy", hint: keysOf("copy"), run: () => { select(group.id); commands.copy(); } },
          { label: "Add to favourites", run: () => { select(group.id); told(commands.keepFavourite()); } },
          null,
          { label: "Delete with its steps", hint: keysOf("remove"), run: () => commands.remove(group.id) },
        ]}
      />
    </div>
  );
});

const regionNote = (inverted: boolean) => (inverted ? ("outside" as const) : ("range" as const));

function Switch({ on, name, inHand, square = false, onClick }: { on: boolean; name: string; inHand: boolean; square?: boolean; onClick: () => void }) {
  return (
    <button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={`${name} on`}
      onClick={onClick}
      className="z-10 -mx-[5.5px] flex h-6 w-6 shrink-0 items-center justify-center"
    >
      <span
        className={`block h-[13px] w-[13px] border ${square ? "rounded-[3px]" : "rounded-full"} ${
          on ? (inHand ? "border-lantern bg-lantern" : "border-ember bg-ember") : "border-faint bg-wall"
        }`}
      />
    </button>
  );
}

function Label({ name, on, inHand, strength, note, only }: { name: string; on: boolean; inHand: boolean; strength: number; note: string; only?: string }) {
  return (
    <>
      <span className={`flex gap-1.5 text-value ${inHand ? "text-bright" : on ? "text-text" : "text-faint"}`}>
        <span className="truncate">{name}</span>
        {only && (
          <span className="shrink-0 self-center text-faint" role="img" aria-label="picture only" title={`Picture only, not in the table: ${only}`} data-picture-only>
            <ImageIcon size={12} />
          </span>
        )}
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

const Bead = memo(function Bead({
  step,
  inGroup,
  quiet,
  last,
}: {
  step: Face;
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
    const id = commandOf(e);
    if (id === "rename") setRenaming(true);
    else if (id === "remove") commands.remove(step.id);
    else if (id === "duplicate") commands.duplicate(step.id);
    else if (id === "moveUp") commands.move(step.id, -1);
    else if (id === "moveDown") commands.move(step.id, 1);
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
          className="h-8 min-w-0 flex-1 text-left"
        >
          <Label
            name={step.name}
            on={step.on && !quiet}
            inHand={inHand}
            strength={step.strength}
            note={step.region}
            only={pictureOnly}
          />
        </button>
      </NameOrField>
      <Fingerprint step={step.id} />
      <Menu
        trigger={
          <Button kind="quiet" aria-label={`More about ${step.name}`} className="px-0.5">
            ⋯
          </Button>
        }
        items={[
          { label: "Rename", hint: keysOf("rename"), run: () => window.setTimeout(() => setRenaming(true)) },
          { label: "Duplicate", hint: keysOf("duplicate"), disabled: step.zone === "film", run: () => commands.duplicate(step.id) },
          { label: "Copy", hint: keysOf("copy"), run: () => forPicked(commands.copy) },
          { label: "Cut", hint: keysOf("cut"), run: () => forPicked(commands.cutOut) },
          { label: "Paste after it", hint: keysOf("paste"), run: () => { select(step.id); commands.paste(); } },
          { label: "Add to favourites", run: () => forPicked(() => told(commands.keepFavourite())) },
          null,
          inGroup
            ? { label: "Take out of its group", run: () => commands.leaveGroup(step.id) }
            : { label: "Group", hint: keysOf("group"), disabled: step.zone === "film", run: () => forPicked(commands.group) },
          { label: "Move up", hint: keysOf("moveUp"), run: () => commands.move(step.id, -1) },
          { label: "Move down", hint: keysOf("moveDown"), run: () => commands.move(step.id, 1) },
          { label: "Reset", run: () => commands.reset(step.id) },
          null,
          { label: "Delete", hint: keysOf("remove"), run: () => commands.remove(step.id) },
        ]}
      />
    </div>
  );
});
