/** What is offered while there is no production at all. */
import { useRef, useState } from "react";
import { api } from "../data/client";
import { NameDialog } from "../ui/NameDialog";
import { bringProduction, openProduction } from "./ProductionMenu";
import { say, told } from "../session/session";
import { Button } from "../ui/controls";

export function FirstVisit() {
  const [naming, setNaming] = useState(false);
  const [busy, setBusy] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const go = async (what: string, made: () => Promise<{ id: string }>) => {
    setBusy(what);
    try {
      openProduction((await made()).id);
    } catch (e) {
      say(e);
      setBusy("");
    }
  };
  return (
    <main className="flex flex-1 flex-col items-center justify-center gap-4 px-6">
      <h2 className="text-[16px] text-bright">There is no production here yet</h2>
      <p className="max-w-md text-center leading-5 text-dim">
        A production holds the shots of a film or series, its looks, and the tables that are made of them.
      </p>
      <div className="flex flex-wrap justify-center gap-3">
        <Button kind="main" disabled={busy !== ""} onClick={() => setNaming(true)}>
          New production…
        </Button>
        <Button disabled={busy !== ""} onClick={() => told(go("demo", api.openDemo))}>
          {busy === "demo" ? "Opening the demo…" : "Open the demo"}
        </Button>
        <Button disabled={busy !== ""} onClick={() => file.current?.click()}>
          {busy === "file" ? "Bringing it in…" : "Bring in a production file…"}
        </Button>
      </div>
      <input
        ref={file}
        type="file"
        accept=".zip"
        tabIndex={-1}
        aria-label="Production file"
        className="hidden"
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          if (chosen) told(go("file", () => bringProduction(chosen)));
        }}
      />
      <NameDialog
        title="New production"
        label="Name of the production"
        open={naming}
        start=""
        action="Create production"
        onClose={() => setNaming(false)}
        onDone={(name) => {
          setNaming(false);
          told(go("new", () => api.createProduction(name)));
        }}
      />
    </main>
  );
}
