/** A camera profile from its published constants, with its curve drawn in stops; or a technical table in its place. */
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type CameraProfile, type Profile, type ProfileReading } from "../../data/client";
import { attempt, say, told, useSession } from "../../session/session";
import { Button, Choice, Dialog, TextField } from "../../ui/controls";

const CONSTANTS = [
  ["base", "base"],
  ["logSideSlope", "log side slope"],
  ["logSideOffset", "log side offset"],
  ["linSideSlope", "lin side slope"],
  ["linSideOffset", "lin side offset"],
  ["linSideBreak", "lin side break"],
  ["linearSlope", "linear slope"],
] as const;
const CORNERS = ["red", "green", "blue", "white"] as const;

/** A curve to begin with: pure logarithm with a short line below, 18 % grey at 0.4. */
const FRESH: CameraProfile = {
  name: "New camera",
  log: { base: 2, logSideSlope: 0.065, logSideOffset: 0.56, linSideSlope: 1, linSideOffset: 0.006, linSideBreak: 0, linearSlope: null },
  primaries: { red: [0.708, 0.292], green: [0.17, 0.797], blue: [0.131, 0.046], white: [0.3127, 0.329] },
  adaptation: "cat16",
};

interface Draft {
  kind: "constants" | "table";
  constants: CameraProfile;
  gives: string;
  table: string | null;
}

function draftOf(profile: Profile | null): Draft {
  const body = profile?.body;
  if (body && "gives" in body) return { kind: "table", constants: { ...FRESH, name: body.name }, gives: body.gives, table: null };
  return { kind: "constants", constants: body ?? FRESH, gives: "acescct", table: null };
}

export function ProfileEditor({ production, profile, onClose }: { production: string; profile: Profile | null; onClose: () => void }) {
  const encodings = useSession((s) => s.encodings);
  const [draft, setDraft] = useState(() => draftOf(profile));
  /** Rises with every import, which fills the fields anew. */
  const [epoch, setEpoch] = useState(0);
  const [usual, setUsual] = useState(profile?.usual ?? false);
  const imported = useRef<HTMLInputElement>(null);
  const table = useRef<HTMLInputElement>(null);
  const { constants } = draft;
  const body = draft.kind === "constants" ? constants : { name: constants.name, gives: draft.gives };
  const reading = useQuery({
    queryKey: ["reading", constants],
    queryFn: () => api.profileReading(constants),
    enabled: draft.kind === "constants",
    retry: false,
    placeholderData: (old) => old,
  });
  const put = (change: Partial<CameraProfile>) => setDraft({ ...draft, constants: { ...constants, ...change } });
  /** What was typed as a number; null while it is none, and the last number stays. */
  const number = (text: string) => {
    const v = Number(text.replace("−", "-").replace(",", "."));
    return text.trim() !== "" && Number.isFinite(v) ? v : null;
  };
  /** What is wrong in a field, by its name; a wrong value is not taken, and said. */
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const judge = (field: string, text: string, fine: boolean) =>
    setWrong((all) => {
      const others = Object.fromEntries(Object.entries(all).filter(([name]) => name !== field));
      const why = text.trim() === "" ? `${field} needs a number.` : `“${text}” is no number: ${field} is as it was.`;
      return fine ? others : { ...others, [field]: why };
    });
  const setConstant = (id: string, title: string, text: string) => {
    const v = number(text);
    judge(title, text, v !== null || (id === "linearSlope" && text.trim() === ""));
    if (v !== null || (id === "linearSlope" && text.trim() === "")) put({ log: { ...constants.log, [id]: v } });
  };
  const setCorner = (id: (typeof CORNERS)[number], i: number, text: string) => {
    const [old, v] = [constants.primaries[id], number(text)];
    judge(`${id} ${i === 0 ? "x" : "y"}`, text, v !== null);
    if (v !== null) put({ primaries: { ...constants.primaries, [id]: i === 0 ? [v, old[1]] : [old[0], v] } });
  };
  const save = async () => {
    const done = await attempt(() => api.saveProfile(production, profile?.id ?? null, { body, table: draft.table ?? undefined, usual, revision: profile?.revision }));
    if (done) onClose();
  };
  const download = () => {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([`${JSON.stringify(body, null, 2)}\n`], { type: "application/json" }));
    link.download = `${constants.name.replace(/[^\w-]+/g, "-").toLowerCase()}.camera.json`;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  const take = async (file: File | undefined) => {
    try {
      const read = JSON.parse((await file?.text()) ?? "") as CameraProfile | { name: string; gives: string };
      if ("gives" in read) setDraft({ ...draft, kind: "table", gives: read.gives, constants: { ...constants, name: read.name } });
      else {
        await api.profileReading(read);
        setDraft({ ...draft, kind: "constants", constants: read });
        setEpoch(epoch + 1);
      }
    } catch (e) {
      say(e instanceof SyntaxError ? "This file is no JSON, so it is no camera profile." : e);
    }
  };
  return (
    <Dialog
      open
      wide
      title={profile ? `Camera profile “${profile.body.name}”` : "New camera profile"}
      onClose={onClose}
      footer={
        <>
          <Button kind="quiet" onClick={() => imported.current?.click()}>
            Import…
          </Button>
          <Button kind="quiet" onClick={download}>
            Export
          </Button>
          {profile && (
            <Button kind="quiet" onClick={() => told(attempt(() => api.deleteProfile(profile.id)).then((done) => done && onClose()))}>
              Delete profile
            </Button>
          )}
          <span className="flex-1" />
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" disabled={draft.kind === "constants" && (reading.isError || Object.keys(wrong).length > 0)} onClick={() => told(save())}>
            Save profile
          </Button>
        </>
      }
    >
      <div className="mb-3 flex items-center gap-2">
        <TextField label="Name of the profile" className="w-64" value={constants.name} onChange={(e) => put({ name: e.target.value })} />
        {(["constants", "table"] as const).map((kind) => (
          <Button key={kind} kind="quiet" aria-pressed={draft.kind === kind} className={draft.kind === kind ? "text-bright" : ""} onClick={() => setDraft({ ...draft, kind })}>
            {kind === "constants" ? "By constants" : "From a table"}
          </Button>
        ))}
        <label className="flex items-center gap-1.5 pl-3">
          <input type="checkbox" className="accent-lantern" checked={usual} disabled={profile?.usual} onChange={(e) => setUsual(e.target.checked)} />
          Default camera
        </label>
      </div>
      {draft.kind === "constants" ? (
        <div className="flex gap-5">
          <div className="grid w-[300px] shrink-0 grid-cols-2 content-start gap-x-3 gap-y-1">
            {CONSTANTS.map(([id, title]) => (
              <label key={id} className="contents">
                <span className="self-center text-dim">{title}</span>
                <TextField label={title} key={`${id}${epoch}`} defaultValue={constants.log[id] ?? ""} placeholder={id === "linearSlope" ? "Automatic" : ""} aria-invalid={title in wrong} onChange={(e) => setConstant(id, title, e.target.value)} />
              </label>
            ))}
            {CORNERS.map((id) => (
              <div key={id} className="contents">
                <span className="self-center text-dim">{id} x, y</span>
                <span className="flex gap-1">
                  {[0, 1].map((i) => (
                    <TextField key={`${i}${epoch}`} label={`${id} ${i === 0 ? "x" : "y"}`} className="w-full min-w-0" aria-invalid={`${id} ${i === 0 ? "x" : "y"}` in wrong} defaultValue={constants.primaries[id][i]} onChange={(e) => setCorner(id, i, e.target.value)} />
                  ))}
                </span>
              </div>
            ))}
          </div>
          <div className="min-w-0 flex-1">
            {Object.values(wrong).map((why) => (
              <p key={why} role="alert" className="pb-1 text-alarm">
                {why}
              </p>
            ))}
            {reading.isError ? <p className="text-alarm">{reading.error.message}</p> : reading.data && <Curve reading={reading.data} />}
          </div>
        </div>
      ) : (
        <div className="flex items-center gap-3">
          <Button onClick={() => table.current?.click()}>{draft.table ? "Another .cube…" : profile?.reading === null ? "Replace its .cube…" : "Choose a .cube…"}</Button>
          <span className="text-dim">{draft.table ? `${(draft.table.length / 1024).toFixed(0)} kB chosen` : "Output of the table"}</span>
          <Choice name="Output of the table" value={draft.gives} options={encodings.map((e) => ({ value: e.id, label: e.name }))} onChange={(gives) => setDraft({ ...draft, gives })} />
        </div>
      )}
      <input ref={imported} type="file" accept=".json" tabIndex={-1} aria-label="Profile file" className="hidden" onChange={(e) => told(take(e.target.files?.[0]))} />
      <input
        ref={table}
        type="file"
        accept=".cube"
        tabIndex={-1}
        aria-label="Technical table"
        className="hidden"
        onChange={(e) => told(e.target.files?.[0]?.text().then((text) => setDraft({ ...draft, table: text })))}
      />
    </Dialog>
  );
}

/** The curve over stops from middle grey, with where grey and white land. */
function Curve({ reading }: { reading: ProfileReading }) {
  const count = reading.curve.length - 1;
  const x = (stops: number) => (stops + 10) / 20;
  const path = reading.curve.map((code, i) => `${i ? "L" : "M"}${(i / count).toFixed(4)} ${(1 - Math.min(1.05, Math.max(-0.05, code))).toFixed(4)}`).join("");
  const white = Math.log2(0.9 / 0.18);
  const code = (v: number) => `${(v * 100).toFixed(1)} % (${Math.round(v * 1023)} of 1023)`;
  return (
    <figure aria-label="Curve in stops" className="flex flex-col gap-2">
      <svg viewBox="0 0 1 1" preserveAspectRatio="none" className="h-44 w-full bg-pit" data-plot="profile">
        {[-8, -6, -4, -2, 0, 2, 4, 6, 8].map((s) => (
          <path key={s} d={`M${x(s)} 0V1`} stroke="var(--color-shelf)" vectorEffect="non-scaling-stroke" />
        ))}
        {[reading.grey, reading.white, reading.black].map((v, i) => (
          <path key={i} d={`M0 ${1 - v}H1`} stroke="var(--color-ember)" strokeDasharray="2 4" vectorEffect="non-scaling-stroke" />
        ))}
        <path d={`M${x(0)} 0V1M${x(white)} 0V1`} stroke="var(--color-edge)" vectorEffect="non-scaling-stroke" />
        <path d={path} fill="none" stroke="var(--color-bright)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
      </svg>
      <div className="flex justify-between text-faint">
        {[-10, -5, 0, 5, 10].map((s) => (
          <span key={s}>{s === 0 ? "grey" : s > 0 ? `+${s}` : `−${-s}`}</span>
        ))}
      </div>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5">
        <dt className="text-dim">18 % grey</dt>
        <dd data-grey={reading.grey}>{code(reading.grey)}</dd>
        <dt className="text-dim">90 % white</dt>
        <dd>{code(reading.white)}</dd>
        <dt className="text-dim">black</dt>
        <dd>{code(reading.black)}</dd>
        <dt className="text-dim">over grey</dt>
        <dd>{reading.stops_over.toFixed(1)} stops</dd>
        <dt className="text-dim">under grey</dt>
        <dd title="Down to one 10-bit code value over black">{reading.stops_under.toFixed(1)} stops</dd>
      </dl>
    </figure>
  );
}
