/** The page: opens the production, drives the preview, listens to the keys that work everywhere. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type Path } from "./api/client";
import { preview, type Seen } from "./api/preview";
import { Header } from "./Header";
import { BalancePlace } from "./places/balance/BalancePlace";
import { playFrom } from "./places/balance/play";
import { cut } from "./places/balance/Toolbar";
import { FootagePlace } from "./places/footage/FootagePlace";
import { HandoffPlace } from "./places/handoff/HandoffPlace";
import { LookPlace } from "./places/look/LookPlace";
import { countsFor, useInstruments } from "./state/instruments";
import { isShown, rowOf, say, shotInHand, shotsOf, useSession, type Held, type Place } from "./state/session";
import { UNTOUCHED, useWork } from "./state/work";
import { Button } from "./ui/controls";

export function App() {
  const start = useStart();
  const place = useSession((s) => s.place);
  if (start.isError) {
    return (
      <div role="alert" className="flex h-full flex-col items-center justify-center gap-3 text-value">
        <p className="text-bright">Dusky Lantern could not open the production.</p>
        <p className="text-dim">{start.error.message}</p>
        <Button onClick={() => void start.refetch()}>Try again</Button>
      </div>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <Drive />
      <Header />
      <Away />
      {start.isPending ? (
        <p className="flex flex-1 items-center justify-center text-faint">Opening the production…</p>
      ) : start.data === false ? (
        <p className="flex flex-1 items-center justify-center text-dim">
          There is no production in this data folder. Start the server with --demo for the demo production.
        </p>
      ) : place === "footage" ? (
        <FootagePlace />
      ) : place === "balance" ? (
        <BalancePlace />
      ) : place === "look" ? (
        <LookPlace />
      ) : (
        <HandoffPlace />
      )}
      <Notice />
    </div>
  );
}

/** What listens without being seen: apart, so that a drag does not draw the whole page anew. */
function Drive() {
  usePreview();
  useKeys();
  return null;
}

/** Opens a production, its catalogue, and its first look. `false` where there is none. */
function useStart() {
  return useQuery({
    queryKey: ["start"],
    staleTime: Infinity,
    retry: 1,
    queryFn: async () => {
      const [catalogue, encodings, scopes, productions] = await Promise.all([
        api.catalogue(),
        api.encodings(),
        api.scopes(),
        api.productions(),
      ]);
      const wanted = new URLSearchParams(location.search);
      const first = productions.find((p) => p.id === wanted.get("production")) ?? productions[0];
      if (!first) return false;
      const [production, looks] = await Promise.all([api.production(first.id), api.looks(first.id)]);
      const shots = rowOf(production);
      const shot = shots.find((s) => s.name === wanted.get("shot")) ?? shots[0];
      const place = PLACES.find((p) => p === wanted.get("place")) ?? "look";
      useSession.getState().set({ catalogue, encodings, scopes, production, shot: shot?.id ?? null, place });
      const look = looks.find((l) => l.name === wanted.get("look")) ?? looks[0];
      if (look) await useWork.getState().load(look.id);
      if (place === "balance" && shot) await useWork.getState().loadTrim(shot.id, shot.name);
      preview.open();
      return true;
    },
  });
}

const PLACES: Place[] = ["footage", "balance", "look", "handoff"];

/** The document that belongs in the hand: the shot's trim in Balance, else the look that was there last. */
async function takeWork() {
  const session = useSession.getState();
  const { kind, id, look, load, loadTrim } = useWork.getState();
  const shot = shotInHand(session);
  if (session.place === "balance") {
    if (shot && (kind !== "trim" || id !== shot.id)) await loadTrim(shot.id, shot.name);
  } else if (look && kind !== "look") {
    await load(look.id);
  }
}

/** The picture that the stores describe; null while there is none. */
function seenNow(version: Path | null): Seen | null {
  const { kind, id, document } = useWork.getState();
  const { shot, frame, held, place } = useSession.getState();
  const { show, area } = useInstruments.getState();
  if (!shot) return null;
  const balance = place === "balance";
  // Until the shot's own trim is in the hand, the one that is kept stands for it.
  const trimming = balance && kind === "trim" && id === shot && document;
  const own = trimming ? document.path : place === "look" && kind === "look" && document ? document.path : UNTOUCHED;
  const path = held === "untouched" ? UNTOUCHED : held === "version" && version ? version : own;
  return {
    shot,
    frame,
    path,
    // Beneath a look lies the kept trim; a trim that is being worked on is the path itself.
    trim: trimming ? UNTOUCHED : null,
    show: balance || place === "look" ? show : "picture",
    counts: countsFor(place, area),
  };
}

/**
 * Sends every change of path, shot, frame, step, scopes or held key to the preview. From the stores, not from a
 * render: the request is on its way before the page begins to draw the change.
 */
function usePreview() {
  useEffect(() => {
    let version: Path | null = null;
    let sent = "";
    let work: Path | null = null;
    const send = () => {
      const seen = seenNow(version);
      if (!seen) return;
      const { step, dragging } = useWork.getState();
      const { production, place, playing } = useSession.getState();
      const { beside, areaBeside, pins, wave, zoom } = useInstruments.getState();
      const quick = dragging || playing;
      const rest = { ...seen, path: null, step, place, quick, beside, areaBeside, wave, zoom };
      const key = JSON.stringify([rest, production?.scenes.map((s) => [s.id, s.shots.map((x) => [x.id, x.encoding, x.frames, x.trim_revision])])]);
      if (key === sent && work === seen.path) return;
      [sent, work] = [key, seen.path];
      const inHand = seen.path.steps.some((s) => s.id === step) ? step : null;
      const all = place === "footage" ? shotsOf(production).filter(isShown) : rowOf(production);
      preview.show(
        {
          ...seen,
          step: inHand,
          row: all.map((s) => s.id),
          rowPath: place === "look" ? seen.path : UNTOUCHED,
          beside:
            beside && place === "balance"
              ? { shot: beside.shot, frame: null, path: UNTOUCHED, trim: null, show: seen.show, counts: countsFor(place, areaBeside) }
              : null,
          places: pins,
        },
        quick,
      );
    };
    const fetchLast = async (id: string) => {
      const newest = (await api.versions(id))[0];
      if (newest) version = (await api.version(id, newest.number)).document.path;
      send();
    };
    const stops = [
      useWork.subscribe(send),
      useInstruments.subscribe(send),
      useSession.subscribe((now, before) => {
        const { id, kind } = useWork.getState();
        if (now.held !== before.held) version = null;
        if (now.held === "version" && before.held !== "version" && id && kind === "look") void fetchLast(id);
        if (now.place !== before.place || now.shot !== before.shot) void takeWork().catch(say);
        if (now.shot !== before.shot) useInstruments.getState().set({ area: null, pins: [] });
        if (now.playing && !before.playing) playFrom(now);
        send();
      }),
    ];
    send();
    return () => stops.forEach((stop) => stop());
  }, []);
}

const HOLD: Record<string, Held> = { a: "untouched", v: "version", g: "rest" };

/** Whether keys go into a text; sliders and boxes have keys of their own, but no letters. */
function typing(target: EventTarget | null): boolean {
  if (target instanceof HTMLInputElement) return target.type !== "range" && target.type !== "checkbox";
  return target instanceof HTMLTextAreaElement;
}

/** Goes to the next shot of the row, or the one before. */
function step(by: number) {
  const { production, shot, show } = useSession.getState();
  const row = rowOf(production);
  const next = row[row.findIndex((s) => s.id === shot) + by];
  if (next) show(next.id);
}

/** Sets in or out of a sequence at the frame that is looked at. */
function mark(end: "in_frame" | "out_frame") {
  const session = useSession.getState();
  const shot = shotInHand(session);
  if (shot && shot.frames > 1) cut({ [end]: session.frame ?? shot.poster });
}

/** Goes on or back by a frame. */
function turn(by: number) {
  const session = useSession.getState();
  const shot = shotInHand(session);
  if (!shot || shot.frames < 2) return;
  const frame = Math.min(shot.frames - 1, Math.max(0, (session.frame ?? shot.poster) + by));
  session.set({ frame, playing: false });
}

/** Keys that do the same in Balance and Look. */
const KEYS: Record<string, () => void> = {
  PageDown: () => step(1),
  PageUp: () => step(-1),
  f: () => {
    const { before, show } = useSession.getState();
    if (before) show(before);
  },
  i: () => mark("in_frame"),
  o: () => mark("out_frame"),
  ArrowLeft: () => turn(-1),
  ArrowRight: () => turn(1),
  p: () => {
    const session = useSession.getState();
    if ((shotInHand(session)?.frames ?? 0) > 1) session.set({ playing: !session.playing });
  },
};

function useKeys() {
  useEffect(() => {
    const set = useSession.getState().set;
    const down = (e: KeyboardEvent) => {
      const command = e.ctrlKey || e.metaKey;
      const key = e.key.toLowerCase();
      if (command && key === "z" && !typing(e.target)) {
        if (e.shiftKey) useWork.getState().redo();
        else useWork.getState().undo();
        e.preventDefault();
      } else if (command && key === "y" && !typing(e.target)) {
        useWork.getState().redo();
        e.preventDefault();
      } else if (e.key === "Escape") {
        useInstruments.getState().set({ tool: null });
      } else if (!command && !e.repeat && !typing(e.target) && HOLD[key]) {
        set({ held: HOLD[key] });
      } else if (!command && !e.defaultPrevented && !typing(e.target)) {
        const place = useSession.getState().place;
        const run = KEYS[e.key.length === 1 ? key : e.key];
        if (!run || (place !== "balance" && place !== "look")) return;
        run();
        e.preventDefault();
      }
    };
    const up = (e: KeyboardEvent) => {
      const held = HOLD[e.key.toLowerCase()];
      if (held && useSession.getState().held === held) set({ held: null });
    };
    const leave = () => set({ held: null });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", leave);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", leave);
    };
  }, []);
}

function Away() {
  const [online, setOnline] = useState(true);
  useEffect(() => preview.online.add(setOnline), []);
  if (online) return null;
  return (
    <div role="alert" data-away className="bg-alarm px-4 py-1 text-pit">
      The server does not answer. Your work is kept in this window and saved when it is back.
    </div>
  );
}

const NOTICE_TIME = 6000;

function Notice() {
  const notice = useSession((s) => s.notice);
  const action = useSession((s) => s.action);
  const set = useSession((s) => s.set);
  useEffect(() => preview.problems.add((detail) => set({ notice: detail })), [set]);
  useEffect(() => {
    if (!notice) return;
    const timer = window.setTimeout(() => set({ notice: "", action: null }), NOTICE_TIME);
    return () => window.clearTimeout(timer);
  }, [notice, set]);
  if (!notice) return null;
  return (
    <div
      role="status"
      data-notice
      className="fixed bottom-32 left-1/2 z-50 -translate-x-1/2 rounded border border-edge bg-shelf px-4 py-2 text-value text-bright shadow-xl"
    >
      {notice}
      {action && (
        <Button
          kind="quiet"
          className="ml-3 text-lantern"
          onClick={() => {
            set({ notice: "", action: null });
            action.run();
          }}
        >
          {action.label}
        </Button>
      )}
    </div>
  );
}
