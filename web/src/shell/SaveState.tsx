/** Whether the document in hand is saved, and what can be done where another window saved it first. */
import { api } from "../data/client";
import { useWork, type Saving } from "../document/work";
import { told, useSession } from "../session/session";
import { placeOf } from "../places/registry";
import { Button } from "../ui/controls";

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
  return <span role="status">{word}</span>;
}

/** Under the head of the page, where another window saved what is in hand first: both are offered. */
export function Conflict() {
  const conflict = useWork((s) => s.saving === "conflict");
  const kind = useWork((s) => s.kind);
  const name = useWork((s) => s.document?.name ?? "");
  const place = useSession((s) => s.place);
  const there = conflict && placeOf(place).path;
  return (
    <div role="alert">
      {there && (
        <div data-conflict className="flex flex-wrap items-center gap-x-3 gap-y-1 bg-alarm px-4 py-1 text-pit">
          <span className="min-w-0 flex-1">
            {kind === "look" ? "The look" : "The trim of"} “{name}” was saved in another window. Your changes are kept here until you choose.
          </span>
          <Button onClick={() => told(useWork.getState().takeTheirs())}>Load what the other window saved</Button>
          {kind === "look" ? (
            <Button onClick={() => told(keepMine())}>Keep mine as a new look</Button>
          ) : (
            <Button onClick={() => told(winTrim())}>Keep mine in its place</Button>
          )}
        </div>
      )}
    </div>
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
