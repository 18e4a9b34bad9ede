/** The head of the page: places, the look in hand, undo, versions. */
import { useState } from "react";
import { placeOf, PLACES } from "../places/registry";
import { shotInHand, useSession } from "../session/session";
import { Button } from "../ui/controls";
import { LookMenu } from "./LookMenu";
import { ProductionMenu } from "./ProductionMenu";
import { SaveState } from "./SaveState";
import { UndoRedo } from "./UndoRedo";
import { SaveVersion, Versions } from "./Versions";

export function Header() {
  const place = useSession((s) => s.place);
  const set = useSession((s) => s.set);
  const [saving, setSaving] = useState(false);
  const open = useSession((s) => s.production !== null);
  const working = place === "look" || place === "balance";
  return (
    <header className="flex min-h-10 shrink-0 items-center gap-4 max-[900px]:flex-wrap border-b border-pit bg-wall px-4 max-[1150px]:gap-2 max-[1150px]:px-2">
      <img src="/lantern.svg" alt="Dusky Lantern" className="h-5 w-5" />
      <Heading />
      <ProductionMenu />
      {open && (
      <nav aria-label="Places" className="flex h-10 gap-6 max-[1150px]:gap-4">
        {PLACES.map((p) => (
          <button
            key={p.id}
            type="button"
            aria-current={place === p.id ? "page" : undefined}
            onClick={() => set({ place: p.id, playing: false })}
            className={`border-y-2 border-t-transparent text-value ${place === p.id ? "border-b-lantern text-bright" : "border-b-transparent text-dim hover:text-bright"}`}
          >
            {p.title}
          </button>
        ))}
      </nav>
      )}
      <div className="flex-1" />
      {!open ? null : place === "balance" ? <TrimOf /> : place !== "footage" && <LookMenu />}
      {open && working && (
        <>
          <SaveState />
          <UndoRedo />
        </>
      )}
      {open && place === "look" && <Versions onSave={() => setSaving(true)} />}
      {open && <ShelfButton />}
      <SaveVersion key={String(saving)} open={saving} onClose={() => setSaving(false)} />
    </header>
  );
}

/** What the page is, for whoever does not see it. */
function Heading() {
  const place = useSession((s) => s.place);
  const production = useSession((s) => s.production?.name);
  return <h1 className="sr-only">{production ? `${placeOf(place).title}: ${production}` : "Dusky Lantern"}</h1>;
}

function ShelfButton() {
  const open = useSession((s) => s.shelf);
  const set = useSession((s) => s.set);
  return (
    <Button kind="quiet" aria-expanded={open} data-shelf-button onClick={() => set({ shelf: !open })}>
      Shelf {open ? "▾" : "▸"}
    </Button>
  );
}

/** What is being worked on in Balance. */
function TrimOf() {
  const shot = useSession(shotInHand);
  return <span className="max-w-60 truncate text-value text-bright">{shot ? `Trim of ${shot.name}` : "No shot"}</span>;
}
