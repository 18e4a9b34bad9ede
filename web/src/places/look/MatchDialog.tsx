/** Matching the shot in hand to references: what they have in common, pairs drawn on both, and a report. */
import { useEffect, useMemo, useRef, useState } from "react";
import { api, type MatchArea, type MatchDetail, type MatchPair, type Path, type Proposal, type Shot } from "../../data/client";
import { useWork } from "../../document/work";
import { CardPicture, useCards } from "../../preview/cards";
import { say, shotsOf, told, useSession } from "../../session/session";
import { Button, Choice, Dialog } from "../../ui/controls";

type Common = NonNullable<MatchDetail["report"]["common"]>;

const COMMON: { value: string; label: string }[] = [
  { value: "find", label: "Find out" },
  { value: "nothing", label: "Nothing" },
  { value: "scene", label: "The same scene" },
  { value: "aligned", label: "The same frame" },
];

/** The group that matches make. */
const GROUP = "match";
/** Sides of a drawn area are at least this share of the picture. */
const LEAST = 0.015;

/** What is asked for; it is kept with the group that comes of it. */
interface Asked {
  references: string[];
  pairs: MatchPair[];
  common: string;
}

/** What the match in the path was made from, without references that are gone and their pairs. */
function kept(path: Path | undefined, there: Set<string>): Asked {
  const made = path?.groups?.find((g) => g.id === GROUP)?.matched;
  if (!made) return { references: [], pairs: [], common: "find" };
  const left = made.references.filter((r) => there.has(r));
  const of = (p: MatchPair) => left.indexOf(made.references[p.of ?? 0] ?? "");
  return { references: left, pairs: made.pairs.filter((p) => of(p) >= 0).map((p) => ({ ...p, of: of(p) })), common: made.common };
}

export function MatchDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  return open ? <Open onClose={onClose} /> : null;
}

function Open({ onClose }: { onClose: () => void }) {
  const production = useSession((s) => s.production);
  const shot = useSession((s) => s.shot);
  const frame = useSession((s) => s.frame);
  const look = useWork((s) => s.id);
  const finished = (production?.scenes ?? []).filter((s) => s.finished).flatMap((s) => s.shots);
  const own = shotsOf(production).find((s) => s.id === shot);
  const [asked, setAsked] = useState(() => kept(useWork.getState().document?.path, new Set(finished.map((f) => f.id))));
  const [half, setHalf] = useState<MatchArea | null>(null);
  const [busy, setBusy] = useState(false);
  const stop = useRef<AbortController | null>(null);
  // The server stops too where nobody waits any more.
  useEffect(() => () => stop.current?.abort(), []);
  const [made, setMade] = useState<MatchDetail | null>(null);
  // The shot is matched as it is seen before the match.
  const document = useWork((s) => s.document);
  const before = useMemo(() => [pathBefore(document?.path)], [document]);
  const pictures = useCards(before, 480);
  const chosen = asked.references.flatMap((id) => finished.filter((f) => f.id === id));
  const [shown, setShown] = useState(0);
  const reference = chosen[Math.min(shown, chosen.length - 1)];
  const at = reference ? chosen.indexOf(reference) : 0;
  const card = pictures.get(0);
  const [aspect, setAspect] = useState(16 / 9);
  const change = (part: Partial<Asked>) => setAsked((a) => ({ ...a, ...part }));
  const [proposed, setProposed] = useState<Proposal[] | null>(null);
  const [proposing, setProposing] = useState(false);
  const pick = (f: Shot) => {
    setProposed(null);
    const has = asked.references.includes(f.id);
    setHalf(null);
    if (has) {
      const gone = asked.references.indexOf(f.id);
      const pairs = asked.pairs.filter((p) => p.of !== gone).map((p) => ({ ...p, of: (p.of ?? 0) > gone ? (p.of ?? 0) - 1 : (p.of ?? 0) }));
      change({ references: asked.references.filter((r) => r !== f.id), pairs });
    } else {
      setShown(asked.references.length);
      change({ references: [...asked.references, f.id] });
    }
  };
  const propose = async () => {
    if (!shot) return;
    setProposing(true);
    try {
      setProposed(await api.proposePairs({ shot, frame, path: pathBefore(useWork.getState().document?.path), references: chosen.map((c) => c.id) }));
    } catch (e) {
      say(e);
    }
    setProposing(false);
  };
  const here = (proposed ?? []).filter((p) => (p.pair.of ?? 0) === at);
  const run = async () => {
    if (!shot || !look) return;
    setBusy(true);
    try {
      const name = chosen.map((c) => c.name).join(", ");
      const common = asked.common === "find" ? null : (asked.common as Common);
      stop.current?.abort();
      stop.current = new AbortController();
      const answer = await api.matchReferences({ shot, frame, path: pathBefore(useWork.getState().document?.path), references: chosen.map((c) => c.id), common, pairs: asked.pairs, name, strength: null }, stop.current.signal);
      put(answer, asked);
      setMade(answer);
    } catch (e) {
      // Whoever stopped it knows.
      if (!stop.current?.signal.aborted) say(e);
    }
    setBusy(false);
  };
  return (
    <Dialog
      open
      wide
      title={`Match “${own?.name ?? ""}” to references`}
      onClose={onClose}
      footer={
        <>
          <span className="mr-auto text-faint">{chosen.length === 0 ? "Choose a finished still." : half ? "Now the area of the reference that belongs to it." : "Draw an area on the shot, then the one of the reference that should feel the same."}</span>
          {busy ? <Button onClick={() => stop.current?.abort()}>Stop</Button> : <Button onClick={onClose}>Close</Button>}
          <Button kind="main" disabled={busy || chosen.length === 0} onClick={() => told(run())}>
            {busy ? "Matching…" : made ? "Match again" : "Match"}
          </Button>
        </>
      }
    >
      {finished.length === 0 && <p className="pb-3 text-dim">There are no references yet: bring finished stills into a scene of finished stills, in Footage.</p>}
      <ul aria-label="References" className="flex gap-2 overflow-x-auto pb-2">
        {finished.map((f) => (
          <li key={f.id}>
            <button
              type="button"
              aria-pressed={asked.references.includes(f.id)}
              disabled={!f.encoding}
              className={`flex w-28 flex-col gap-1 rounded border p-1 text-left ${asked.references.includes(f.id) ? "border-lantern text-bright" : "border-edge text-dim"}`}
              onClick={() => pick(f)}
            >
              <img alt="" src={picture(f, 160)} className="h-14 w-full bg-pit object-contain" />
              <span className="truncate">{f.name}</span>
            </button>
          </li>
        ))}
      </ul>
      <div className="grid grid-cols-2 gap-3">
        <Drawn label="The shot" aspect={card ? card.width / card.height : 16 / 9} areas={asked.pairs.filter((p) => (p.of ?? 0) === at).map((p) => p.shot)} proposed={here.map((p) => ({ area: p.pair.shot, name: p.of }))} half={half} onArea={reference ? setHalf : undefined}>
          <CardPicture picture={card} size={[480, 270]} className="border-transparent" />
        </Drawn>
        <Drawn
          label="The reference"
          proposed={here.map((p) => ({ area: p.pair.reference, name: p.of }))}
          aspect={aspect}
          areas={asked.pairs.filter((p) => (p.of ?? 0) === at).map((p) => p.reference)}
          onArea={
            half
              ? (area) => {
                  change({ pairs: [...asked.pairs, { shot: half, reference: area, of: at }] });
                  setHalf(null);
                }
              : undefined
          }
        >
          {reference ? <img alt="" src={picture(reference, 480)} draggable={false} className="block w-full" onLoad={(e) => setAspect(e.currentTarget.naturalWidth / Math.max(1, e.currentTarget.naturalHeight))} /> : <div className="h-[180px] bg-pit" />}
        </Drawn>
      </div>
      <div className="flex items-center gap-3 pt-2">
        {chosen.length > 1 && chosen.map((c, i) => (
          <Button key={c.id} kind="quiet" aria-pressed={i === at} onClick={() => setShown(i)}>
            {c.name}
          </Button>
        ))}
        <span className="text-dim">In common</span>
        <div className="w-36">
          <Choice name="In common" value={asked.common} options={COMMON} onChange={(common) => change({ common })} />
        </div>
        <span className="text-dim" data-pairs={asked.pairs.length}>
          {asked.pairs.length} {asked.pairs.length === 1 ? "pair" : "pairs"}
        </span>
        <Button kind="quiet" disabled={asked.pairs.length === 0} onClick={() => change({ pairs: asked.pairs.slice(0, -1) })}>
          Remove last pair
        </Button>
        <Button kind="quiet" disabled={chosen.length === 0 || proposing} title="Patches of both pictures that are likely to be of the same kind: you say which are" onClick={() => told(propose())}>
          {proposing ? "looking…" : "propose pairs"}
        </Button>
      </div>
      {proposed && (
        <div className="flex flex-wrap items-center gap-2 pt-1" role="group" aria-label="Proposed pairs">
          {proposed.length === 0 ? (
            <span className="text-faint">Nothing in them is surely of the same kind: draw pairs yourself.</span>
          ) : (
            <>
              <span className="text-faint">Press those that belong together:</span>
              {proposed.map((p) => (
                <Button
                  key={`${p.of} ${p.pair.of ?? 0}`}
                  onClick={() => {
                    change({ pairs: [...asked.pairs, p.pair] });
                    setShown(p.pair.of ?? 0);
                    const left = proposed.filter((x) => x !== p);
                    setProposed(left.length > 0 ? left : null);
                  }}
                >
                  {p.of}{chosen.length > 1 ? ` of ${chosen[p.pair.of ?? 0]?.name ?? ""}` : ""}
                </Button>
              ))}
            </>
          )}
        </div>
      )}
      {made && <Report of={made} />}
    </Dialog>
  );
}

function picture(of: Shot, width: number): string {
  return `/api/shots/${of.id}/as?encoding=${encodeURIComponent(of.encoding)}&width=${width}`;
}

/** The steps before the match, or all of them. */
function pathBefore(path: Path | undefined): Path {
  const steps = path?.steps ?? [];
  const at = steps.findIndex((s) => s.group === GROUP);
  const kept = at < 0 ? steps : steps.slice(0, at);
  return { steps: kept, groups: (path?.groups ?? []).filter((g) => kept.some((s) => s.group === g.id)) };
}

/** Puts a match into the look, in place of the one before it. */
function put({ group, steps }: MatchDetail, asked: Asked): void {
  const matched = { ...asked, pairs: asked.pairs.map((p) => ({ ...p, of: p.of ?? 0 })) };
  useWork.getState().edit(group.name, ({ path }) => {
    const at = path.steps.findIndex((s) => s.group === GROUP);
    const others = path.steps.filter((s) => s.group !== GROUP);
    const before = at < 0 ? others.length : path.steps.slice(0, at).filter((s) => s.group !== GROUP).length;
    path.steps = [...others.slice(0, before), ...steps, ...others.slice(before)];
    path.groups = [...(path.groups ?? []).filter((g) => g.id !== GROUP), { ...group, matched }];
  });
  useWork.getState().select(group.id);
}

function Report({ of: { report } }: { of: MatchDetail }) {
  return (
    <section aria-label="Report" className="mt-3 rounded border border-edge bg-room p-3 leading-5">
      <p className="text-bright">{report.says}</p>
      <p className="text-dim">
        The group “Match” is on at {Math.round(100 * report.strength)} %, confidence {report.confidence}
        {report.found ? "; the program saw by itself that it is the same frame" : ""}. Its strength is how much of the match is taken; every value can be changed.
      </p>
      {report.pairs.length > 0 && (
        <ol className="text-dim" aria-label="Pairs">
          {report.pairs.map((p, i) => (
            <li key={i}>
              Pair {i + 1}: {p.before.toFixed(1)} apart before, {p.after.toFixed(1)} after
            </li>
          ))}
        </ol>
      )}
      {report.notes.map((n) => (
        <p key={n} className="text-dim">
          {n}
        </p>
      ))}
    </section>
  );
}

/** Most of the window's height that a picture takes, in per cent: a tall one fits beside the buttons. */
const TALLEST = 38;

/** A picture that areas are drawn on. */
function Drawn({ label, aspect, areas, proposed = [], half = null, onArea, children }: { label: string; aspect: number; areas: MatchArea[]; proposed?: { area: MatchArea; name: string }[]; half?: MatchArea | null; onArea?: ((area: MatchArea) => void) | undefined; children: React.ReactNode }) {
  const box = useRef<HTMLDivElement>(null);
  const [from, setFrom] = useState<[number, number] | null>(null);
  const [to, setTo] = useState<[number, number] | null>(null);
  const place = (e: React.PointerEvent): [number, number] => {
    const r = box.current?.getBoundingClientRect();
    const share = (v: number, low: number, length: number) => Math.min(1, Math.max(0, (v - low) / Math.max(1, length)));
    return r ? [share(e.clientX, r.left, r.width), share(e.clientY, r.top, r.height)] : [0, 0];
  };
  const area = (a: [number, number], b: [number, number]): MatchArea => ({ x: Math.min(a[0], b[0]), y: Math.min(a[1], b[1]), width: Math.abs(a[0] - b[0]), height: Math.abs(a[1] - b[1]) });
  const drawing = from && to ? area(from, to) : null;
  return (
    <figure aria-label={label} className="min-w-0">
      <figcaption className="pb-1 text-faint">{label}</figcaption>
      <div
        ref={box}
        data-draws={onArea ? label : undefined}
        style={{ maxWidth: `${TALLEST * aspect}vh` }}
        className={`relative mx-auto touch-none ${onArea ? "cursor-crosshair" : ""}`}
        onPointerDown={(e) => {
          if (!onArea) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          setFrom(place(e));
          setTo(place(e));
        }}
        onPointerMove={(e) => from && setTo(place(e))}
        onPointerUp={() => {
          if (drawing && drawing.width >= LEAST && drawing.height >= LEAST) onArea?.(drawing);
          setFrom(null);
          setTo(null);
        }}
      >
        {children}
        {proposed.map(({ area: a, name }) => (
          <span key={name} data-proposed={name} className="pointer-events-none absolute border border-dashed border-bright text-bright" style={{ left: `${100 * a.x}%`, top: `${100 * a.y}%`, width: `${100 * a.width}%`, height: `${100 * a.height}%` }}>
            <span className="bg-pit/70 px-0.5">{name}</span>
          </span>
        ))}
        {[...areas, ...(half ? [half] : []), ...(drawing ? [drawing] : [])].map((a, i) => (
          <span
            key={i}
            className="pointer-events-none absolute border border-lantern text-lantern"
            style={{ left: `${100 * a.x}%`, top: `${100 * a.y}%`, width: `${100 * a.width}%`, height: `${100 * a.height}%` }}
          >
            <span className="bg-pit/70 px-0.5">{i + 1}</span>
          </span>
        ))}
      </div>
    </figure>
  );
}
