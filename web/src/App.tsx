/** The page: opens the production, drives the preview, listens to the keys that work everywhere. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type Path } from "./api/client";
import { preview } from "./api/preview";
import { Header } from "./Header";
import { FootagePlace } from "./places/footage/FootagePlace";
import { HandoffPlace } from "./places/handoff/HandoffPlace";
import { LookPlace } from "./places/look/LookPlace";
import { useLook } from "./state/look";
import { rowOf, useSession, type Held } from "./state/session";
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

/** Opens the first production, its catalogue, and its first look. `false` where there is none. */
function useStart() {
  return useQuery({
    queryKey: ["start"],
    staleTime: Infinity,
    retry: 1,
    queryFn: async () => {
      const [catalogue, encodings, productions] = await Promise.all([api.catalogue(), api.encodings(), api.productions()]);
      const first = productions[0];
      if (!first) return false;
      const [production, looks] = await Promise.all([api.production(first.id), api.looks(first.id)]);
      const wanted = new URLSearchParams(location.search);
      const shots = rowOf(production);
      const shot = shots.find((s) => s.name === wanted.get("shot")) ?? shots[0];
      useSession.getState().set({ catalogue, encodings, production, shot: shot?.id ?? null });
      const place = wanted.get("place");
      if (place === "handoff" || place === "footage") useSession.getState().set({ place });
      const look = looks.find((l) => l.name === wanted.get("look")) ?? looks[0];
      if (look) await useLook.getState().load(look.id);
      preview.open();
      return true;
    },
  });
}

/**
 * Sends every change of path, shot, step or held key to the preview. From the stores, not from a render: the
 * request is on its way before the page begins to draw the change.
 */
function usePreview() {
  useEffect(() => {
    let version: Path | null = null;
    let sent: unknown[] = [];
    const send = () => {
      const { document, step, dragging } = useLook.getState();
      const { shot, held, production, place } = useSession.getState();
      if (!document || !shot) return;
      // Footage is seen without any look.
      const path = held === "untouched" || place === "footage" ? UNTOUCHED : held === "version" && version ? version : document.path;
      const wanted = [path, shot, step, production, dragging, place];
      if (wanted.every((v, i) => v === sent[i])) return;
      sent = wanted;
      const inHand = path.steps.some((s) => s.id === step) ? step : null;
      preview.show({ shot, path, step: inHand, row: rowOf(production).map((s) => s.id) }, dragging);
    };
    const fetchLast = async (id: string) => {
      const newest = (await api.versions(id))[0];
      if (newest) version = (await api.version(id, newest.number)).document.path;
      send();
    };
    const stops = [
      useLook.subscribe(send),
      useSession.subscribe((now, before) => {
        const { id } = useLook.getState();
        if (now.held !== before.held) version = null;
        if (now.held === "version" && before.held !== "version" && id) void fetchLast(id);
        send();
      }),
    ];
    send();
    return () => stops.forEach((stop) => stop());
  }, []);
}

const UNTOUCHED: Path = { steps: [] };

const HOLD: Record<string, Held> = { a: "untouched", v: "version", g: "rest" };

function typing(target: EventTarget | null): boolean {
  return target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement;
}

function useKeys() {
  useEffect(() => {
    const set = useSession.getState().set;
    const down = (e: KeyboardEvent) => {
      const command = e.ctrlKey || e.metaKey;
      const key = e.key.toLowerCase();
      if (command && key === "z" && !typing(e.target)) {
        if (e.shiftKey) useLook.getState().redo();
        else useLook.getState().undo();
        e.preventDefault();
      } else if (command && key === "y" && !typing(e.target)) {
        useLook.getState().redo();
        e.preventDefault();
      } else if (e.key === "Escape") {
        set({ dropper: null });
      } else if (!command && !e.repeat && !typing(e.target) && HOLD[key]) {
        set({ held: HOLD[key] });
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
  const set = useSession((s) => s.set);
  useEffect(() => preview.problems.add((detail) => set({ notice: detail })), [set]);
  useEffect(() => {
    if (!notice) return;
    const timer = window.setTimeout(() => set({ notice: "" }), NOTICE_TIME);
    return () => window.clearTimeout(timer);
  }, [notice, set]);
  if (!notice) return null;
  return (
    <div
      role="status"
      className="fixed bottom-32 left-1/2 z-50 -translate-x-1/2 rounded border border-edge bg-shelf px-4 py-2 text-value text-bright shadow-xl"
    >
      {notice}
    </div>
  );
}
