/** What can be done to the selected shots. */
import { useState } from "react";
import { api, type Shot } from "../../data/client";
import { attempt, refreshProduction, say, shotsOf, told, useSession } from "../../session/session";
import { Button, Confirm, Dialog, Menu, TextField } from "../../ui/controls";
import { counted } from "../../ui/units";
import { apart, deleteShots, join } from "./changes";
import { moveShots } from "../../intake/order";
import { useSelection } from "./selection";

export function SelectionBar({ encode }: { encode: () => void }) {
  const production = useSession((s) => s.production);
  const ids = useSelection((s) => s.shots);
  const set = useSelection((s) => s.set);
  const [deleting, setDeleting] = useState(false);
  const [cutting, setCutting] = useState(false);
  const shots = shotsOf(production).filter((s) => ids.includes(s.id));
  const scenes = production?.scenes ?? [];
  const trimmed = shotsOf(production).filter((s) => s.trim_steps > 0);
  const stills = shots.length > 1 && shots.every((s) => s.frames === 1);
  const [only] = shots;
  const sequence = shots.length === 1 && only && only.frames > 1 ? only : null;
  const moving = shots.filter((s) => s.frames > 1);
  const copy = async (from: Shot) => {
    const done = await attempt(async () => {
      const before = await api.copyTrim(from.id, ids, null);
      const undo = async () => {
        for (const b of before) await api.saveTrim(b.shot, b.path);
        await refreshProduction();
      };
      say(`The trim of “${from.name}” was copied to ${counted(before.length, "shot")}.`, { label: "Undo", run: () => void undo().catch(say) });
    });
    if (!done) await refreshProduction();
  };
  return (
    <div role="toolbar" aria-label="Selected shots" className="sticky top-0 z-10 -mx-2 mb-2 flex flex-wrap items-center gap-1.5 rounded bg-shelf px-2 py-1 shadow-lg">
      <span className="pr-2 text-value text-bright" data-selected={ids.length}>
        {counted(ids.length, "shot")} selected
      </span>
      <Button kind="main" onClick={encode}>
        Set encoding…
      </Button>
      <Menu
        trigger={<Button>Move to ▾</Button>}
        items={[
          ...scenes.map((s) => ({ label: s.name, run: () => moveShots(ids, s.id) })),
          null,
          {
            label: "A new scene",
            run: () =>
              told(attempt(async () => {
                if (!production) return;
                const scene = await api.createScene(production.id, `Scene ${scenes.length + 1}`);
                await refreshProduction();
                moveShots(ids, scene.id);
              })),
          },
        ]}
      />
      <Menu
        trigger={<Button disabled={trimmed.length === 0}>Copy trim from ▾</Button>}
        items={trimmed.map((s) => ({ label: s.name, run: () => told(copy(s) )}))}
      />
      <Button disabled={moving.length === 0} onClick={() => setCutting(true)}>
        In and out…
      </Button>
      {stills && <Button onClick={() => only && told(join(only.id, ids))}>Join to a sequence</Button>}
      {sequence && <Button onClick={() => told(apart(sequence))}>Take apart into stills</Button>}
      <Button data-delete-selected onClick={() => setDeleting(true)}>
        Delete…
      </Button>
      <span className="flex-1" />
      <Button kind="quiet" title="Esc" onClick={() => set([])}>
        Clear selection
      </Button>
      <Confirm
        open={deleting}
        title={`Delete ${shots.length === 1 ? `“${only?.name ?? ""}”` : counted(shots.length, "shot")}?`}
        action={shots.length === 1 ? "Delete shot" : `Delete ${counted(shots.length, "shot")}`}
        onClose={() => setDeleting(false)}
        onDone={() => told(deleteShots(shots))}
      >
        {shots.length === 1 ? "Its trim goes with it." : "Their trims go with them."} They can be put back for 30 days. The files stay in the media folder.
      </Confirm>
      {cutting && <InOut shots={moving} onClose={() => setCutting(false)} />}
    </div>
  );
}

/** Leaves frames out at the start and the end of sequences, as many of each. */
function InOut({ shots, onClose }: { shots: Shot[]; onClose: () => void }) {
  const [start, setStart] = useState("0");
  const [end, setEnd] = useState("0");
  const frames = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : NaN);
  const [a, b] = [frames(start), frames(end)];
  const short = shots.filter((s) => a + b >= s.frames);
  const wrong = Number.isNaN(a) || Number.isNaN(b) ? "Whole numbers of frames, 0 or more." : short[0] ? `“${short[0].name}” has ${counted(short[0].frames, "frame")} only.` : "";
  const apply = async () => {
    const before = shots.map((s) => ({ id: s.id, in_frame: s.in_frame, out_frame: s.out_frame }));
    const done = await attempt(async () => {
      for (const s of shots) await api.editShot(s.id, { in_frame: a, out_frame: s.frames - 1 - b });
    });
    if (!done) return;
    const undo = () => attempt(async () => { for (const { id, ...cut } of before) await api.editShot(id, cut); });
    say(`In and out of ${counted(shots.length, "shot")} set.`, { label: "Undo", run: () => told(undo() )});
    onClose();
  };
  return (
    <Dialog
      open
      title={`In and out of ${counted(shots.length, "shot")}`}
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" disabled={wrong !== ""} onClick={() => told(apply())}>
            Set in and out
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-[1fr_90px] items-center gap-2">
        <span className="text-dim">Frames left out at the start</span>
        <TextField label="Frames left out at the start" value={start} onChange={(e) => setStart(e.target.value)} />
        <span className="text-dim">Frames left out at the end</span>
        <TextField label="Frames left out at the end" value={end} onChange={(e) => setEnd(e.target.value)} />
      </div>
      {wrong && <p role="alert" className="pt-2 text-alarm">{wrong}</p>}
    </Dialog>
  );
}
