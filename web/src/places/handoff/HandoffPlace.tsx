/** Handoff: a table of a version, or a package by a plan; watch it, read its report, take it away. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { usePlan } from "../../document/plan";
import { useWork } from "../../document/work";
import { told, useSession } from "../../session/session";
import { Button } from "../../ui/controls";
import { CameBack, Identified } from "./CameBack";
import { PackageParts, PackageShown } from "./Packages";
import { Radios } from "./parts";
import { Tables, TableShown } from "./Tables";

type What = "table" | "package";

const WHAT: { value: What; label: string }[] = [
  { value: "table", label: "One table" },
  { value: "package", label: "A package" },
];

export function HandoffPlace() {
  const look = useWork((s) => (s.kind === "look" ? s.id : null));
  const name = useWork((s) => s.document?.name);
  const client = useQueryClient();
  const [what, setWhat] = useState<What>("table");
  const [table, setTable] = useState<string | null>(null);
  // The plan, unless a package is chosen.
  const [made, setMade] = useState<string | null>(null);
  const [back, setBack] = useState<File | null>(null);
  // A plan that is not on screen is not undone.
  const lay = useCallback(() => told(usePlan.getState().close().then(() => client.invalidateQueries({ queryKey: ["plans"] }))), [client]);
  useEffect(() => lay, [lay]);
  const turn = (to: What) => {
    setWhat(to);
    setBack(null);
    if (to === "table") lay();
  };
  const showTable = (id: string) => {
    setTable(id);
    setBack(null);
  };
  const showPackage = (id: string | null) => {
    setMade(id);
    setBack(null);
  };
  return (
    <main className="flex min-h-0 min-w-0 flex-1">
      <aside aria-label={what === "table" ? "New table" : "New package"} className="flex w-[300px] shrink-0 flex-col gap-4 overflow-y-auto bg-wall p-4">
        <h2 className="text-[14px] font-medium text-bright">{look ? `Handoff of “${name ?? ""}”` : "No look yet"}</h2>
        {!look && (
          <Button kind="main" onClick={() => useSession.getState().set({ place: "look" })}>
            Make a look first
          </Button>
        )}
        {look && <Radios name="What is made" value={what} onChange={turn} options={WHAT} />}
        {look && what === "table" && <Tables look={look} shown={table} onShow={showTable} />}
        {look && what === "package" && <PackageParts key={look} look={look} shown={made} onShow={showPackage} />}
        <CameBack onFile={setBack} />
      </aside>
      <section aria-label="Report" className="min-w-0 flex-1 overflow-y-auto p-5">
        {back ? (
          <Identified file={back} onClose={() => setBack(null)} />
        ) : !look ? null : what === "table" ? (
          <TableShown look={look} shown={table} onShow={showTable} />
        ) : (
          <PackageShown look={look} shown={made} onShow={showPackage} />
        )}
      </section>
    </main>
  );
}
