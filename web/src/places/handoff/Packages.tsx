/** Packages of a version by a plan: asked for, watched, what is in them. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type FileOf, type Package } from "../../data/client";
import { usePlan } from "../../document/plan";
import { say, told, useSession } from "../../session/session";
import { Button, Choice, FileInput, Menu } from "../../ui/controls";
import { counted } from "../../ui/units";
import { isUnderWay, POLL, STATES } from "./formats";
import { Entry, NotLoaded, Progress, ROW, useVersions, VersionChoice, versionOf } from "./parts";
import { PlanEditor } from "./PlanEditor";
import { emptyPlan, usualPlan } from "./usual";

/** What is chosen where there is no plan. */
const NONE = "none";

/** A look's packages, newest first. */
function usePackages(look: string) {
  return useQuery({
    queryKey: ["packages", look],
    queryFn: () => api.packages(look),
    refetchInterval: (q) => (q.state.data?.some((p) => isUnderWay(p.state)) ? POLL : false),
  });
}

function usePlans() {
  const production = useSession((s) => s.production?.id ?? "");
  return useQuery({ queryKey: ["plans", production], queryFn: () => api.plans(production), enabled: production !== "" });
}

/** Takes a plan into the hand, as it was saved last. */
async function take(id: string): Promise<void> {
  await usePlan.getState().save();
  await usePlan.getState().open(await api.plan(id));
}

/** Makes plans, and takes them into the hand. */
function useNewPlan() {
  const client = useQueryClient();
  const production = useSession((s) => s.production?.id ?? "");
  const take = async (plan: unknown) => {
    const made = await api.createPlan(production, plan);
    await client.invalidateQueries({ queryKey: ["plans"] });
    await usePlan.getState().open(made);
  };
  return (plan: unknown) => told(take(plan));
}

/** The plan, the version, and every package so far. */
export function PackageParts({ look, shown, onShow }: { look: string; shown: string | null; onShow: (id: string | null) => void }) {
  const client = useQueryClient();
  const packages = usePackages(look);
  const plans = usePlans();
  const versions = useVersions(look);
  const id = usePlan((s) => s.id);
  const name = usePlan((s) => s.plan?.name ?? "");
  const problem = usePlan((s) => s.problem);
  const [version, setVersion] = useState<string | null>(null);
  const fresh = useNewPlan();
  const chooser = useRef<HTMLInputElement>(null);
  const known = plans.data;
  // Where none of this production is in hand, the first is.
  useEffect(() => {
    if (known && !known.some((p) => p.id === id)) told(known[0] ? take(known[0].id) : usePlan.getState().close());
  }, [id, known]);
  const make = useMutation({
    mutationFn: async () => {
      await usePlan.getState().save();
      const { id: plan, saving, failure } = usePlan.getState();
      if (!plan) throw new Error("There is no plan.");
      if (saving !== "saved") throw new Error(failure || "The plan is not saved yet.");
      const chosen = version === null ? await versionOf(look, versions.data?.[0]?.number) : Number(version);
      await client.invalidateQueries({ queryKey: ["versions", look] });
      return api.createPackage(look, chosen, plan);
    },
    onSuccess: async (made) => {
      onShow(made.id);
      await client.invalidateQueries({ queryKey: ["packages", look] });
    },
  });
  const choose = (to: string) => {
    told(take(to).then(() => client.invalidateQueries({ queryKey: ["plans"] })));
    onShow(null);
  };
  const remove = () => {
    if (!id) return;
    const restore = () => told(api.restore("plans", id).then(() => client.invalidateQueries({ queryKey: ["plans"] })));
    const gone = async () => {
      await usePlan.getState().close();
      await api.deletePlan(id);
      await client.invalidateQueries({ queryKey: ["plans"] });
      say(`Deleted plan “${name}”.`, { label: "Undo", run: restore });
    };
    told(gone());
  };
  const read = async (file: File) => {
    const text = await file.text();
    try {
      fresh(JSON.parse(text));
    } catch {
      say(`“${file.name}” is no delivery plan: it is not JSON.`);
    }
  };
  // The name in the list is the one that is being typed.
  const options = (plans.data ?? []).map((p) => ({ value: p.id, label: (p.id === id ? name : p.plan.name) || "A plan without a name" }));
  const plan = usePlan((s) => s.plan);
  return (
    <>
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <div className={ROW}>
          <span className="text-dim">Plan</span>
          <div className="flex min-w-0 gap-1">
            <div className="grid min-w-0 flex-1">
              <Choice
                name="Plan"
                value={id ?? NONE}
                disabled={options.length === 0}
                onChange={choose}
                options={options.length > 0 ? options : [{ value: NONE, label: plans.isPending ? "Loading…" : plans.isError ? "Not loaded" : "No plan yet" }]}
              />
            </div>
            <Menu
              trigger={
                <Button aria-label="Plans" className="px-1.5">
                  ▾
                </Button>
              }
              items={[
                { label: "New plan with four receivers", run: () => { fresh(usualPlan()); onShow(null); } },
                { label: "New empty plan", run: () => { fresh(emptyPlan()); onShow(null); } },
                { label: "Bring a plan in…", run: () => chooser.current?.click() },
                null,
                { label: "Duplicate this plan", disabled: !plan, run: () => { fresh({ ...plan, name: `${name} copy`.slice(0, 80) }); onShow(null); } },
                { label: "Take this plan away as a file", disabled: !id, run: () => { told(usePlan.getState().save().then(() => location.assign(`/api/plans/${id}/file`))); } },
                { label: "Delete this plan", disabled: !id, run: remove },
              ]}
            />
          </div>
        </div>
        <FileInput ref={chooser} label="Plan to bring in" accept=".json" onFile={(file) => told(read(file))} />
        <VersionChoice look={look} value={version} onChange={setVersion} />
        <div className="mt-1 flex gap-2">
          <Button type="submit" kind="main" className="flex-1" disabled={!id || versions.isPending || make.isPending}>
            Make package
          </Button>
          {shown !== null && id && <Button onClick={() => onShow(null)}>Show the plan</Button>}
        </div>
        {id && problem && (
          <p role="note" className="leading-4 text-dim">
            Not ready yet: {problem}
          </p>
        )}
        {make.isError && (
          <p role="alert" className="leading-4 text-alarm">
            {make.error.message}
          </p>
        )}
        <NotLoaded what="The plans" query={plans} />
      </form>
      <h3 className="pt-2 text-dim">Packages</h3>
      <div className="flex flex-col gap-1">
        {(packages.data ?? []).map((p) => (
          <Entry
            key={p.id}
            shown={p.id === shown}
            failed={p.state === "failed"}
            title={`v${p.version} · ${p.plan || "A plan without a name"}`}
            under={STATES[p.state] || new Date(p.made_at * 1000).toLocaleString()}
            onShow={() => onShow(p.id)}
          />
        ))}
        {packages.isPending && <p className="text-faint">Loading…</p>}
        {packages.data?.length === 0 && <p className="text-faint">Nothing yet.</p>}
        <NotLoaded what="The packages" query={packages} />
      </div>
    </>
  );
}

/** The package that is shown, else the plan. */
export function PackageShown({ look, shown, onShow }: { look: string; shown: string | null; onShow: (id: string | null) => void }) {
  const packages = usePackages(look);
  const chosen = packages.data?.find((p) => p.id === shown);
  const open = usePlan((s) => s.id !== null);
  const plans = usePlans();
  if (chosen) return <Detail key={chosen.id} line={chosen} onGone={() => onShow(null)} />;
  if (open) return <PlanEditor />;
  return plans.data?.length === 0 ? <NoPlan /> : null;
}

function NoPlan() {
  const fresh = useNewPlan();
  return (
    <div className="mx-auto flex max-w-md flex-col gap-3 pt-24 leading-5 text-dim">
      <p className="text-value text-bright">A package is all that the production agreed on, made in one press.</p>
      <p>
        A delivery plan says who receives what: tables, the look itself, stills, graded frames, review movies, trims as ASC CDL, a colour
        configuration. Every file is proven and listed with its checksums.
      </p>
      <div className="flex gap-2">
        <Button kind="main" onClick={() => fresh(usualPlan())}>
          Begin with four receivers
        </Button>
        <Button onClick={() => fresh(emptyPlan())}>Empty plan</Button>
      </div>
    </div>
  );
}

function Detail({ line, onGone }: { line: Package; onGone: () => void }) {
  const client = useQueryClient();
  const again = () => client.invalidateQueries({ queryKey: ["packages"] });
  const whole = useQuery({ queryKey: ["package", line.id, line.state], queryFn: () => api.package(line.id), enabled: line.state === "done", staleTime: Infinity });
  const remove = async () => {
    await api.deletePackage(line.id);
    onGone();
    await again();
    say(`Deleted ${line.file_name}.`, { label: "Undo", run: () => told(api.restore("packages", line.id).then(again)) });
  };
  if (isUnderWay(line.state)) {
    return (
      <div className="mx-auto flex max-w-md flex-col gap-3 pt-24" data-package="under way">
        <p className="truncate text-value text-bright">Making {line.file_name}</p>
        {line.state === "queued" && <p className="text-dim">Waiting for what was asked for before it.</p>}
        <Progress share={line.progress} left={line.left ?? null} />
        <Button className="self-start" onClick={() => told(api.cancelPackage(line.id).then(again))}>
          Stop
        </Button>
      </div>
    );
  }
  if (line.state !== "done") {
    return (
      <div className="mx-auto flex max-w-md flex-col gap-3 pt-24" data-package={line.state}>
        <p className="truncate text-value text-bright">{line.file_name}</p>
        <p role={line.state === "failed" ? "alert" : undefined} className={`leading-5 ${line.state === "failed" ? "text-alarm" : "text-dim"}`}>
          {line.state === "failed" ? line.failure : "It was stopped. Frames and movies that were made for it are kept, so that it can go on."}
        </p>
        <div className="flex gap-2">
          <Button kind="main" onClick={() => told(api.resumePackage(line.id).then(again))}>
            Go on
          </Button>
          <Button onClick={() => told(remove())}>Delete</Button>
        </div>
      </div>
    );
  }
  const manifest = whole.data?.manifest;
  const files = manifest?.files ?? [];
  const receivers = [...new Set(files.map((f) => f.receiver))].sort((a, b) => Number(a === "") - Number(b === ""));
  return (
    <article className="mx-auto flex max-w-[880px] flex-col gap-5" data-package="done">
      <header className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-[15px] text-bright">{line.file_name}</h2>
          <p className="text-dim">
            {manifest ? `${counted(files.length, "file")}, ${size(files.reduce((sum, f) => sum + f.length, 0))}` : "Loading…"} · version {line.version} ·{" "}
            {new Date(line.made_at * 1000).toLocaleString()}
          </p>
          <p className="truncate text-faint select-text" title="BLAKE3 of the archive">
            {line.checksum}
          </p>
        </div>
        <a href={`/api/packages/${line.id}/report`} target="_blank" rel="noreferrer" data-package-report className="h-6 rounded bg-shelf px-2 leading-6 hover:bg-edge">
          Open the report
        </a>
        <a href={`/api/packages/${line.id}/zip`} download={line.file_name} data-package-zip className="h-6 rounded bg-lantern px-2 leading-6 font-medium text-pit hover:brightness-110">
          Download package
        </a>
        <Button kind="quiet" onClick={() => told(remove())}>
          Delete
        </Button>
      </header>
      <NotLoaded what="What is in it" query={whole} />
      {manifest && manifest.not_made.length > 0 && (
        <Said title="Not made" lines={manifest.not_made.map((n) => [`${n.what}${n.receiver && ` for ${n.receiver}`}`, n.why])} />
      )}
      {manifest && manifest.left_out.length > 0 && <Said title="In no table" lines={manifest.left_out.map((l) => [l.step, l.why])} />}
      {receivers.map((r) => (
        <Files key={r} id={line.id} receiver={r} files={files.filter((f) => f.receiver === r)} />
      ))}
    </article>
  );
}

function Said({ title, lines }: { title: string; lines: [string, string][] }) {
  return (
    <section aria-label={title}>
      <h3 className="pb-1 text-value text-bright">{title}</h3>
      {lines.map(([what, why], i) => (
        <p key={i} className="leading-5">
          <span className="text-text">{what}</span> <span className="text-dim">{why}</span>
        </p>
      ))}
    </section>
  );
}

/** The most files that are listed for a receiver: beyond that they are frames. */
const MOST_LISTED = 60;

function Files({ id, receiver, files }: { id: string; receiver: string; files: FileOf[] }) {
  return (
    <section aria-label={receiver || "Of the whole package"}>
      <h3 className="pb-1 text-value text-bright">{receiver || "Of the whole package"}</h3>
      <table className="w-full table-fixed">
        <tbody>
          {files.slice(0, MOST_LISTED).map((f) => (
            <tr key={f.path} className="border-t border-shelf">
              <td className="w-1/2 truncate py-1 pr-3">
                <a href={`/api/packages/${id}/file?path=${encodeURIComponent(f.path)}`} className="text-text hover:text-bright" title={`${f.path}\nBLAKE3 ${f.blake3}\nSHA-256 ${f.sha256}`}>
                  {receiver ? f.path.split("/").slice(1).join("/") : f.path}
                </a>
              </td>
              <td className="truncate py-1 pr-3 text-dim" title={f.is}>
                {f.is}
              </td>
              <td className="w-20 py-1 text-right text-dim">{size(f.length)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {files.length > MOST_LISTED && <p className="pt-1 text-dim">and {counted(files.length - MOST_LISTED, "file")} more</p>}
    </section>
  );
}

function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  if (bytes < 1e6) return `${(bytes / 1e3).toFixed(0)} kB`;
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`;
}
