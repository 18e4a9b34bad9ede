/** Copying the trim in hand, or chosen steps of it, to other shots. */
import { useState } from "react";
import { api } from "../../data/client";
import { refreshProduction, rowOf, say, told, useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { Button, Dialog } from "../../ui/controls";
import { counted } from "../../ui/units";

export function CopyTrim({ open, onClose }: { open: boolean; onClose: () => void }) {
  const production = useSession((s) => s.production);
  const own = useWork((s) => (s.kind === "trim" ? s.id : null));
  const steps = useWork((s) => s.document?.path.steps) ?? [];
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const shots = new Set(rowOf(production).map((s) => s.id));
  const flip = (all: ReadonlySet<string>, id: string) => {
    const next = new Set(all);
    if (!next.delete(id)) next.add(id);
    return next;
  };
  const whole = left.size === 0;
  const copy = async () => {
    if (!own) return;
    try {
      await useWork.getState().save();
      const picked = steps.filter((s) => !left.has(s.id)).map((s) => s.id);
      const before = await api.copyTrim(own, [...chosen], whole ? null : picked);
      onClose();
      await refreshProduction();
      const undo = async () => {
        for (const b of before) await api.saveTrim(b.shot, b.path);
        await refreshProduction();
      };
      say(`Copied to ${counted(before.length, "shot")}.`, { label: "Undo", run: () => void undo().catch(say) });
    } catch (e) {
      say(e);
    }
  };
  return (
    <Dialog
      open={open}
      title="Copy this trim"
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" disabled={chosen.size === 0 || left.size === steps.length + 1} onClick={() => told(copy())}>
            {chosen.size === 0 ? "Copy trim" : `Copy trim to ${counted(chosen.size, "shot")}`}
          </Button>
        </>
      }
    >
      <fieldset className="mb-3">
        <legend className="pb-1 text-faint">{whole ? "All steps, in place of what the other shots have" : "These steps, added to what they have"}</legend>
        {steps.map((s) => (
          <label key={s.id} className="flex h-6 items-center gap-2">
            <input type="checkbox" className="accent-lantern" checked={!left.has(s.id)} onChange={() => setLeft(flip(left, s.id))} />
            {s.name}
          </label>
        ))}
        {steps.length === 0 && <p className="text-dim">No steps: copying takes the trims of the other shots away.</p>}
      </fieldset>
      <fieldset>
        <legend className="pb-1 text-faint">To</legend>
        {production?.scenes
          .filter((scene) => !scene.finished)
          .map((scene) => ({ ...scene, others: scene.shots.filter((s) => s.id !== own && shots.has(s.id)) }))
          .filter((scene) => scene.others.length > 0)
          .map((scene) => (
            <div key={scene.id} className="pb-1">
              <Whole name={scene.shots.some((s) => s.id === own) ? `All of this scene: ${scene.name}` : `All of ${scene.name}`} ids={scene.others.map((s) => s.id)} chosen={chosen} onChoose={setChosen} />
              {scene.others.map((s) => (
                  <label key={s.id} className="flex h-6 items-center gap-2 pl-6">
                    <input type="checkbox" className="accent-lantern" checked={chosen.has(s.id)} onChange={() => setChosen(flip(chosen, s.id))} />
                    {s.name}
                  </label>
                ))}
            </div>
          ))}
      </fieldset>
    </Dialog>
  );
}

/** All shots of a scene at once; some of them is neither yes nor no. */
function Whole({ name, ids, chosen, onChoose }: { name: string; ids: string[]; chosen: ReadonlySet<string>; onChoose: (next: ReadonlySet<string>) => void }) {
  const count = ids.filter((id) => chosen.has(id)).length;
  const all = count === ids.length;
  const flip = () => {
    const next = new Set(chosen);
    for (const id of ids) {
      if (all) next.delete(id);
      else next.add(id);
    }
    onChoose(next);
  };
  return (
    <label className="flex h-6 items-center gap-2 text-text">
      <input
        type="checkbox"
        className="accent-lantern"
        checked={all}
        ref={(box) => {
          if (box) box.indeterminate = count > 0 && !all;
        }}
        onChange={flip}
      />
      {name}
    </label>
  );
}
