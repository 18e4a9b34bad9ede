/** The path: one line of light from camera to screen, the steps as beads on it, groups in brackets. */
import { DndContext, KeyboardSensor, PointerSensor, closestCenter, useSensor, useSensors } from "@dnd-kit/core";
import { memo, useState } from "react";
import type { Zone } from "../../data/client";
import { useWork } from "../../document/work";
import { encodingName, UNKNOWN, useHdrDisplays } from "../../session/encodings";
import { useInstruments } from "../../session/instruments";
import { shotsOf, useSession } from "../../session/session";
import { Button, Menu } from "../../ui/controls";
import { Beads, useFaces } from "./Beads";
import { MatchDialog } from "./MatchDialog";
import * as commands from "../../commands/commands";

const ZONES: { zone: Zone; title: string; says: string }[] = [
  { zone: "scene", title: "Scene", says: "light before any rendering" },
  { zone: "film", title: "Film", says: "scene light to display light" },
  { zone: "screen", title: "Screen", says: "light of the display" },
];

/** How a drag begins. It stays the same thing: every bead is drawn again where it does not. */
const BY_POINTER = { activationConstraint: { distance: 5 } };

/** The path of the document in hand; `trim` shows the Scene zone alone, which is all that a trim has. */
export function PathPanel({ trim = false }: { trim?: boolean }) {
  const steps = useFaces();
  const shot = useSession((s) => shotsOf(s.production).find((x) => x.id === s.shot));
  const camera = useSession((s) => (shot?.encoding ? encodingName(s.production, shot.encoding) : shot ? UNKNOWN : ""));
  const groups = useWork((s) => s.document?.path.groups);
  const [lifted, setLifted] = useState<Zone | null>(null);
  const [matching, setMatching] = useState(false);
  const sensors = useSensors(useSensor(PointerSensor, BY_POINTER), useSensor(KeyboardSensor));
  if (!steps) return <nav aria-label="Path" className="w-[240px] shrink-0 bg-wall max-[1150px]:w-[208px] max-[900px]:w-full" />;
  return (
    <nav aria-label="Path" className="relative flex w-[240px] shrink-0 flex-col max-[1150px]:w-[208px] max-[900px]:w-full overflow-y-auto bg-wall py-3">
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
                <AddStep zone={zone} kinds={own.map((s) => s.kind).join(" ")} />
              </header>
              <Beads steps={own} groups={groups ?? []} />
              {own.length === 0 && (
                <p className="pl-10 text-faint">{zone === "film" ? "plain rendering stands in" : "no steps"}</p>
              )}
            </section>
          );
        })}
      </DndContext>
      <div className="flex-1" />
      {!trim && (
        <div className="px-3 pb-2">
          <Button className="w-full" onClick={() => setMatching(true)}>
            Match to references…
          </Button>
          <MatchDialog open={matching} onClose={() => setMatching(false)} />
        </div>
      )}
      {trim ? <End title="Looks" says="are applied over this trim" /> : <Delivery />}
    </nav>
  );
}

/** Where the path ends: the display that the picture is made for. */
function Delivery() {
  const display = useInstruments((s) => s.display);
  const hdr = useHdrDisplays().find((e) => e.id === display);
  return <End title="Screen" says={hdr ? hdr.name : "sRGB"} />;
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

const AddStep = memo(function AddStep({ zone, kinds: own }: { zone: Zone; kinds: string }) {
  const kinds = useSession((s) => s.catalogue).filter((k) => k.zones.includes(zone));
  const there = own.split(" ");
  return (
    <Menu
      trigger={
        <Button kind="quiet" aria-label={`Add a step to the ${zone} zone`} className="px-1">
          + step
        </Button>
      }
      items={kinds.map((info) => ({
        label: info.title,
        hint: info.picture_only ? "picture only" : undefined,
        disabled: zone === "film" && there.includes(info.kind),
        run: () => commands.add(info, zone),
      }))}
    />
  );
});
