/** What the preview is asked for: the picture that the stores describe, what stands beside it, and the row. */
import { useEffect } from "react";
import { api, type Path } from "../data/client";
import { MONITOR, preview, type Seen } from "../preview/preview";
import { playFrom } from "../places/balance/play";
import { countsFor } from "../instruments/registry";
import { useInstruments } from "../session/instruments";
import { comparedPath } from "../picture/compared";
import { loupePart } from "../picture/loupe";
import { isShown, rowOf, say, shotInHand, shotsOf, told, useSession } from "../session/session";
import { UNTOUCHED, useWork } from "../document/work";

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

/** A path without the step or the group in hand. */
function without(path: Path, id: string | null, what: "step" | "group"): Path {
  const group = path.steps.find((s) => s.id === id)?.group ?? id;
  const goes = (s: Path["steps"][number]) => (what === "step" ? s.id === id || s.group === id : s.group !== undefined && s.group === group);
  return { ...path, steps: path.steps.map((s) => (goes(s) ? { ...s, on: false } : s)) };
}

/** The path that a held key or a trial shows in place of one's own. */
function shownPath(own: Path, version: Path | null): Path {
  const { held, trying } = useSession.getState();
  const { step } = useWork.getState();
  if (held === "untouched") return UNTOUCHED;
  if (held === "version" && version) return version;
  if (held === "step" || held === "group") return without(own, step, held);
  return trying?.path ?? own;
}

/** The picture that the stores describe; null while there is none. */
function seenNow(version: Path | null): { seen: Seen; own: Path } | null {
  const { kind, id, document, step } = useWork.getState();
  const { shot, frame, place } = useSession.getState();
  const { show, area, view, display } = useInstruments.getState();
  if (!shot) return null;
  const balance = place === "balance";
  // Until the shot's own trim is in the hand, the one that is kept stands for it.
  const trimming = balance && kind === "trim" && id === shot && document;
  const own = trimming ? document.path : place === "look" && kind === "look" && document ? document.path : UNTOUCHED;
  const working = balance || place === "look";
  const seen: Seen = {
    shot,
    frame,
    path: shownPath(own, version),
    // Beneath a look lies the kept trim; a trim that is being worked on is the path itself.
    trim: trimming ? UNTOUCHED : null,
    show: working ? show : "picture",
    matteOf: working ? step : null,
    part: working ? view : null,
    display: working ? display : MONITOR,
    counts: countsFor(place, area),
  };
  return { seen, own };
}

/** Whether the step or group in hand wants the population of hues that it is given. */
function wantsHues(step: string | null): boolean {
  const path = useWork.getState().document?.path;
  const found = path?.steps.find((s) => s.id === step);
  const region = found ? found.region : path?.groups?.find((g) => g.id === step)?.region;
  return !!region || found?.kind === "hue-curves" || found?.kind === "colour-families";
}

/** What stands beside the picture in hand: a second shot in Balance, what the look is compared against elsewhere. */
function besideNow(seen: Seen, against: Path | null): Seen | null {
  const { place } = useSession.getState();
  const { beside, areaBeside, against: other } = useInstruments.getState();
  const plain = { ...seen, path: UNTOUCHED, trim: null, matteOf: null };
  if (place === "balance" && beside) {
    return { ...plain, shot: beside.shot, frame: null, part: null, counts: countsFor(place, areaBeside) };
  }
  if (place !== "look" || !other) return null;
  const base: Seen = { ...plain, show: "picture", counts: countsFor(place, areaBeside) };
  switch (other.kind) {
    case "untouched":
      // The shot as it came: without its trim too.
      return { ...base, trim: UNTOUCHED };
    case "plain":
      return base;
    case "reference":
      return { ...base, shot: other.shot, frame: null, part: null };
    default:
      return against ? { ...base, path: against } : null;
  }
}

/**
 * Sends every change of path, shot, frame, step, scopes or held key to the preview. From the stores, not from a
 * render: the request is on its way before the page begins to draw the change.
 */
export function usePreview(): void {
  useEffect(() => {
    let version: Path | null = null;
    let sent = "";
    let work: Path | null = null;
    let other: Path | null = null;
    const send = () => {
      const now = seenNow(version);
      if (!now) return;
      const { seen, own } = now;
      const { step, dragging } = useWork.getState();
      const { production, place, playing } = useSession.getState();
      const { beside, areaBeside, against, pins, wave, zoom, loupe, centre } = useInstruments.getState();
      const quick = dragging || playing;
      const huesOf = wantsHues(step) ? step : null;
      const rest = { ...seen, path: null, step, huesOf, place, quick, beside, areaBeside, against, wave, zoom, loupe: loupe && centre };
      const key = JSON.stringify([rest, production?.scenes.map((s) => [s.id, s.shots.map((x) => [x.id, x.encoding, x.frames, x.trim_revision])])]);
      if (key === sent && work === seen.path && other === comparedPath()) return;
      [sent, work, other] = [key, seen.path, comparedPath()];
      const inHand = seen.path.steps.some((s) => s.id === step) ? step : null;
      const there = inHand ?? (seen.path.groups?.some((g) => g.id === step) ? step : null);
      const all = place === "footage" ? shotsOf(production).filter(isShown) : rowOf(production);
      preview.show(
        {
          ...seen,
          own,
          step: inHand,
          huesOf: there && huesOf,
          row: all.map((s) => s.id),
          rowOnly: place === "footage",
          // Footage shows all of them, from the top.
          rowFirst: place === "footage" ? 0 : Math.max(0, all.findIndex((s) => s.id === seen.shot)),
          rowPath: place === "look" ? seen.path : UNTOUCHED,
          beside: besideNow(seen, comparedPath()),
          loupe: place === "look" && loupe ? loupePart() : null,
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
        if (now.held === "version" && before.held !== "version" && id && kind === "look") told(fetchLast(id));
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
