/** The page: opens the production, drives the preview, listens to the keys that work everywhere. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../data/client";
import { preview } from "../preview/preview";
import { FirstNotes } from "./FirstNotes";
import { FirstVisit } from "./FirstVisit";
import { Header } from "./Header";
import { sayLater } from "./ProductionMenu";
import { KeysSheet } from "./KeysSheet";
import { EncodingDialog } from "../places/footage/EncodingDialog";
import { placeOf } from "../places/registry";
import { Shelf } from "../shelf/Shelf";
import { lookOf, readAddress, shotOf, useAddress } from "./address";
import { isShown, rowOf, shotsOf, told, useSession } from "../session/session";
import { StatusBar } from "./StatusBar";
import { usePreview } from "./showing";
import { useComparison } from "../picture/compared";
import { useKeys } from "./keys";
import { useWork } from "../document/work";
import { Button } from "../ui/controls";
import { keepFocus } from "../ui/focus";
import { Guarded } from "./Broken";
import { Conflict } from "./SaveState";

export function App() {
  const start = useStart();
  const place = useSession((s) => s.place);
  const { title, Component } = placeOf(place);
  if (start.isError) {
    return (
      <div role="alert" className="flex h-full flex-col items-center justify-center gap-3 text-value">
        <p className="text-bright">Dusky Lantern could not open the production.</p>
        <p className="text-dim">{start.error.message}</p>
        <Button onClick={() => told(start.refetch())}>Try again</Button>
      </div>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <Drive />
      <Header />
      <Away />
      <Conflict />
      {start.isPending ? (
        <p className="flex flex-1 items-center justify-center text-faint">Opening the production…</p>
      ) : start.data === false ? (
        <FirstVisit />
      ) : (
        <div className="flex min-h-0 flex-1">
          <Guarded what={title} of={place}>
            <Component />
          </Guarded>
          <Guarded what="The Shelf" of={place}>
            <Shelf />
          </Guarded>
        </div>
      )}
      {start.data && <FirstNotes key={place} place={place} />}
      <StatusBar />
      <KeysSheet />
      <Encode />
    </div>
  );
}

/** The dialog for encodings, wherever it was asked for. */
function Encode() {
  const shots = useSession((s) => s.encode);
  return shots && <EncodingDialog shots={shots} onClose={() => useSession.getState().set({ encode: null })} />;
}

/** What listens without being seen: apart, so that a drag does not draw the whole page anew. */
function Drive() {
  useEffect(() => keepFocus(), []);
  usePreview();
  useComparison();
  useKeys();
  useAddress();
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
      const wanted = readAddress(location.search);
      const first = productions.find((p) => p.id === wanted.production) ?? productions[0];
      if (!first) {
        sayLater();
        return false;
      }
      const [production, looks, stocks] = await Promise.all([api.production(first.id), api.looks(first.id), api.stocks(first.id)]);
      const shots = rowOf(production);
      const shot = shotsOf(production).find((s) => s.id === shotOf(production, wanted.shot) && isShown(s)) ?? shots[0];
      // A production without pictures begins where they come in.
      const place = wanted.place ?? (shots.length === 0 ? "footage" : "look");
      useSession.getState().set({ catalogue, encodings, scopes, rangeFields, stockFields, stocks, production, shot: shot?.id ?? null, place });
      const look = lookOf(looks, wanted.look) ?? looks[0]?.id;
      if (look) await useWork.getState().load(look);
      if (place === "balance" && shot) await useWork.getState().loadTrim(shot.id, shot.name);
      const { document, select } = useWork.getState();
      const there = [...(document?.path.steps ?? []), ...(document?.path.groups ?? [])].some((s) => s.id === wanted.step);
      if (there) select(wanted.step);
      preview.open();
      sayLater();
      return true;
    },
  });
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
