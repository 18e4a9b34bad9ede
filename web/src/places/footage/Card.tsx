/** A shot at a glance: its picture, what it is called, how it is encoded, how long it is, what is wrong with it. */
import { useSortable } from "@dnd-kit/sortable";
import { GripVertical, TriangleAlert } from "lucide-react";
import { memo, useState } from "react";
import { api, type Shot } from "../../data/client";
import { Thumb } from "../../picture/Thumb";
import { encodingName, UNKNOWN } from "../../session/encodings";
import { attempt, isInterpreted, placeOf, told, useSession } from "../../session/session";
import { Button, Confirm, Menu } from "../../ui/controls";
import { apart, deleteShots } from "./changes";
import { Name } from "./Name";
import { moveShot, nudgeShot } from "../../intake/order";
import { flip, upTo, useMarked } from "./selection";

/** How long a shot is, for people. */
function length(shot: Shot): string {
  if (shot.frames === 1) return "still";
  const count = shot.out_frame - shot.in_frame + 1;
  return `${count} frames · ${(count / shot.rate).toFixed(1)} s`;
}

/** What can be done to a shot. */
function actions(shot: Shot, look: (place: "balance" | "look") => void, ask: () => void) {
  const scenes = useSession.getState().production?.scenes ?? [];
  const others = scenes.filter((s) => s.shots.every((x) => x.id !== shot.id));
  return [
    { label: "Open in Balance", disabled: shot.frames === 0, run: () => look("balance") },
    { label: "Open in Look", disabled: shot.frames === 0, run: () => look("look") },
    null,
    ...others.map((s) => ({ label: `Move to ${s.name}`, run: () => moveShot(shot.id, s.id) })),
    null,
    ...(shot.frames > 1 && shot.arriving === null ? [{ label: "Take apart into stills", run: () => told(apart(shot)) }] : []),
    ...(shot.arriving !== null ? [{ label: "Stop bringing in", run: () => told(attempt(() => api.stopIntake(shot.id))) }] : []),
    { label: "Delete…", run: ask },
  ];
}

interface Props {
  shot: Shot;
  encode: (id: string) => void;
}

/** Its frame is drawn again whenever shots come or move, what is in it when its own shot changes: there may be hundreds. */
export const Card = memo(function Card({ shot, encode }: Props) {
  const { setNodeRef, listeners, attributes, transform, transition, isDragging } = useSortable({ id: shot.id });
  const marked = useMarked(shot.id);
  return (
    <article
      ref={setNodeRef}
      aria-label={shot.name}
      data-shot={shot.name}
      data-shot-id={shot.id}
      onClickCapture={(e) => {
        if (!e.ctrlKey && !e.metaKey && !e.shiftKey) return;
        if (e.shiftKey) upTo(shot.id);
        else flip(shot.id);
        e.preventDefault();
        e.stopPropagation();
      }}
      style={{ translate: `${transform?.x ?? 0}px ${transform?.y ?? 0}px`, transition }}
      className={`w-[208px] rounded border p-1.5 ${marked ? "border-lantern" : "border-shelf"} ${isDragging ? "z-10 bg-edge" : "bg-room"}`}
    >
      <Inside shot={shot} encode={encode} listeners={listeners} attributes={attributes} />
    </article>
  );
});

type Handle = Pick<ReturnType<typeof useSortable>, "listeners" | "attributes">;

const Inside = memo(function Inside({ shot, encode, listeners, attributes }: Props & Handle) {
  const [deleting, setDeleting] = useState(false);
  const index = useSession((s) => placeOf(s.production, shot.id));
  const called = useSession((s) => (shot.encoding ? encodingName(s.production, shot.encoding) : UNKNOWN));
  // An unknown encoding is said on the picture and on the button already.
  const warnings = shot.warnings.filter((w) => !w.startsWith(UNKNOWN) || shot.frames === 0);
  const look = (place: "balance" | "look") => {
    useSession.getState().show(shot.id);
    useSession.getState().set({ place });
  };
  const keys = (e: React.KeyboardEvent<HTMLButtonElement>) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (e.altKey && by) {
      nudgeShot(shot.id, by[0] ?? 0, by[1] ?? 0);
      e.preventDefault();
    } else {
      listeners?.onKeyDown?.(e);
    }
  };
  return (
    <>
      <div className="relative">
        <button type="button" aria-label={`Balance ${shot.name}`} className="block" disabled={index < 0} onClick={() => look("balance")}>
          {index < 0 ? <span className="block h-[109px] w-[194px] bg-pit" /> : <Thumb index={index} className="h-[109px] w-[194px] object-contain" />}
        </button>
        {index < 0 && <span className="pointer-events-none absolute inset-0 flex items-center justify-center text-dim">no frame yet</span>}
        {index >= 0 && !isInterpreted(shot) && (
          <span className="pointer-events-none absolute top-1 left-1 rounded bg-pit/80 px-1 text-bright" data-raw>
            encoding not set
          </span>
        )}
        <span className="pointer-events-none absolute right-1 bottom-1 rounded bg-pit/80 px-1 text-text" data-length={shot.frames}>
          {length(shot)}
        </span>
        {shot.trim_steps > 0 && <span className="pointer-events-none absolute bottom-1 left-1 rounded bg-pit/80 px-1 text-lantern">trimmed</span>}
        <button
          type="button"
          {...attributes}
          {...listeners}
          onKeyDown={keys}
          aria-label={`Order of ${shot.name}`}
          title="Drag, or Alt with arrow keys"
          className="absolute top-1 right-1 flex h-6 w-6 items-center justify-center rounded bg-pit/60 text-text hover:text-bright"
        >
          <GripVertical size={13} />
        </button>
      </div>
      <div className="mt-1.5 flex items-center gap-0.5">
        <Mark shot={shot} />
        <Name label={`Name of ${shot.name}`} value={shot.name} onChange={(name) => told(attempt(() => api.editShot(shot.id, { name })))} />
        <Menu
          trigger={
            <Button kind="quiet" aria-label={`More about ${shot.name}`} className="px-0.5">
              ⋯
            </Button>
          }
          items={() => actions(shot, look, () => setDeleting(true))}
        />
      </div>
      <div className="mt-1 flex h-6 items-center gap-2">
        <button
          type="button"
          aria-label={`Encoding of ${shot.name}: ${called}`}
          onClick={() => encode(shot.id)}
          title="Set encoding…"
          data-encoding-button
          className="h-6 min-w-0 flex-1 rounded bg-shelf px-2 text-left text-value hover:bg-edge"
        >
          <span className={`block truncate ${shot.encoding ? "" : "text-lantern"}`} data-encoding={shot.encoding}>
            {called}
          </span>
        </button>
        <span className="shrink-0 text-faint">{shot.width > 0 && `${shot.width} × ${shot.height}`}</span>
      </div>
      <p className="mt-1 truncate text-faint" title={shot.encoding_reason} data-reason>
        {shot.encoding_reason}
      </p>
      {shot.arriving != null && shot.frames > 0 && (
        <p className="text-text" data-coming>
          {shot.frames} of {shot.expected}, still coming in
        </p>
      )}
      {shot.arriving !== null && <progress aria-label={`${shot.name} comes in`} value={shot.arriving} className="h-1 w-full accent-lantern" />}
      {warnings.length > 0 && (
        <p className="line-clamp-2 leading-4 text-alarm" title={warnings.join("\n")} data-warnings={warnings.length}>
          <TriangleAlert size={11} className="mr-1 inline" />
          {warnings.join("; ")}
        </p>
      )}
      {deleting && (
        <Confirm open title={`Delete “${shot.name}”?`} action="Delete shot" onClose={() => setDeleting(false)} onDone={() => told(deleteShots([shot]))}>
          Its trim goes with it. It can be put back for 30 days. Its files stay in the media folder.
        </Confirm>
      )}
    </>
  );
});

function Mark({ shot }: { shot: Shot }) {
  const marked = useMarked(shot.id);
  return <input type="checkbox" aria-label={`Select ${shot.name}`} checked={marked} onChange={() => flip(shot.id)} className="m-1 h-4 w-4 accent-lantern" />;
}
