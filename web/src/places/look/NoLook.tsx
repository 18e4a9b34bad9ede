/** What is offered where a production has no look. */
import { useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api } from "../../data/client";
import { say, told, useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { Button, FileInput } from "../../ui/controls";

export function NoLook() {
  const production = useSession((s) => s.production?.id);
  const set = useSession((s) => s.set);
  const file = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const make = async (made: () => Promise<{ id: string }>) => {
    try {
      await useWork.getState().load((await made()).id);
      await client.invalidateQueries({ queryKey: ["looks"] });
    } catch (e) {
      say(e);
    }
  };
  if (!production) return null;
  return (
    <section aria-label="No look yet" className="flex h-[238px] shrink-0 flex-col items-center justify-center gap-3 rounded bg-wall">
      <p className="text-value text-bright">This production has no look yet.</p>
      <div className="flex gap-2">
        <Button kind="main" onClick={() => told(make(() => api.createLook(production, "First look")))}>
          New look
        </Button>
        <Button onClick={() => set({ shelf: true })}>From the Shelf</Button>
        <Button onClick={() => file.current?.click()}>Look file…</Button>
      </div>
      <FileInput ref={file} label="Look file" accept=".json" onFile={(chosen) => told(make(() => api.importLook(production, chosen)))} />
    </section>
  );
}
