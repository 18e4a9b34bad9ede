/** The production's camera profiles: seen, made, changed, exported, imported. */
import { useState } from "react";
import type { Production, Profile } from "../../data/client";
import { Button } from "../../ui/controls";
import { ProfileEditor } from "./ProfileEditor";

export function Profiles({ production }: { production: Production }) {
  const [open, setOpen] = useState<Profile | "new" | null>(null);
  return (
    <section aria-label="Camera profiles" className="mb-2 flex items-center gap-2">
      <span className="text-faint">Camera profiles</span>
      {production.profiles.map((p) => (
        <Button key={p.id} onClick={() => setOpen(p)} title={p.reading ? `18 % grey at code ${p.reading.grey.toFixed(3)}` : "from a table"}>
          {p.body.name}
          {p.usual && <span className="text-faint"> · default</span>}
        </Button>
      ))}
      <Button kind="quiet" onClick={() => setOpen("new")}>
        + profile
      </Button>
      {open && <ProfileEditor production={production.id} profile={open === "new" ? null : open} onClose={() => setOpen(null)} />}
    </section>
  );
}
