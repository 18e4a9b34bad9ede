/** The Shelf: starting looks, own looks and favourite steps, each shown on the shot in hand. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, type Field, type Path, type ShelfItem } from "../api/client";
import { preview, type Thumbnail } from "../api/preview";
import { apply, insert } from "../places/look/commands";
import { say, useSession } from "../state/session";
import { useWork } from "../state/work";
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
  if (item.kind !== "steps") return item.document.path;
  const steps = [...(own?.steps ?? []), ...item.document.path.steps.map((s) => ({ ...s, id: `tried ${s.id}`, group: undefined }))];
  const order = { scene: 0, film: 1, screen: 2 };
  const film = steps.filter((s) => s.zone === "film");
  return { groups: own?.groups, steps: steps.filter((s) => s.zone !== "film" || s === film[0]).sort((a, b) => order[a.zone] - order[b.zone]) };
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
  const items = useMemo(() => {
    const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
    const text = (i: ShelfItem) => `${i.document.name} ${i.document.notes} ${i.document.tags.join(" ")} ${i.shelf}`.toLowerCase();
    return (found.data ?? []).filter((i) => wanted.every((w) => text(i).includes(w)));
  }, [found.data, words]);
  const pictures = useCards(items);
  const item = items.find((i) => i.id === taken);
  const working = place === "look" || place === "balance";

  const attempt = (i: ShelfItem | null) => {
    if (working) set({ trying: i && shownBy(i, useWork.getState().document?.path) });
  };
  useEffect(() => () => useSession.getState().set({ trying: null }), []);

  const take = (i: ShelfItem, inPlace: boolean) => {
    set({ trying: null });
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
              {item.kind !== "steps" && (
                <div className="w-full">
                  <NumberField field={STRENGTH} value={strength} zone="scene" onChange={(v) => setStrength(v)} onEnd={() => undefined} />
                </div>
              )}
              <span className="flex-1" />
              {item.kind !== "starting" && (
                <Button kind="quiet" onClick={() => void remove(item)}>
                  take off
                </Button>
              )}
              {item.kind !== "steps" && (
                <Button disabled={place !== "look" || !own} onClick={() => take(item, true)}>
                  In place of the path
                </Button>
              )}
              <Button kind="main" disabled={!working || !own} onClick={() => take(item, false)}>
                {item.kind === "steps" ? "Add" : "Add as a group"}
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

/** Pictures of the cards on the shot in hand, by the place in the list; they come one by one. */
function useCards(items: ShelfItem[]): Map<number, Thumbnail> {
  const shot = useSession((s) => s.shot);
  const frame = useSession((s) => s.frame);
  const [pictures, setPictures] = useState(new Map<number, Thumbnail>());
  useEffect(() => {
    if (!shot || items.length === 0) return;
    const seq = preview.askCards(shot, frame, items.map((i) => shownBy(i, undefined)), WIDTH);
    const fresh = new Map<number, Thumbnail>();
    return preview.cards.add((c) => {
      if (c.seq !== seq) return;
      fresh.set(c.thumbnail.index, c.thumbnail);
      setPictures(new Map(fresh));
    });
  }, [shot, frame, items]);
  return pictures;
}

function Card({ item, picture, taken, onTry, onTake }: { item: ShelfItem; picture: Thumbnail | undefined; taken: boolean; onTry: () => void; onTake: () => void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const c = canvas.current;
    if (!c || !picture) return;
    [c.width, c.height] = [picture.width, picture.height];
    c.getContext("2d")?.putImageData(new ImageData(picture.pixels, picture.width, picture.height), 0, 0);
    c.dataset.drawn = "true";
  }, [picture]);
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
      <canvas ref={canvas} width={176} height={99} aria-hidden className={`block h-[82px] w-full border-2 bg-pit object-contain ${taken ? "border-lantern" : "border-transparent"}`} />
      <span className={`w-full truncate ${taken ? "text-bright" : "text-dim"}`}>{item.document.name}</span>
    </button>
  );
}
