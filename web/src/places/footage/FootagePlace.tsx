/** The Footage place: scenes and their shots at a glance; pictures come in, each is told how it is encoded. */
import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { rectSortingStrategy, SortableContext, sortableKeyboardCoordinates } from "@dnd-kit/sortable";
import { memo, useEffect, useMemo, useRef, useState } from "react";
import { api, type Production, type Shot } from "../../data/client";
import { attempt, refreshProduction, shotsOf, told, useSession } from "../../session/session";
import { follow } from "../../gestures/drag";
import { Button } from "../../ui/controls";
import { Card } from "./Card";
import { Coming } from "./Coming";
import { EmptyFootage } from "./EmptyFootage";
import { filesOf } from "../../intake/files";
import { sendTo, useIncoming } from "../../intake/incoming";
import { dropOn, SCENE } from "../../intake/order";
import { Profiles } from "./Profiles";
import { Proposals } from "./Proposals";
import { SceneHead } from "./SceneHead";
import { picking, useSelection } from "./selection";
import { SelectionBar } from "./SelectionBar";

/** How often the page looks for frames that a job on the server brings in. */
const LOOK_EVERY = 700;

/** How a drag begins. They stay the same things: whatever is dragged is drawn again where they do not. */
const BY_POINTER = { activationConstraint: { distance: 6 } };
const BY_KEYS = { coordinateGetter: sortableKeyboardCoordinates };

export function FootagePlace() {
  const production = useSession((s) => s.production);
  const [over, setOver] = useState<string | null>(null);
  const ground = useRef<HTMLElement>(null);
  const sensors = useSensors(useSensor(PointerSensor, BY_POINTER), useSensor(KeyboardSensor, BY_KEYS));
  const arriving = production?.scenes.some((s) => s.shots.some((x) => x.arriving !== null)) ?? false;
  const sending = useIncoming((s) => s.list.length > 0);
  useEffect(() => {
    if (!arriving) return;
    const timer = window.setInterval(() => void refreshProduction().catch(() => undefined), LOOK_EVERY);
    return () => window.clearInterval(timer);
  }, [arriving]);
  useEffect(() => {
    useSelection.getState().keep(shotsOf(production).map((s) => s.id));
  }, [production]);
  useEffect(() => {
    const keys = (e: KeyboardEvent) => picking(e);
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, []);
  const scenes = useMemo(() => production?.scenes.map((s) => SCENE + s.id) ?? [], [production?.scenes]);
  if (!production) return null;
  const sceneAt = (e: React.DragEvent) => (e.target as Element).closest<HTMLElement>("[data-scene]")?.dataset.scene ?? null;
  const holdsFiles = (e: React.DragEvent) => e.dataTransfer.types.includes("Files");
  const empty = shotsOf(production).length === 0 && !sending;
  return (
    <main
      ref={ground}
      data-footage
      className={`relative min-h-0 min-w-0 flex-1 overflow-y-auto px-6 py-3 ${over === "" ? "outline-2 -outline-offset-2 outline-lantern" : ""}`}
      onDragOver={(e) => {
        if (!holdsFiles(e)) return;
        e.preventDefault();
        setOver(sceneAt(e) ?? "");
      }}
      onDragLeave={(e) => e.currentTarget === e.target && setOver(null)}
      onDrop={(e) => {
        if (!holdsFiles(e)) return;
        e.preventDefault();
        setOver(null);
        const scene = sceneAt(e);
        told(filesOf(e.dataTransfer).then((files) => sendTo(scene, files)));
      }}
      onPointerDown={(e) => ground.current && marquee(e, ground.current)}
    >
      <Top production={production} />
      <Proposals production={production} />
      {empty ? (
        <EmptyFootage />
      ) : (
        <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={({ active, over: on }) => on && dropOn(String(active.id), String(on.id))}>
          <SortableContext items={scenes} strategy={rectSortingStrategy}>
            <div className="mb-3 flex flex-wrap gap-3">
              {production.scenes.map((scene) => (
                <section
                  key={scene.id}
                  aria-label={`Scene ${scene.name}`}
                  data-scene={scene.id}
                  className={`min-w-[440px] grow rounded border p-2.5 ${over === scene.id ? "border-lantern" : "border-transparent"} bg-wall`}
                >
                  <SceneHead scene={scene} />
                  <Cards shots={scene.shots} />
                </section>
              ))}
            </div>
          </SortableContext>
        </DndContext>
      )}
      {!empty && (
        <div className="flex gap-2">
          <Button onClick={() => told(attempt(() => api.createScene(production.id, `Scene ${production.scenes.length + 1}`)))}>+ Scene</Button>
          <Button kind="quiet" onClick={() => told(attempt(() => api.createScene(production.id, "References", true)))}>
            + Scene of finished stills
          </Button>
        </div>
      )}
      <Coming />
    </main>
  );
}

/** What can be done to what is selected; where nothing is, to the production's cameras. */
function Top({ production }: { production: Production }) {
  const some = useSelection((s) => s.shots.length > 0);
  return some ? <SelectionBar encode={() => choose([...useSelection.getState().shots])} /> : <Profiles production={production} />;
}

/** The shots of a scene. */
const Cards = memo(function Cards({ shots }: { shots: Shot[] }) {
  // The same list as long as the order is the same: a new one would draw every card's frame anew.
  const order = shots.map((s) => s.id).join(" ");
  const ids = useMemo(() => order.split(" ").filter(Boolean), [order]);
  return (
    <SortableContext items={ids} strategy={rectSortingStrategy}>
      <div className="flex flex-wrap gap-2">
        {shots.map((shot) => (
          <Card key={shot.id} shot={shot} encode={encode} />
        ))}
        {shots.length === 0 && <p className="py-6 text-faint">No shots in this scene. Drop pictures, sequences, clips or folders here.</p>}
      </div>
    </SortableContext>
  );
});

function choose(shots: string[]): void {
  useSession.getState().set({ encode: shots });
}

/** Asks for the encoding of a shot; a selected one speaks for all that are selected. */
function encode(shot: string): void {
  const selected = useSelection.getState().shots;
  choose(selected.includes(shot) ? [...selected] : [shot]);
}

/** Dragging on the ground selects the shots that the rectangle touches. */
function marquee(e: React.PointerEvent<HTMLElement>, ground: HTMLElement): void {
  const on = e.target as Element;
  if (e.button !== 0 || on.closest("article, button, input, [role=dialog], [role=menu], aside, label")) return;
  const { before, add } = { before: useSelection.getState().shots, add: e.ctrlKey || e.metaKey || e.shiftKey };
  const frame = document.createElement("div");
  frame.className = "pointer-events-none fixed z-20 border border-lantern bg-lantern/10";
  const [x0, y0] = [e.clientX, e.clientY];
  let moved = false;
  const move = (m: PointerEvent) => {
    const box = { left: Math.min(x0, m.clientX), top: Math.min(y0, m.clientY), right: Math.max(x0, m.clientX), bottom: Math.max(y0, m.clientY) };
    if (!moved && Math.hypot(m.clientX - x0, m.clientY - y0) < 5) return;
    if (!moved) ground.append(frame);
    moved = true;
    Object.assign(frame.style, { left: `${box.left}px`, top: `${box.top}px`, width: `${box.right - box.left}px`, height: `${box.bottom - box.top}px` });
    const inside = [...ground.querySelectorAll<HTMLElement>("[data-shot-id]")].filter((card) => {
      const c = card.getBoundingClientRect();
      return c.left < box.right && c.right > box.left && c.top < box.bottom && c.bottom > box.top;
    });
    const ids = inside.map((card) => card.dataset.shotId ?? "");
    useSelection.getState().set(add ? [...new Set([...before, ...ids])] : ids);
  };
  const end = () => {
    frame.remove();
    if (!moved && !add) useSelection.getState().set([]);
  };
  follow(e, "select", move, end);
}
