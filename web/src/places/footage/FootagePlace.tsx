/** The Footage place: scenes and their shots at a glance, pictures brought in, each told how it is encoded. */
import { useRef, useState } from "react";
import { api, type Production } from "../../api/client";
import { Thumb } from "../../picture/Thumb";
import { attempt, rowOf, useSession } from "../../state/session";
import { Button, Choice, Dialog, Menu, TextField } from "../../ui/controls";
import { useIncoming } from "./incoming";

type Scene = Production["scenes"][number];
type Shot = Scene["shots"][number];

export function FootagePlace() {
  const production = useSession((s) => s.production);
  const [selected, setSelected] = useState<ReadonlySet<string>>(new Set());
  const pick = (id: string) =>
    setSelected((old) => {
      const next = new Set(old);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  if (!production) return null;
  return (
    <main className="min-h-0 flex-1 overflow-y-auto px-6 py-4">
      {production.scenes.map((scene) => (
        <SceneRow key={scene.id} scene={scene} scenes={production.scenes} selected={selected} pick={pick} />
      ))}
      <Button onClick={() => void attempt(() => api.createScene(production.id, "new scene"))}>+ scene</Button>
      <Coming />
    </main>
  );
}

interface RowProps {
  scene: Scene;
  scenes: Scene[];
  selected: ReadonlySet<string>;
  pick: (id: string) => void;
}

function SceneRow({ scene, scenes, selected, pick }: RowProps) {
  const chooser = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const send = (files: FileList | null) => void useIncoming.getState().send(scene.id, [...(files ?? [])]);
  return (
    <section
      aria-label={`Scene ${scene.name}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        send(e.dataTransfer.files);
      }}
      className={`mb-4 rounded border p-3 ${over ? "border-lantern" : "border-transparent"} bg-wall`}
    >
      <header className="mb-2 flex items-center gap-3">
        <Name wide label={`Name of scene ${scene.name}`} value={scene.name} onChange={(name) => void attempt(() => api.renameScene(scene.id, name))} />
        <span className="text-faint">{scene.shots.length === 1 ? "1 shot" : `${scene.shots.length} shots`}</span>
        <span className="flex-1" />
        <Button onClick={() => chooser.current?.click()}>Bring pictures in</Button>
        <input
          ref={chooser}
          type="file"
          multiple
          tabIndex={-1}
          aria-label={`Picture files for ${scene.name}`}
          accept=".exr,.dpx,.tif,.tiff,.png,.jpg,.jpeg"
          className="hidden"
          onChange={(e) => {
            send(e.target.files);
            e.target.value = "";
          }}
        />
        <Button kind="quiet" disabled={scene.shots.length > 0} onClick={() => void attempt(() => api.deleteScene(scene.id))}>
          delete
        </Button>
      </header>
      <div className="flex flex-wrap gap-3">
        {scene.shots.map((shot) => (
          <Card key={shot.id} shot={shot} scene={scene} scenes={scenes} selected={selected} pick={pick} />
        ))}
        {scene.shots.length === 0 && (
          <p className="py-6 text-faint">No shots yet. Drop pictures here: OpenEXR, DPX, TIFF, PNG or JPEG.</p>
        )}
      </div>
    </section>
  );
}

function Card({ shot, scene, scenes, selected, pick }: RowProps & { shot: Shot }) {
  const encodings = useSession((s) => s.encodings);
  const production = useSession((s) => s.production);
  const [deleting, setDeleting] = useState(false);
  const index = rowOf(production).findIndex((s) => s.id === shot.id);
  const marked = selected.has(shot.id);
  const camera = production?.camera ? [{ value: "camera", label: `camera — ${production.camera.name}` }] : [];
  const unknown = shot.encoding === "" ? [{ value: "unknown", label: "not known yet" }] : [];
  const options = [...unknown, ...camera, ...encodings.map((e) => ({ value: e.id, label: e.id }))];
  // A selected shot speaks for all that are selected.
  const encode = (encoding: string) =>
    attempt(async () => {
      for (const id of marked ? selected : [shot.id]) await api.editShot(id, { encoding });
    });
  return (
    <article aria-label={shot.name} data-shot={shot.name} className={`w-[222px] rounded border p-2 ${marked ? "border-lantern" : "border-shelf"} bg-room`}>
      <button
        type="button"
        aria-label={`Look at ${shot.name}`}
        className="block"
        disabled={index < 0}
        onClick={() => useSession.getState().set({ shot: shot.id, place: "look" })}
      >
        {index < 0 ? (
          <span className="flex h-[115px] w-[204px] items-center justify-center bg-pit text-faint">how is it encoded?</span>
        ) : (
          <Thumb index={index} className="h-[115px] w-[204px]" />
        )}
      </button>
      <div className="mt-1.5 flex items-center gap-1">
        <input type="checkbox" aria-label={`Select ${shot.name}`} checked={marked} onChange={() => pick(shot.id)} className="m-0 h-3 w-3 accent-lantern" />
        <Name label={`Name of ${shot.name}`} value={shot.name} onChange={(name) => void attempt(() => api.editShot(shot.id, { name }))} />
        <Menu
          trigger={
            <Button kind="quiet" aria-label={`More about ${shot.name}`} className="px-0.5">
              ⋯
            </Button>
          }
          items={[
            ...scenes
              .filter((s) => s.id !== scene.id)
              .map((s) => ({ label: `Move to ${s.name}`, run: () => void attempt(() => api.editShot(shot.id, { scene: s.id })) })),
            null,
            { label: "Delete…", run: () => setDeleting(true) },
          ]}
        />
      </div>
      <div className="mt-1 grid">
        <Choice name={`Encoding of ${shot.name}`} value={shot.encoding || "unknown"} options={options} onChange={(v) => void encode(v)} />
      </div>
      <p className={`mt-1 line-clamp-2 h-8 leading-4 ${shot.encoding ? "text-faint" : "text-lantern"}`} title={shot.encoding_reason}>
        {shot.encoding_reason}
      </p>
      <p className="text-faint">
        {shot.width} × {shot.height}
      </p>
      <Dialog open={deleting} title={`Delete ${shot.name}?`} onClose={() => setDeleting(false)}>
        <p className="mb-3 text-dim">It leaves this production. Its file stays in the media folder.</p>
        <Button kind="main" onClick={() => void attempt(() => api.deleteShot(shot.id))}>
          Delete
        </Button>
      </Dialog>
    </article>
  );
}

/** A name that is changed in place. */
function Name({ label, value, wide, onChange }: { label: string; value: string; wide?: boolean; onChange: (name: string) => void }) {
  return (
    <TextField
      key={value}
      label={label}
      defaultValue={value}
      onBlur={(e) => {
        const name = e.target.value.trim();
        if (name && name !== value) onChange(name);
        else e.target.value = value;
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          e.currentTarget.value = value;
          e.currentTarget.blur();
        }
      }}
      title={value}
      className={`border-transparent bg-transparent px-0.5 hover:border-edge focus:bg-pit ${wide ? "w-56" : "min-w-0 flex-1 text-label"}`}
    />
  );
}

/** What is on its way in, and what was refused. */
function Coming() {
  const list = useIncoming((s) => s.list);
  const dismiss = useIncoming((s) => s.dismiss);
  if (list.length === 0) return null;
  return (
    <aside aria-label="Coming in" className="fixed right-6 bottom-6 z-20 w-96 rounded border border-edge bg-shelf p-3 shadow-xl">
      {list.slice(0, 8).map((u) => (
        <div key={u.id} className="flex items-center gap-3 py-1" data-incoming={u.failure ? "refused" : "sending"}>
          <span className={`min-w-0 flex-1 ${u.failure ? "text-alarm" : "truncate"}`}>{u.failure || u.name}</span>
          {!u.failure && <progress aria-label={`Progress of ${u.name}`} value={u.sent} className="h-1 w-24 accent-lantern" />}
          <Button kind="quiet" onClick={() => (u.failure ? dismiss(u.id) : u.stop())}>
            {u.failure ? "dismiss" : "stop"}
          </Button>
        </div>
      ))}
      {list.length > 8 && <p className="text-faint">and {list.length - 8} more</p>}
    </aside>
  );
}
