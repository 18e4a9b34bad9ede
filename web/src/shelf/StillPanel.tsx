/** A reference in hand: what it is by its tones and colours, over the shot's own, and what can be taken over of it. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Path, type PictureReading, type Shot } from "../data/client";
import { inserting, make, placeIn } from "../commands/commands";
import { useWork } from "../document/work";
import { useInstruments } from "../session/instruments";
import { attempt, say, shotsOf, told, useSession } from "../session/session";
import { hueColour } from "../steps/reading";
import { Button, TextField } from "../ui/controls";

type Part = Parameters<typeof api.takePart>[0]["part"];

const PARTS: { part: Part; label: string; help: string }[] = [
  { part: "tones", label: "Tones", help: "Curves that bring the shot's tones to where the reference's lie" },
  { part: "black", label: "Black", help: "Curves that bring the shot's black to the reference's and leave the rest" },
  { part: "tints", label: "Tints", help: "A Tone tint with the tints of its darks, middles and lights" },
  { part: "saturation", label: "Saturation", help: "Saturation by brightness as the reference has it" },
];

/** The path as far as where a step of the Screen zone would go now. */
function before(path: Path): Path {
  const steps = path.steps.slice(0, placeIn("screen").at);
  return { steps, groups: (path.groups ?? []).filter((g) => steps.some((s) => s.group === g.id)) };
}

/** The reading of a still, and that of the shot in hand as it is seen now. */
export function useReadings(still: string | undefined) {
  const shot = useSession((s) => s.shot);
  const frame = useSession((s) => s.frame);
  const dragging = useWork((s) => s.dragging);
  const path = useWork((s) => (s.kind === "look" ? s.document?.path : undefined));
  const reference = useQuery({ queryKey: ["reading", still], queryFn: () => api.readShot(still ?? ""), enabled: still !== undefined, staleTime: 60_000 });
  const own = useQuery({
    queryKey: ["reading seen", shot, frame, path],
    queryFn: () => api.readSeen({ shot: shot ?? "", frame, path: path ?? { steps: [] } }),
    enabled: shot !== null && still !== undefined && !dragging,
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  return { reference, own };
}

export function StillPanel({ still, onGone }: { still: Shot; onGone: () => void }) {
  const { reference, own } = useReadings(still.id);
  const shot = useSession((s) => shotsOf(s.production).find((x) => x.id === s.shot));
  const place = useSession((s) => s.place);
  const against = useInstruments((s) => s.against);
  const set = useInstruments((s) => s.set);
  const [busy, setBusy] = useState(false);
  const compared = against?.kind === "reference" && against.shot === still.id;
  const tied = shot?.contrast === still.id;
  const take = async (part: Part) => {
    const { document, kind } = useWork.getState();
    const { shot: inHand, frame } = useSession.getState();
    if (!document || kind !== "look" || !inHand) return;
    setBusy(true);
    try {
      const { step } = await api.takePart({ shot: inHand, frame, path: before(document.path), reference: still.id, part, name: still.name, id: "taken" });
      const ready = step && inserting(`Take over ${step.name}`, { steps: [step], groups: [] });
      if (!step) say(`“${still.name}” and the shot are alike in it already.`);
      else if (ready) {
        make(ready);
        say(`“${step.name}” was added at ${Math.round(step.strength * 100)} %.`, { label: "Undo", run: () => useWork.getState().undo() });
      }
    } catch (e) {
      say(e);
    }
    setBusy(false);
  };
  return (
    <div className="flex min-h-0 flex-col gap-1.5" data-still={still.name}>
      <div className="flex items-center gap-1">
        <span className="min-w-0 flex-1 truncate text-value text-bright" title={still.name}>{still.name}</span>
        <Button kind="quiet" className={`px-1 ${compared ? "text-lantern" : ""}`} aria-pressed={compared} disabled={place !== "look"} title="Beside the picture, with its traces in the scopes" onClick={() => set({ against: compared ? null : { kind: "reference", shot: still.id } })}>
          {compared ? "Compared" : "Compare"}
        </Button>
        <Button kind="quiet" className={`px-1 ${tied ? "text-lantern" : ""}`} aria-pressed={tied} disabled={!shot || shot.id === still.id} aria-label="Contrast frame of the shot" title="Contrast frame: the same set-up in the camera's plain display profile, the shot's own reference" onClick={() => told(shot && attempt(() => api.editShot(shot.id, { contrast: tied ? "" : still.id })))}>
          Contrast
        </Button>
        <Button
          kind="quiet"
          aria-label={`Take ${still.name} off its board`}
          className="px-1"
          onClick={() => {
            onGone();
            told(attempt(() => api.deleteShot(still.id)).then((done) => done && say(`“${still.name}” is off its board.`, { label: "Undo", run: () => told(attempt(() => api.restore("shots", still.id))) })));
          }}
        >
          ×
        </Button>
      </div>
      {reference.isError && <p className="text-alarm">{reference.error.message}</p>}
      {reference.isPending && <p className="text-faint">Reading…</p>}
      {reference.data && <Drawn reading={reference.data} own={own.data} />}
      <div className="flex items-center gap-1" role="group" aria-label="Take over">
        <span className="text-faint">Take its</span>
        {PARTS.map((p) => (
          <Button key={p.part} className="flex-1 px-0" title={p.help} disabled={busy || place !== "look" || !reference.data} onClick={() => told(take(p.part))}>
            {p.label.toLowerCase()}
          </Button>
        ))}
      </div>
      <Notes key={still.id} of={still} save={(change) => api.editShot(still.id, change)} />
    </div>
  );
}

/** Note and tags of something on a board. */
export function Notes({ of, save }: { of: { note: string; tags: string }; save: (change: { note?: string; tags?: string }) => Promise<unknown> }) {
  const [note, setNote] = useState(of.note);
  const [tags, setTags] = useState(of.tags);
  const keep = () => {
    if (note !== of.note || tags !== of.tags) told(attempt(() => save({ note, tags })));
  };
  return (
    <div className="grid grid-cols-[2fr_1fr] gap-1">
      <TextField label="Note" placeholder="note" className="min-w-0" value={note} onChange={(e) => setNote(e.target.value)} onBlur={keep} onKeyDown={(e) => e.key === "Enter" && keep()} />
      <TextField label="Tags" placeholder="tags" className="min-w-0" value={tags} onChange={(e) => setTags(e.target.value)} onBlur={keep} onKeyDown={(e) => e.key === "Enter" && keep()} />
    </div>
  );
}

/** How far the plane of tints is drawn, and chroma. */
const SPAN = 0.16;

/** Tones, tints, and saturation over brightness: the reference in colour, the shot in grey beneath. */
function Drawn({ reading, own }: { reading: PictureReading; own: PictureReading | undefined }) {
  return (
    <div className="flex flex-col gap-1" data-reading>
      <svg viewBox="0 0 280 34" className="w-full" role="img" aria-label="Where tones lie">
        {[0.25, 0.5, 0.75].map((v) => <path key={v} d={`M${280 * v} 0V34`} stroke="var(--color-shelf)" />)}
        {own && <Tones of={own} y={25} colour="var(--color-faint)" />}
        <Tones of={reading} y={10} colour="var(--color-lantern)" />
      </svg>
      <div className="grid grid-cols-[96px_1fr] gap-2">
        <svg viewBox="-1 -1 2 2" className="h-[96px] w-full rounded bg-pit" role="img" aria-label="Tints of darks, middles and lights">
          <text x={-0.94} y={0.92} fontSize={0.2} fill="var(--color-faint)">tints</text>
          <path d="M-1 0H1M0 -1V1" stroke="var(--color-shelf)" strokeWidth={0.012} />
          {own && <Tints of={own} colour={() => "var(--color-faint)"} />}
          <Tints of={reading} colour={(hue, i) => hueColour(hue, 0.35 + 0.2 * i)} />
        </svg>
        <div className="relative">
          <svg viewBox="0 0 1 1" preserveAspectRatio="none" className="h-[96px] w-full rounded bg-pit" role="img" aria-label="Saturation over brightness">
            {own && <path d={saturation(own)} fill="none" stroke="var(--color-faint)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />}
            <path d={saturation(reading)} fill="none" stroke="var(--color-lantern)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
          </svg>
          <span aria-hidden className="absolute right-1 bottom-0.5 text-[10px] text-faint">saturation over brightness</span>
        </div>
      </div>
      <svg viewBox="0 0 280 14" className="w-full" role="img" aria-label="Hues that are there">
        {[...reading.hues.map((h) => ({ ...h, own: false })), ...(own?.hues ?? []).map((h) => ({ ...h, own: true }))].map((h) => (
          <circle key={`${h.hue} ${h.own}`} cx={8 + (264 * h.hue) / 360} cy={7} r={1.5 + 11 * Math.sqrt(h.share) * 0.5} fill={h.own ? "none" : hueColour(h.hue)} stroke={h.own ? "var(--color-faint)" : "none"} />
        ))}
      </svg>
      <ul aria-label="What it is" className="max-h-[48px] overflow-y-auto text-faint">
        {reading.says.map((s) => <li key={s} className="leading-4">{s}</li>)}
      </ul>
    </div>
  );
}

/** A line from the deepest to the brightest tones, thick where the middle half lies, a mark at the middle. */
function Tones({ of: { tones }, y, colour }: { of: PictureReading; y: number; colour: string }) {
  const x = (i: number) => 280 * Math.min(1, Math.max(0, tones[i] ?? 0));
  return (
    <g stroke={colour} fill={colour}>
      <path d={`M${x(0)} ${y}H${x(6)}`} strokeWidth={1} />
      <path d={`M${x(2)} ${y}H${x(4)}`} strokeWidth={5} />
      <path d={`M${x(0)} ${y - 5}V${y + 5}M${x(6)} ${y - 5}V${y + 5}`} strokeWidth={1.5} />
      <circle cx={x(3)} cy={y} r={4} stroke="var(--color-wall)" />
    </g>
  );
}

/** A way from the tint of darks over that of middles to that of lights, larger dots for lighter ones. */
function Tints({ of, colour }: { of: PictureReading; colour: (hue: number, i: number) => string }) {
  const there = of.ranges.map((r, i) => ({ ...r, i })).filter((r) => r.share >= 0.01);
  const at = (r: { tint: number[] }) => [(r.tint[0] ?? 0) / SPAN, -(r.tint[1] ?? 0) / SPAN] as const;
  return (
    <g>
      <path d={there.map((r, k) => `${k ? "L" : "M"}${at(r).join(" ")}`).join("")} fill="none" stroke={colour(0, 0).startsWith("var") ? colour(0, 0) : "var(--color-dim)"} strokeWidth={0.02} />
      {there.map((r) => {
        const [x, y] = at(r);
        const hue = (Math.atan2(r.tint[1] ?? 0, r.tint[0] ?? 0) * 180) / Math.PI;
        return <circle key={r.i} cx={x} cy={y} r={0.05 + 0.03 * r.i} fill={colour(hue, r.i)} stroke="var(--color-pit)" strokeWidth={0.02} />;
      })}
    </g>
  );
}

function saturation(of: PictureReading): string {
  const points = of.saturation.flatMap((v, i) => (v === null ? [] : [[(i + 0.5) / 8, 1 - Math.min(1, v / 0.2)]]));
  return points.map(([x, y], k) => `${k ? "L" : "M"}${(x ?? 0).toFixed(4)} ${(y ?? 0).toFixed(4)}`).join("");
}
