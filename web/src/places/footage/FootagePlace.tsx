/** The Footage place: scenes and their shots at a glance; pictures come in, each is told how it is encoded. */
import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { rectSortingStrategy, SortableContext, sortableKeyboardCoordinates } from "@dnd-kit/sortable";
import { useEffect, useState } from "react";
import { api } from "../../api/client";
import { attempt, refreshProduction, useSession } from "../../state/session";
import { Button } from "../../ui/controls";
import { Card } from "./Card";
import { Coming } from "./Coming";
import { EncodingDialog } from "./EncodingDialog";
import { dropOn, SCENE } from "./order";
import { Profiles } from "./Profiles";
import { SceneHead, useDropped } from "./SceneHead";

/** How often the page looks for frames that a job on the server brings in. */
const LOOK_EVERY = 700;

export function FootagePlace() {
  const production = useSession((s) => s.production);
  const [selected, setSelected] = useState<ReadonlySet<string>>(new Set());
  const [encoding, setEncoding] = useState<string[] | null>(null);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const arriving = production?.scenes.some((s) => s.shots.some((x) => x.arriving !== null)) ?? false;
  useEffect(() => {
    if (!arriving) return;
    const timer = window.setInterval(() => void refreshProduction().catch(() => undefined), LOOK_EVERY);
    return () => window.clearInterval(timer);
  }, [arriving]);
  if (!production) return null;
  const pick = (id: string) =>
    setSelected((old) => {
      const next = new Set(old);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  // A selected shot speaks for all that are selected.
  const encode = (id: string) => setEncoding(selected.has(id) ? [...selected] : [id]);
  return (
    <main className="min-h-0 flex-1 overflow-y-auto px-6 py-3">
      <Profiles production={production} />
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={({ active, over }) => over && dropOn(String(active.id), String(over.id))}>
        <SortableContext items={production.scenes.map((s) => SCENE + s.id)} strategy={rectSortingStrategy}>
          <div className="mb-3 flex flex-wrap gap-3">
          {production.scenes.map((scene) => (
            <SceneBox key={scene.id} id={scene.id} name={scene.name}>
              <SceneHead scene={scene} />
              <SortableContext items={scene.shots.map((s) => s.id)} strategy={rectSortingStrategy}>
                <div className="flex flex-wrap gap-2">
                  {scene.shots.map((shot) => (
                    <Card key={shot.id} shot={shot} marked={selected.has(shot.id)} pick={pick} encode={encode} />
                  ))}
                  {scene.shots.length === 0 && (
                    <p className="py-6 text-faint">
                      No shots yet. Drop pictures, numbered sequences, clips or folders here: OpenEXR, DPX, TIFF, PNG, JPEG, and what ffmpeg reads.
                    </p>
                  )}
                </div>
              </SortableContext>
            </SceneBox>
          ))}
          </div>
        </SortableContext>
      </DndContext>
      <div className="flex gap-2">
        <Button onClick={() => void attempt(() => api.createScene(production.id, "new scene"))}>+ scene</Button>
        <Button kind="quiet" onClick={() => void attempt(() => api.createScene(production.id, "References", true))}>
          + finished stills
        </Button>
      </div>
      <Coming />
      {encoding && <EncodingDialog shots={encoding} onClose={() => setEncoding(null)} />}
    </main>
  );
}

/** A scene's place on the page, where files can be dropped. */
function SceneBox({ id, name, children }: { id: string; name: string; children: React.ReactNode }) {
  const { over, ...handlers } = useDropped(id);
  return (
    <section aria-label={`Scene ${name}`} {...handlers} className={`min-w-[440px] grow rounded border p-2.5 ${over ? "border-lantern" : "border-transparent"} bg-wall`}>
      {children}
    </section>
  );
}
