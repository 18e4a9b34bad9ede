/** Editing stocks. A stock that ships is never changed itself: the first change makes a copy under a name of its own. */
import type { NegativeStock, PrintStock, Step } from "../../data/client";
import { useSession } from "../../session/session";
import { changeStep } from "../../document/work";

type Stock = NegativeStock | PrintStock;

function ships(name: string): boolean {
  const { stocks } = useSession.getState();
  const all: Stock[] = [...(stocks?.negatives.slice(0, stocks.shipped_negatives) ?? []), ...(stocks?.prints.slice(0, stocks.shipped_prints) ?? [])];
  return all.some((s) => s.name === name);
}

/** Changes the stock of a step as it is now. */
export function changeStock<T extends Stock>(step: string, label: string, change: (stock: T) => void, gesture?: string): void {
  changeStep(
    step,
    label,
    (found: Step) => {
      const stock = (found.values as unknown as { stock: T }).stock;
      if (ships(stock.name)) stock.name = `${stock.name}, own`;
      change(stock);
    },
    gesture,
  );
}

/** Rows of a matrix sum to 1: the diagonal takes what its neighbours leave. */
export function setMix(rows: number[][], i: number, j: number, value: number): void {
  const row = rows[i];
  if (!row) return;
  row[j] = value;
  row[i] = 1 - row.reduce((sum, v, k) => (k === i ? sum : sum + v), 0);
}
