/** Versions of the look in hand: save one, go back to one. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api } from "../data/client";
import { useWork } from "../document/work";
import { say, told } from "../session/session";
import { Button, Dialog, Menu, TextField } from "../ui/controls";
import { listed } from "../ui/listed";

/** The look's versions: save one, or go back to one. */
export function Versions({ onSave }: { onSave: () => void }) {
  const id = useWork((s) => s.look?.id ?? null);
  const client = useQueryClient();
  const versions = useQuery({
    queryKey: ["versions", id],
    queryFn: () => (id ? api.versions(id) : Promise.resolve([])),
    enabled: id !== null,
  });
  const back = async (number: number) => {
    if (!id) return;
    try {
      const found = await api.version(id, number);
      useWork.getState().edit(`Back to version ${number}`, (draft) => Object.assign(draft, found.document));
      say(`The look is as in version ${number} again.`, { label: "Undo", run: () => useWork.getState().undo() });
    } catch (e) {
      say(e);
    }
    await client.invalidateQueries({ queryKey: ["versions", id] });
  };
  const count = versions.data?.length ?? (versions.isError ? "!" : "…");
  return (
    <div className="flex">
      <Button disabled={!id} onClick={onSave}>
        Save version…
      </Button>
      <Menu
        trigger={
          <Button
            kind="quiet"
            data-menu="versions"
            aria-label={versions.isError ? "Versions: could not be loaded" : versions.data ? `Versions: ${count}` : "Versions: loading"}
            className={`px-1 ${versions.isError ? "text-alarm!" : ""}`}
            disabled={!versions.isError && !versions.data?.length}
            title="Go back to a version"
          >
            {count} ▾
          </Button>
        }
        items={listed(versions, "Versions", (v) => ({
          label: `Go back to ${v.number} · ${v.name}`,
          hint: new Date(v.saved_at * 1000).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" }),
          run: () => told(back(v.number)),
        }))}
      />
    </div>
  );
}

/** Saves the look as it stands as a version. */
export function SaveVersion({ open, onClose }: { open: boolean; onClose: () => void }) {
  const id = useWork((s) => s.id);
  const client = useQueryClient();
  const [text, setText] = useState("");
  const form = useId();
  const save = async () => {
    if (!id) return;
    try {
      await useWork.getState().save();
      const made = await api.keepVersion(id, text);
      say(`Saved as version ${made.number}.`);
      await client.invalidateQueries({ queryKey: ["versions", id] });
      onClose();
    } catch (e) {
      say(e);
    }
  };
  return (
    <Dialog
      open={open}
      title="Save version"
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" form={form} kind="main">
            Save version
          </Button>
        </>
      }
    >
      <form
        id={form}
        onSubmit={(e) => {
          e.preventDefault();
          told(save());
        }}
      >
        <TextField label="Name of the version" autoFocus placeholder="a name, or nothing" value={text} onChange={(e) => setText(e.target.value)} className="w-full" />
      </form>
    </Dialog>
  );
}
