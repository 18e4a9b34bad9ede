/** The page: opens the production, drives the preview, listens to the keys that work everywhere. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "./api/client";
import { preview } from "./api/preview";
import { Header } from "./Header";
import { BalancePlace } from "./places/balance/BalancePlace";
import { FootagePlace } from "./places/footage/FootagePlace";
import { HandoffPlace } from "./places/handoff/HandoffPlace";
import { LookPlace } from "./places/look/LookPlace";
import { Shelf } from "./shelf/Shelf";
import { rowOf, useSession, type Place } from "./state/session";
import { useComparison, usePreview } from "./state/showing";
import { useKeys } from "./state/keys";
import { useWork } from "./state/work";
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
      <Shelf />
      <Notice />
    </div>
  );
}

/** What listens without being seen: apart, so that a drag does not draw the whole page anew. */
function Drive() {
  usePreview();
  useComparison();
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
      const [catalogue, encodings, scopes, productions, rangeFields, stockFields] = await Promise.all([
        api.catalogue(),
        api.encodings(),
        api.scopes(),
        api.productions(),
        api.rangeFields(),
        api.stockFields(),
      ]);
      const wanted = new URLSearchParams(location.search);
      const first = productions.find((p) => p.id === wanted.get("production")) ?? productions[0];
      if (!first) return false;
      const [production, looks, stocks] = await Promise.all([api.production(first.id), api.looks(first.id), api.stocks(first.id)]);
      const shots = rowOf(production);
      const shot = shots.find((s) => s.name === wanted.get("shot")) ?? shots[0];
      const place = PLACES.find((p) => p === wanted.get("place")) ?? "look";
      useSession.getState().set({ catalogue, encodings, scopes, rangeFields, stockFields, stocks, production, shot: shot?.id ?? null, place });
      const look = looks.find((l) => l.name === wanted.get("look")) ?? looks[0];
      if (look) await useWork.getState().load(look.id);
      if (place === "balance" && shot) await useWork.getState().loadTrim(shot.id, shot.name);
      preview.open();
      return true;
    },
  });
}

const PLACES: Place[] = ["footage", "balance", "look", "handoff"];

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
