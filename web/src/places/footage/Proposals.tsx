/** Files that do not say how they are encoded: what nearly all of them are, confirmed at once for all of a kind. */
import { useState } from "react";
import type { Production } from "../../data/client";
import { encodingName } from "../../session/encodings";
import { shotsOf, told, useSession } from "../../session/session";
import { Button } from "../../ui/controls";
import { counted } from "../../ui/units";
import { proposals, setEncodings } from "./encode";

export function Proposals({ production }: { production: Production }) {
  const found = proposals(shotsOf(production));
  if (found.size === 0) return null;
  return (
    <section aria-label="Encodings to confirm" className="mb-2 flex flex-col gap-1">
      {[...found].map(([encoding, shots]) => (
        <Proposal key={encoding} encoding={encoding} shots={shots.map((s) => s.id)} name={encodingName(production, encoding)} />
      ))}
    </section>
  );
}

function Proposal({ encoding, shots, name }: { encoding: string; shots: string[]; name: string }) {
  const [busy, setBusy] = useState(false);
  const confirm = async () => {
    setBusy(true);
    await setEncodings(shots.map((shot) => ({ shot, encoding })), true);
    setBusy(false);
  };
  return (
    <div data-proposal={encoding} className="flex flex-wrap items-center gap-x-3 gap-y-1 rounded bg-shelf px-3 py-1.5">
      <span className="min-w-0 flex-1 text-text">
        {counted(shots.length, "shot")} {shots.length === 1 ? "does" : "do"} not say how {shots.length === 1 ? "it is" : "they are"} encoded. Nearly all such files are {name} (common practice).
      </span>
      <Button onClick={() => useSession.getState().set({ encode: shots })}>Choose another…</Button>
      <Button kind="main" disabled={busy} aria-busy={busy} onClick={() => told(confirm())}>
        {busy ? "Setting…" : `Set ${name} for ${counted(shots.length, "shot")}`}
      </Button>
    </div>
  );
}
