/** The Shelf: starting looks, own looks and favourite steps, each shown on the shot in hand. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, type Field, type KindInfo, type NegativeStock, type Path, type PrintStock, type ShelfItem, type Step, type Stocks } from "../api/client";
import type { Thumbnail } from "../api/preview";
import { CardPicture, useCards } from "../picture/cards";
import { apply, freshStep, insert } from "../places/look/commands";
import { withFilm } from "../places/look/film";
import { say, useSession } from "../state/session";
import { changeStep, useWork } from "../state/work";
import { Button, TextField } from "../ui/controls";
import { NumberField } from "../ui/NumberField";

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

/** The path that a card shows: a look as it is; favourite steps within one's own path. */
function shownBy(item: ShelfItem, own: Path | undefined): Path {
  if (item.kind === "starting" || item.kind === "look") return item.document.path;
  const tried = item.document.path.steps.map((s) => ({ ...s, id: `tried ${s.id}`, group: undefined }));
  const order = { scene: 0, film: 1, screen: 2 };
  const rest = [...(own?.steps ?? []), ...tried.filter((s) => s.zone !== "film")].sort((a, b) => order[a.zone] - order[b.zone]);
  return { groups: own?.groups, steps: withFilm(rest, tried.filter((s) => s.zone === "film")) };
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
    document: { version: 3, name: stock.name, notes: stock.line, tags: ["film", "stock"], path: { steps: step(kind, stock) } },
  });
  return [...(stocks?.negatives ?? []).map(item("negative", "Film stocks: negatives")), ...(stocks?.prints ?? []).map(item("print", "Film stocks: prints"))];
}

/** Puts a stock into the path: into its negative or print where it has one, else as a new step. */
function takeStock(item: ShelfItem): void {
  const fresh = item.document.path.steps[0];
  if (!fresh || (fresh.kind !== "negative" && fresh.kind !== "print")) return;
  const there = useWork.getState().document?.path.steps.find((s) => s.kind === fresh.kind);
  if (there) {
    changeStep(there.id, `Film on ${item.document.name}`, (found) => Object.assign(found.values, { stock: structuredClone(fresh.values.stock) }));
    useWork.getState().select(there.id);
  } else insert(`Add ${item.document.name} with`, { steps: [fresh], groups: [] });
  say(`The film is on ${item.document.name} now`);
}

function Drawer() {
  const set = useSession((s) => s.set);
  const place = useSession((s) => s.place);
  const client = useQueryClient();
  const [words, setWords] = useState("");
  const [strength, setStrength] = useState(1);
  const [taken, setTaken] = useState<string | null>(null);
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
  const paths = useMemo(() => items.map((i) => shownBy(i, undefined)), [items]);
  const pictures = useCards(paths, WIDTH);
  const item = items.find((i) => i.id === taken);
  const working = place === "look" || place === "balance";

  const attempt = (i: ShelfItem | null) => {
    if (working) set({ trying: i && shownBy(i, useWork.getState().document?.path) });
  };
  useEffect(() => () => useSession.getState().set({ trying: null }), []);

  const take = (i: ShelfItem, inPlace: boolean) => {
    set({ trying: null });
    if (i.kind === "stock") {
      takeStock(i);
      return;
    }
    if (i.kind === "steps") insert(`Add ${i.document.name} with`, { steps: i.document.path.steps, groups: i.document.path.groups ?? [] });
    else apply(i.document.name, i.document.path, strength, inPlace);
    say(inPlace ? `${i.document.name} is the path now; Ctrl Z goes back` : `${i.document.name} is in the path, as a group of its own`);
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
      attempt(next);
    }
    e.preventDefault();
    e.stopPropagation();
  };
  const shelves = [...new Set(items.map((i) => i.shelf))];
  return (
    <aside aria-label="Shelf" className="fixed top-10 right-0 bottom-0 z-10 flex w-[312px] flex-col border-l border-edge bg-wall shadow-xl">
      <header className="flex items-center gap-2 p-3">
        <TextField label="Search the Shelf" placeholder="name, word, tag" value={words} onChange={(e) => setWords(e.target.value)} className="flex-1" />
        <Button kind="quiet" aria-label="Close the Shelf" onClick={() => set({ shelf: false })}>
          ×
        </Button>
      </header>
      <div
        ref={list}
        onKeyDown={keys}
        onPointerLeave={() => attempt(null)}
        onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && attempt(null)}
        className="min-h-0 flex-1 overflow-y-auto px-3"
      >
        {found.isPending && <p className="text-faint">Fetching what lies on the Shelf…</p>}
        {found.isError && <p className="text-alarm">{found.error.message}</p>}
        {found.data && items.length === 0 && <p className="text-faint">Nothing on the Shelf has these words.</p>}
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
                    onTry={() => attempt(i)}
                    onTake={() => {
                      setTaken(i.id);
                      attempt(i);
                    }}
                  />
                ) : null,
              )}
            </div>
          </section>
        ))}
      </div>
      <footer className="flex flex-col gap-1.5 border-t border-pit p-3">
        {item ? (
          <>
            <span className="text-value text-bright">{item.document.name}</span>
            <span className="min-h-4 text-dim">{item.document.notes}</span>
            <div className="flex flex-wrap items-end gap-2">
              {item.kind !== "steps" && item.kind !== "stock" && (
                <div className="w-full">
                  <NumberField field={STRENGTH} value={strength} zone="scene" onChange={(v) => setStrength(v)} onEnd={() => undefined} />
                </div>
              )}
              <span className="flex-1" />
              {item.kind !== "starting" && item.kind !== "stock" && (
                <Button kind="quiet" onClick={() => void remove(item)}>
                  take off
                </Button>
              )}
              {item.kind !== "steps" && item.kind !== "stock" && (
                <Button disabled={place !== "look" || !own} onClick={() => take(item, true)}>
                  In place of the path
                </Button>
              )}
              <Button kind="main" disabled={!working || !own} onClick={() => take(item, false)}>
                {item.kind === "stock" ? "Into the film" : item.kind === "steps" ? "Add" : "Add as a group"}
              </Button>
            </div>
          </>
        ) : (
          <span className="text-faint">Rest on a card to try it on the picture, press it to take it in hand. Arrow keys go from card to card.</span>
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
