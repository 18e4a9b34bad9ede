/** The Shelf: boards of references, starting looks, own looks and favourite steps, each shown on the shot in hand. */
import { LOOK_VERSION } from "../data/constants";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { produce } from "immer";
import { api, type Field, type KindInfo, type Look, type NegativeStock, type Path, type PrintStock, type ShelfItem, type Step, type Stocks } from "../data/client";
import type { Thumbnail } from "../preview/preview";
import { CardPicture, useCards } from "../preview/cards";
import { applying, freshStep, inserting, make, type Ready } from "../commands/commands";
import { withFilm } from "../commands/film";
import { say, told, useSession } from "../session/session";
import { useWork } from "../document/work";
import { Button, TextField } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { Boards, boardsOf, pasteReference, type Pinned } from "./Boards";
import { StillPanel } from "./StillPanel";
import { TablePanel } from "./TablePanel";

const STRENGTH = {
  id: "strength",
  title: "Strength",
  help: "Share of the look that is added",
  unit: "percent",
  type: "number",
  min: 0,
  max: 1,
  default: 1,
  nudge: 0.05,
} as const satisfies Field;

/** Width of a card's picture, in pixels of the server's. */
const WIDTH = 176;

export function Shelf() {
  const open = useSession((s) => s.shelf);
  return open ? <Drawer /> : null;
}

/** The path that a card shows: the thing itself. */
function shownBy(item: ShelfItem): Path {
  if (item.kind === "starting" || item.kind === "look") return item.document.path;
  const tried = item.document.path.steps;
  return { groups: [], steps: withFilm(tried.filter((s) => s.zone !== "film"), tried.filter((s) => s.zone === "film")) };
}

/** Film stocks as cards: each as the film that it makes, a negative on the neutral print or a print of the main negative. */
function stockItems(stocks: Stocks | null, catalogue: KindInfo[]): ShelfItem[] {
  const step = (kind: string, stock: NegativeStock | PrintStock) => {
    const info = catalogue.find((k) => k.kind === kind);
    const fresh = info && freshStep(info, "film");
    return fresh ? [{ ...fresh, id: `${kind} ${stock.name}`, values: { ...fresh.values, stock } } as unknown as Step] : [];
  };
  const item = (kind: string, shelf: string) => (stock: NegativeStock | PrintStock) => ({
    id: `stock ${stock.name}`,
    kind: "stock",
    shelf,
    document: { version: LOOK_VERSION, name: stock.name, notes: stock.line, tags: ["film", "stock"], path: { steps: step(kind, stock) } },
  });
  return [...(stocks?.negatives ?? []).map(item("negative", "Film stocks: negatives")), ...(stocks?.prints ?? []).map(item("print", "Film stocks: prints"))];
}

/** What putting a stock into the path would do: into its negative or print where it has one, else as a new step. */
function loading(item: ShelfItem): Ready | null {
  const fresh = item.document.path.steps[0];
  if (!fresh || (fresh.kind !== "negative" && fresh.kind !== "print")) return null;
  const there = useWork.getState().document?.path.steps.find((s) => s.kind === fresh.kind);
  if (!there) return inserting(`Add ${item.document.name} with`, { steps: [fresh], groups: [] }, true);
  const change = (draft: Look) => {
    const found = draft.path.steps.find((s) => s.id === there.id);
    if (found) Object.assign(found.values, { stock: structuredClone(fresh.values.stock) });
  };
  return { label: `Film on ${item.document.name}`, change, select: there.id };
}

/** What taking a thing from the Shelf would do to the document in hand: what is previewed is exactly that. */
function taking(item: ShelfItem, strength: number, replace: boolean): Ready | null {
  const { name, path } = item.document;
  if (item.kind === "stock") return loading(item);
  if (item.kind === "steps") return inserting(`Add ${name} with`, { steps: path.steps, groups: path.groups ?? [] }, true);
  return applying(name, path, strength, replace);
}

function Drawer() {
  const set = useSession((s) => s.set);
  const place = useSession((s) => s.place);
  const production = useSession((s) => s.production);
  const client = useQueryClient();
  const [words, setWords] = useState("");
  const [strength, setStrength] = useState(1);
  const [taken, setTaken] = useState<string | null>(null);
  const [tried, setTried] = useState<ShelfItem | null>(null);
  const [mode, setMode] = useState<"add" | "replace">("add");
  const [pinned, setPinned] = useState<Pinned>(null);
  const boards = boardsOf(production?.scenes);
  const still = pinned?.kind === "still" ? boards.flatMap((b) => b.shots).find((x) => x.id === pinned.id) : undefined;
  const table = pinned?.kind === "table" ? boards.flatMap((b) => b.tables).find((x) => x.id === pinned.id) : undefined;
  // A picture on the clipboard becomes a reference; steps that were copied are pasted by their own key.
  useEffect(() => {
    const paste = (e: ClipboardEvent) => {
      const typing = e.target instanceof Element && e.target.closest("input, textarea, [role=dialog]");
      if (!typing) told(pasteReference(e.clipboardData));
    };
    window.addEventListener("paste", paste);
    return () => window.removeEventListener("paste", paste);
  }, []);
  const found = useQuery({ queryKey: ["shelf"], queryFn: api.shelf });
  const own = useWork((s) => s.document?.path);
  const stocks = useSession((s) => s.stocks);
  const catalogue = useSession((s) => s.catalogue);
  const films = useMemo(() => (place === "look" ? stockItems(stocks, catalogue) : []), [place, stocks, catalogue]);
  const items = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
    const text = (i: ShelfItem) => `${i.document.name} ${i.document.notes} ${i.document.tags.join(" ")} ${i.shelf}`.toLowerCase();
    return [...(found.data ?? []), ...films].filter((i) => wanted.every((w) => text(i).includes(w)));
  }, [found.data, films, words]);
  const paths = useMemo(() => items.map(shownBy), [items]);
  const pictures = useCards(paths, WIDTH);
  const item = items.find((i) => i.id === taken);
  const whole = item !== undefined && item.kind !== "steps" && item.kind !== "stock";
  const working = place === "look" || place === "balance";

  const replace = mode === "replace" && place === "look";
  // What is tried, at the strength that is shown, on the document as it is now.
  useEffect(() => {
    const document = useWork.getState().document;
    const ready = tried && working && document ? taking(tried, strength, replace) : null;
    set({ trying: ready && document && tried ? { name: tried.document.name, path: produce(document, (draft) => void ready.change(draft)).path } : null });
  }, [tried, strength, replace, working, own, set]);
  useEffect(() => () => useSession.getState().set({ trying: null }), []);

  const take = async (i: ShelfItem) => {
    setTried(null);
    set({ trying: null });
    const { name } = i.document;
    if (!useWork.getState().document) {
      // A production without a look gets one of what was taken.
      if (!production) return;
      try {
        const made = await api.createLook(production.id, name, i.kind === "starting" || i.kind === "look" ? i.document : undefined);
        await useWork.getState().load(made.id);
        await client.invalidateQueries({ queryKey: ["looks"] });
        const rest = i.kind === "steps" || i.kind === "stock" ? taking(i, strength, false) : null;
        if (rest) make(rest);
        say(`New look “${name}”.`);
      } catch (e) {
        say(e);
      }
      return;
    }
    const ready = taking(i, strength, replace);
    if (!ready) {
      say("A trim takes steps of the Scene zone only.");
      return;
    }
    make(ready);
    const words = i.kind === "stock" ? `The film is on “${name}” now.` : replace ? `“${name}” is the look now.` : `“${name}” was added.`;
    say(words, { label: "Undo", run: () => useWork.getState().undo() });
  };
  const remove = async (i: ShelfItem) => {
    try {
      await api.takeFromShelf(i.id);
      await client.invalidateQueries({ queryKey: ["shelf"] });
    } catch (e) {
      say(e);
    }
  };
  const list = useRef<HTMLDivElement>(null);
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowDown: 2, ArrowLeft: -1, ArrowUp: -2 }[e.key];
    if (by === undefined) return;
    const at = items.findIndex((i) => i.id === taken);
    const next = items[Math.min(items.length - 1, Math.max(0, at < 0 ? 0 : at + by))];
    if (next) {
      list.current?.querySelector<HTMLButtonElement>(`[data-card="${CSS.escape(next.id)}"]`)?.focus();
      setTaken(next.id);
      setTried(next);
    }
    e.preventDefault();
    e.stopPropagation();
  };
  const shelves = [...new Set(items.map((i) => i.shelf))];
  return (
    <aside aria-label="Shelf" className="flex w-[312px] shrink-0 flex-col border-l border-edge bg-wall">
      <header className="flex items-center gap-2 p-3">
        <TextField label="Search the Shelf" placeholder="name, word, tag" value={words} onChange={(e) => setWords(e.target.value)} className="flex-1" />
        <Button kind="quiet" aria-label="Close the Shelf" onClick={() => set({ shelf: false })}>
          ×
        </Button>
      </header>
      <div
        ref={list}
        onKeyDown={keys}
        onPointerLeave={() => setTried(items.find((i) => i.id === taken) ?? null)}
        onBlur={(e) => !e.currentTarget.closest("aside")?.contains(e.relatedTarget) && setTried(null)}
        className="min-h-0 flex-1 overflow-y-auto px-3"
      >
        <Boards
          words={words.toLowerCase().split(/\s+/).filter(Boolean)}
          pinned={pinned}
          onPin={(to) => {
            setPinned(to);
            setTaken(null);
            setTried(null);
          }}
        />
        {found.isPending && <p className="text-faint">Loading the Shelf…</p>}
        {found.isError && <p className="text-alarm">{found.error.message}</p>}
        {found.data && items.length === 0 && <p className="text-faint">Nothing on the Shelf has these words. Clear the search to see everything.</p>}
        {shelves.map((shelf) => (
          <section key={shelf} aria-label={shelf} className="pb-3">
            <h3 className="pb-1 text-dim">{shelf}</h3>
            <div className="grid grid-cols-2 gap-2">
              {items.map((i, k) =>
                i.shelf === shelf ? (
                  <Card
                    key={i.id}
                    item={i}
                    picture={pictures.get(k)}
                    taken={i.id === taken}
                    onTry={() => setTried(i)}
                    onTake={() => {
                      setPinned(null);
                      setTaken(i.id);
                      setTried(i);
                    }}
                  />
                ) : null,
              )}
            </div>
          </section>
        ))}
      </div>
      <footer className="flex flex-col gap-1.5 border-t border-pit p-3">
        {still ? (
          <StillPanel key={still.id} still={still} onGone={() => setPinned(null)} />
        ) : table ? (
          <TablePanel key={table.id} table={table} onGone={() => setPinned(null)} />
        ) : item ? (
          <>
            <span className="text-value text-bright">{item.document.name}</span>
            <span className="min-h-4 text-dim">{item.document.notes}</span>
            <div className="flex flex-wrap items-end gap-2">
              {whole && (
                <>
                  <div role="radiogroup" aria-label="How it is taken" className="flex w-full rounded bg-shelf">
                    {(["add", "replace"] as const).map((m) => (
                      <button
                        key={m}
                        type="button"
                        role="radio"
                        aria-checked={mode === m}
                        disabled={m === "replace" && place !== "look"}
                        onClick={() => {
                          setMode(m);
                          setTried(item);
                        }}
                        className={`h-6 flex-1 rounded px-2 disabled:opacity-40 ${mode === m ? "bg-edge text-bright" : "text-dim hover:text-bright"}`}
                      >
                        {m === "add" ? "added as a group" : "in place of the look"}
                      </button>
                    ))}
                  </div>
                  <div className="w-full">
                    <NumberField
                      field={STRENGTH}
                      value={strength}
                      zone="scene"
                      onChange={(v) => {
                        setStrength(v);
                        setTried(item);
                      }}
                      onEnd={() => undefined}
                    />
                  </div>
                </>
              )}
              <span className="flex-1" />
              {item.kind !== "starting" && item.kind !== "stock" && (
                <Button kind="quiet" onClick={() => told(remove(item))}>
                  Remove from the Shelf
                </Button>
              )}
              <Button kind="main" disabled={!working || (!own && place !== "look")} onClick={() => told(take(item))}>
                {!own ? "New look of it" : item.kind === "stock" ? "Put into the film" : item.kind === "steps" ? "Add steps" : replace ? "Replace the look" : "Add as a group"}
              </Button>
            </div>
          </>
        ) : (
          <span className="text-faint">Rest on a card to preview it on the picture, press it to select it. Arrow keys go from card to card.</span>
        )}
      </footer>
    </aside>
  );
}

function Card({ item, picture, taken, onTry, onTake }: { item: ShelfItem; picture: Thumbnail | undefined; taken: boolean; onTry: () => void; onTake: () => void }) {
  return (
    <button
      type="button"
      data-card={item.id}
      aria-pressed={taken}
      title={item.document.notes}
      onPointerEnter={onTry}
      onFocus={onTry}
      onClick={onTake}
      className="flex flex-col gap-0.5 text-left"
    >
      <CardPicture picture={picture} size={[WIDTH, 99]} className={`h-[82px] ${taken ? "border-lantern" : "border-transparent"}`} />
      <span className={`w-full truncate ${taken ? "text-bright" : "text-dim"}`}>{item.document.name}</span>
    </button>
  );
}
