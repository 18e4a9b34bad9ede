/** Whether the document in hand is saved, and what can be done where another window saved it first. */
import { api } from "../data/client";
import { useWork, type Saving } from "../document/work";
import { told, useSession } from "../session/session";
import { Menu } from "../ui/controls";

const WORDS: Record<Saving, string> = {
  saved: "saved",
  unsaved: "…",
  saving: "saving",
  away: "not saved: server away",
  conflict: "changed in another window",
  refused: "not saved",
};

export function SaveState() {
  const saving = useWork((s) => s.saving);
  const failure = useWork((s) => s.failure);
  const bad = saving === "away" || saving === "conflict" || saving === "refused";
  const word = (
    <span data-saving={saving} title={failure} className={`w-12 whitespace-nowrap ${bad ? "w-auto text-alarm" : "text-faint"}`}>
      {WORDS[saving]}
    </span>
  );
  if (saving !== "conflict") return word;
  return (
    <Menu
      trigger={<button type="button">{word}</button>}
      items={[
        { label: "Load what the other window saved", run: () => told(useWork.getState().takeTheirs() )},
        useWork.getState().kind === "look"
          ? { label: "Keep mine as a new look", run: () => told(keepMine() )}
          : { label: "Keep mine in its place", run: () => told(winTrim() )},
      ]}
    />
  );
}

async function keepMine() {
  const { document } = useWork.getState();
  const production = useSession.getState().production?.id;
  if (!document || !production) return;
  const made = await api.createLook(production, `${document.name} (mine)`, document);
  useWork.setState({ saving: "saved" });
  await useWork.getState().load(made.id);
}

/** Saves the trim in hand over what another window saved. */
async function winTrim() {
  const { id, document } = useWork.getState();
  if (!id || !document) return;
  const { revision } = await api.saveTrim(id, document.path);
  useWork.setState({ revision, saving: "saved", failure: "" });
}
