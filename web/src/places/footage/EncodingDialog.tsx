/** Setting how shots are encoded: every encoding as a picture to choose from by eye. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, type Shot } from "../../data/client";
import { encodingOptions, UNKNOWN, type EncodingOption } from "../../session/encodings";
import { shotsOf, told, useSession } from "../../session/session";
import { Button, Dialog, TextField } from "../../ui/controls";
import { counted } from "../../ui/units";
import { setEncodings } from "./encode";

/** Pixels in a row of the small pictures. */
const WIDTH = 260;

const KINDS: { kind: EncodingOption["kind"]; title: string }[] = [
  { kind: "camera", title: "Cameras of this production" },
  { kind: "log", title: "Log" },
  { kind: "display", title: "For a display" },
  { kind: "linear", title: "Linear light" },
];

export function EncodingDialog({ shots, onClose }: { shots: string[]; onClose: () => void }) {
  const production = useSession((s) => s.production);
  const shipped = useSession((s) => s.encodings);
  const found = shotsOf(production).filter((s) => shots.includes(s.id));
  const [seenId, setSeen] = useState(found[0]?.id ?? "");
  const seen = found.find((s) => s.id === seenId) ?? found[0];
  const [chosen, setChosen] = useState(seen?.encoding || (seen?.proposed ?? ""));
  const [words, setWords] = useState("");
  const hint = useQuery({
    queryKey: ["code values", seen?.id],
    queryFn: () => api.codeValues(seen?.id ?? ""),
    enabled: seen !== undefined && seen.frames > 0,
    staleTime: Infinity,
  });
  const groups = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
    const options = encodingOptions(production, shipped).filter((o) => wanted.every((w) => `${o.label} ${o.title} ${o.kind}`.toLowerCase().includes(w)));
    const likely = hint.data?.likely;
    // The cameras first, then what the code values speak for.
    const order = KINDS.toSorted((a, b) => Number(b.kind === "camera") - Number(a.kind === "camera") || Number(b.kind === likely) - Number(a.kind === likely));
    return order.map((k) => ({ ...k, options: options.filter((o) => o.kind === k.kind) })).filter((g) => g.options.length > 0);
  }, [production, shipped, words, hint.data?.likely]);
  const what = found.length === 1 ? `“${found[0]?.name ?? ""}”` : counted(found.length, "shot");
  const [unset, setUnset] = useState(false);
  const [busy, setBusy] = useState(false);
  const open = found.filter((s) => !s.encoding);
  // Some are set and some are not: those that are can be left as they are.
  const mixed = open.length > 0 && open.length < found.length;
  const meant = mixed && unset ? open : found;
  const apply = async () => {
    setBusy(true);
    const done = await setEncodings(meant.map((s) => ({ shot: s.id, encoding: chosen })), mixed && unset);
    setBusy(false);
    if (done) onClose();
  };
  const keys = (e: React.KeyboardEvent<HTMLElement>) => {
    const by = { ArrowRight: 1, ArrowDown: 4, ArrowLeft: -1, ArrowUp: -4 }[e.key];
    if (by === undefined) return;
    const all = [...e.currentTarget.querySelectorAll<HTMLButtonElement>("[role=radio]")];
    const at = all.indexOf(document.activeElement as HTMLButtonElement);
    const next = all[Math.min(all.length - 1, Math.max(0, at + by))];
    next?.focus();
    next?.click();
    e.preventDefault();
  };
  if (!seen) return null;
  return (
    <Dialog
      open
      wide
      title={`Encoding of ${what}`}
      onClose={onClose}
      footer={
        <>
          <span className="min-w-0 flex-1 truncate text-dim" title={hint.data?.says}>
            {hint.data?.says}
          </span>
          {mixed && (
            <label className="flex items-center gap-1.5 text-text">
              <input type="checkbox" className="accent-lantern" checked={unset} onChange={(e) => setUnset(e.target.checked)} />
              Only the {open.length} not set
            </label>
          )}
          {busy && <progress aria-label="Encodings are being set" className="h-1 w-24 accent-lantern" />}
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" data-apply disabled={busy} onClick={() => told(apply())}>
            {meant.length === 1 ? "Set encoding" : `Set encoding of ${counted(meant.length, "shot")}`}
          </Button>
        </>
      }
    >
      <div className="sticky top-0 z-10 -mx-1 flex items-center gap-2 bg-wall px-1 pb-2">
        <TextField label="Search encodings" placeholder="name, log, linear, display" value={words} onChange={(e) => setWords(e.target.value)} className="w-56" />
        <span className="min-w-0 flex-1 truncate text-faint">{seen.encoding_reason}</span>
        {found.length > 1 && <Seen shots={found} seen={seen} onSee={setSeen} />}
      </div>
      <div role="radiogroup" aria-label="Encoding" onKeyDown={keys} className="flex flex-col gap-2">
        {groups.map((g) => (
          <Group key={g.kind} title={g.title} likely={g.kind === hint.data?.likely}>
            {g.options.map((o) => (
              <Tile key={o.value} shot={seen} value={o.value} label={o.label} title={o.title} chosen={chosen} onChoose={setChosen} />
            ))}
          </Group>
        ))}
        {words === "" && (
          <Group title="Not known">
            <Tile shot={seen} value="" label={UNKNOWN} title="Code values as they are, encoding not set" chosen={chosen} onChoose={setChosen} />
          </Group>
        )}
        {groups.length === 0 && <p className="py-4 text-faint">No encoding has these words. A camera that is missing can be described under Camera profiles.</p>}
      </div>
    </Dialog>
  );
}

function Group({ title, likely = false, children }: { title: string; likely?: boolean; children: React.ReactNode }) {
  return (
    <section aria-label={title}>
      <h3 className="pb-1 text-dim">
        {title}
        {likely && <span className="pl-2 text-lantern">Likely, by code values</span>}
      </h3>
      <div className="grid grid-cols-4 gap-2 max-[760px]:grid-cols-3">{children}</div>
    </section>
  );
}

/** The selected shot under an encoding. */
function Tile({ shot, value, label, title, chosen, onChoose }: { shot: Shot; value: string; label: string; title: string; chosen: string; onChoose: (value: string) => void }) {
  const on = chosen === value;
  return (
    <button
      type="button"
      role="radio"
      aria-checked={on}
      aria-label={label}
      title={title}
      data-encoding-choice={value}
      onClick={() => onChoose(value)}
      className={`flex min-w-0 flex-col rounded border-2 text-left ${on ? "border-lantern bg-shelf" : "border-transparent hover:bg-shelf"}`}
    >
      {shot.frames > 0 ? (
        <img
          src={`/api/shots/${shot.id}/as?encoding=${encodeURIComponent(value)}&width=${WIDTH}`}
          alt=""
          loading="lazy"
          data-seen={value}
          className="block h-[104px] w-full bg-pit object-contain"
        />
      ) : (
        <span className="flex h-[104px] w-full items-center justify-center bg-pit text-faint">no frame yet</span>
      )}
      <span className={`truncate px-1 py-0.5 ${on ? "text-bright" : "text-text"}`}>{label}</span>
    </button>
  );
}

/** Which of several shots the pictures show. */
function Seen({ shots, seen, onSee }: { shots: Shot[]; seen: Shot; onSee: (id: string) => void }) {
  const at = shots.indexOf(seen);
  const go = (by: number) => onSee(shots[(at + by + shots.length) % shots.length]?.id ?? seen.id);
  return (
    <div role="group" aria-label="Shot that is shown" className="flex items-center gap-1">
      <Button aria-label="Shot before" onClick={() => go(-1)}>
        ‹
      </Button>
      <span className="max-w-44 truncate text-text" title={seen.name}>
        {at + 1} of {shots.length}: {seen.name}
      </span>
      <Button aria-label="Next shot" onClick={() => go(1)}>
        ›
      </Button>
    </div>
  );
}
