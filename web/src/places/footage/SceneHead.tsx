/** A scene's head: its name, its order, and the ways that pictures come in. */
import { useSortable } from "@dnd-kit/sortable";
import { GripVertical } from "lucide-react";
import { useRef, useState } from "react";
import { api, type Scene } from "../../data/client";
import { attempt, told } from "../../session/session";
import { Button, Confirm, Menu } from "../../ui/controls";
import { counted } from "../../ui/units";
import { FolderChooser, useFolders } from "./FolderChooser";
import { deleteScene } from "./changes";
import { useIncoming } from "../../intake/incoming";
import { Name } from "./Name";
import { moveScene, SCENE } from "../../intake/order";

export function SceneHead({ scene }: { scene: Scene }) {
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const allowed = useFolders();
  const [choosing, setChoosing] = useState(false);
  const [deleting, setDeleting] = useState(false);
  const { setNodeRef, listeners, attributes, transform } = useSortable({ id: SCENE + scene.id });
  const send = (list: FileList | null) => told(useIncoming.getState().send(scene.id, [...(list ?? [])]));
  const chosen = (e: React.ChangeEvent<HTMLInputElement>) => {
    send(e.target.files);
    e.target.value = "";
  };
  return (
    <header ref={setNodeRef} className="mb-1.5 flex items-center gap-2" style={{ translate: `0 ${transform?.y ?? 0}px` }}>
      <button
        type="button"
        {...attributes}
        {...listeners}
        aria-label={`Order of scene ${scene.name}`}
        title="Drag, or Alt with arrow keys"
        onKeyDown={(e) => {
          const by = e.altKey ? { ArrowUp: -1, ArrowDown: 1 }[e.key] : undefined;
          if (by === undefined) {
            listeners?.onKeyDown?.(e);
            return;
          }
          moveScene(scene.id, by);
          e.preventDefault();
        }}
        className="flex h-6 w-6 items-center justify-center text-faint hover:text-bright"
      >
        <GripVertical size={14} />
      </button>
      <Name wide label={`Name of scene ${scene.name}`} value={scene.name} onChange={(name) => told(attempt(() => api.editScene(scene.id, { name })))} />
      <span className="text-faint">
        {counted(scene.shots.length, "shot")}
        {scene.finished && " · finished stills, no look is applied"}
      </span>
      <span className="flex-1" />
      <Button data-bring onClick={() => files.current?.click()}>
        Bring files in…
      </Button>
      <Menu
        trigger={
          <Button kind="quiet" aria-label={`More about scene ${scene.name}`}>
            ⋯
          </Button>
        }
        items={[
          { label: "Bring a folder in…", run: () => folder.current?.click() },
          { label: "Bring in from the server…", disabled: allowed.length === 0, hint: allowed.length ? "" : "no folder is allowed", run: () => setChoosing(true) },
          null,
          { label: "Move up", hint: "Alt ↑", run: () => moveScene(scene.id, -1) },
          { label: "Move down", hint: "Alt ↓", run: () => moveScene(scene.id, 1) },
          {
            label: scene.finished ? "Make it a scene of shots" : "Make it a scene of finished stills",
            run: () => told(attempt(() => api.editScene(scene.id, { finished: !scene.finished }))),
          },
          null,
          { label: "Delete scene…", run: () => setDeleting(true) },
        ]}
      />
      <input ref={files} type="file" multiple tabIndex={-1} aria-label={`Files for ${scene.name}`} className="hidden" onChange={chosen} />
      <input
        ref={folder}
        type="file"
        multiple
        tabIndex={-1}
        aria-label={`Folder for ${scene.name}`}
        className="hidden"
        // React has no property for the folder chooser of the file system entries API.
        {...{ webkitdirectory: "" }}
        onChange={chosen}
      />
      <Confirm open={deleting} title={`Delete scene “${scene.name}”?`} action="Delete scene" onClose={() => setDeleting(false)} onDone={() => told(deleteScene(scene))}>
        {scene.shots.length > 0 ? `${counted(scene.shots.length, "shot")} with their trims go with it.` : "It has no shots."} It can be put back for 30 days.
      </Confirm>
      {choosing && <FolderChooser scene={scene.id} roots={allowed} onClose={() => setChoosing(false)} />}
    </header>
  );
}
