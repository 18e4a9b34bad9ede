/** What both parts of Handoff are made of. */
import { useQuery, type UseQueryResult } from "@tanstack/react-query";
import { api } from "../../data/client";
import { canonical } from "../../document/history";
import { useWork } from "../../document/work";
import { say, told } from "../../session/session";
import { Button, Choice } from "../../ui/controls";

export const ROW = "grid grid-cols-[64px_1fr] items-center gap-2";

/** One of a few, side by side. */
export function Radios<T extends string>({ name, value, onChange, options }: { name: string; value: T; onChange: (value: T) => void; options: { value: T; label: string }[] }) {
  return (
    <div role="radiogroup" aria-label={name} className="flex gap-1">
      {options.map((o) => (
        <button
          key={o.value}
          type="button"
          role="radio"
          aria-checked={o.value === value}
          onClick={() => onChange(o.value)}
          className={`h-6 flex-1 rounded px-1 text-value whitespace-nowrap ${o.value === value ? "bg-edge text-bright" : "bg-shelf text-dim"}`}
        >
          {o.label}
        </button>
      ))}
    </div>
  );
}

/** The version that is the look as it is now: the newest where nothing has changed since, else a new one. */
export async function versionOf(look: string, newest: number | undefined): Promise<number> {
  await useWork.getState().save();
  const now = useWork.getState().document;
  if (newest !== undefined && now) {
    const last = await api.version(look, newest);
    if (canonical(last.document.path) === canonical(now.path) && last.document.name === now.name) return newest;
  }
  const made = await api.keepVersion(look, "");
  say(`Saved as version ${made.number} for this handoff.`);
  return made.number;
}

/** A look's versions, newest first. */
export function useVersions(look: string) {
  return useQuery({ queryKey: ["versions", look], queryFn: () => api.versions(look) });
}

/** Chooses a version; null for the look as it is now. */
export function VersionChoice({ look, value, onChange }: { look: string; value: string | null; onChange: (version: string | null) => void }) {
  const versions = useVersions(look);
  return (
    <>
      <label className={ROW}>
        <span className="text-dim">Version</span>
        <Choice
          name="Version"
          value={value ?? "now"}
          onChange={(v) => onChange(v === "now" ? null : v)}
          options={[
            { value: "now", label: "The look as it is now" },
            ...(versions.data ?? []).map((v) => ({ value: String(v.number), label: `${v.number} · ${v.name}` })),
          ]}
        />
      </label>
      <NotLoaded what="The look's versions" query={versions} />
    </>
  );
}

/** Where something could not be loaded: why, and once more. */
export function NotLoaded({ what, query }: { what: string; query: Pick<UseQueryResult, "error" | "refetch"> }) {
  if (!query.error) return null;
  return (
    <p role="alert" className="leading-4 text-alarm">
      {what} could not be loaded{query.error.message && `: ${query.error.message}`}{" "}
      <Button kind="quiet" className="h-5 px-1" onClick={() => told(query.refetch())}>
        Try again
      </Button>
    </p>
  );
}

/** How far something is, and about how many seconds it will take yet. */
export function Progress({ share, left = null }: { share: number; left?: number | null }) {
  return (
    <div className="flex flex-col gap-1.5">
      <div role="progressbar" aria-label="Progress" aria-valuenow={Math.round(share * 100)} className="h-1 rounded bg-shelf">
        <div className="h-1 rounded bg-lantern" style={{ width: `${share * 100}%` }} />
      </div>
      <span className="text-dim">
        {Math.floor(share * 100)} %{left !== null && `, ${time(left)} left`}
      </span>
    </div>
  );
}

function time(seconds: number): string {
  return seconds < 60 ? `${Math.ceil(seconds)} s` : `${Math.round(seconds / 60)} min`;
}

/** An entry of a history. */
export function Entry({ shown, failed, title, under, onShow }: { shown: boolean; failed: boolean; title: string; under: string; onShow: () => void }) {
  return (
    <button type="button" onClick={onShow} aria-current={shown} className={`rounded px-2 py-1.5 text-left ${shown ? "bg-shelf" : "hover:bg-shelf"}`}>
      <span className={`block truncate text-value ${shown ? "text-bright" : "text-text"}`}>{title}</span>
      <span className={`block truncate ${failed ? "text-alarm" : "text-faint"}`}>{under}</span>
    </button>
  );
}
