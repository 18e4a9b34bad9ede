/** Stocks as cards, each shown on the shot in hand within the path in hand; resting on one tries it on the picture. */
import { useEffect, useMemo, useRef } from "react";
import type { NegativeStock, Path, PrintStock, Step } from "../../data/client";
import type { Thumbnail } from "../../preview/preview";
import { CardPicture, useCards } from "../../preview/cards";
import { useSession } from "../../session/session";
import { changeStep, useWork } from "../../document/work";

type Stock = NegativeStock | PrintStock;

/** Width of a card's picture. */
const WIDTH = 112;
/** Time after a change until the cards are asked for anew, so that the picture itself comes first. */
const PAUSE = 250;

/** The path in hand with another stock in a step. */
function withStock(path: Path, step: string, stock: Stock): Path {
  const put = (s: Step): Step => (s.id === step ? ({ ...s, values: { ...s.values, stock } } as unknown as Step) : s);
  return { ...path, steps: path.steps.map(put) };
}

export function StockCards({ step, kind }: { step: Extract<Step, { kind: "negative" | "print" }>; kind: "negative" | "print" }) {
  const stocks = useSession((s) => s.stocks);
  const own = step.values.stock as Stock;
  const all = useMemo(() => {
    const listed: Stock[] = (kind === "negative" ? stocks?.negatives : stocks?.prints) ?? [];
    const there = listed.some((s) => s.name === own.name);
    return there ? listed : [...listed, own];
  }, [stocks, kind, own]);
  const set = useSession((s) => s.set);
  const path = useWork((s) => s.document?.path);
  const dragging = useWork((s) => s.dragging);
  // Anew when the path has come to rest.
  const paths = useMemo(() => (path && !dragging ? all.map((s) => withStock(path, step.id, s)) : null), [path, dragging, all, step.id]);
  const pictures = useCards(paths, WIDTH, PAUSE);
  useEffect(() => () => useSession.getState().set({ trying: null }), []);
  const attempt = (stock: Stock | null) => {
    const path = useWork.getState().document?.path;
    set({ trying: stock && path && stock.name !== own.name ? { name: stock.name, path: withStock(path, step.id, stock) } : null });
  };
  const take = (stock: Stock) => {
    set({ trying: null });
    changeStep(step.id, `${kind === "negative" ? "Negative" : "Print"} on ${stock.name}`, (found) => {
      (found.values as { stock: Stock }).stock = structuredClone(stock);
    });
  };
  const list = useRef<HTMLDivElement>(null);
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowDown: 2, ArrowLeft: -1, ArrowUp: -2 }[e.key];
    if (by === undefined) return;
    const cards = [...(list.current?.querySelectorAll("button") ?? [])];
    const at = cards.indexOf(document.activeElement as HTMLButtonElement);
    cards[Math.min(cards.length - 1, Math.max(0, at + by))]?.focus();
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <div
      ref={list}
      role="radiogroup"
      aria-label="Stock"
      onKeyDown={keys}
      onPointerLeave={() => attempt(null)}
      onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && attempt(null)}
      className="-mr-1 grid w-[180px] shrink-0 grid-cols-2 content-start gap-x-1.5 gap-y-1 overflow-y-auto pr-1"
    >
      {all.map((stock, i) => (
        <Card key={stock.name} stock={stock} picture={pictures.get(i)} taken={stock.name === own.name} onTry={() => attempt(stock)} onTake={() => take(stock)} />
      ))}
    </div>
  );
}

function Card({ stock, picture, taken, onTry, onTake }: { stock: Stock; picture: Thumbnail | undefined; taken: boolean; onTry: () => void; onTake: () => void }) {
  return (
    <button
      type="button"
      role="radio"
      aria-checked={taken}
      data-stock={stock.name}
      title={stock.line}
      onPointerEnter={onTry}
      onFocus={onTry}
      onClick={onTake}
      className="flex min-w-0 flex-col text-left"
    >
      <CardPicture picture={picture} size={[WIDTH, 63]} className={`h-[48px] ${taken ? "border-lantern" : "border-transparent"}`} />
      <span className={`w-full truncate ${taken ? "text-bright" : "text-dim"}`}>{stock.name}</span>
    </button>
  );
}
