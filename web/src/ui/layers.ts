/** What lies over the page: menus and lists have a landmark of their own, and what is behind them takes no focus. */
import { useLayoutEffect, type RefObject } from "react";

/** The landmark that menus and lists open in. Tests draw components without a page: then it is the body. */
export function layer(): HTMLElement | undefined {
  return document.getElementById("layers") ?? undefined;
}

/** Takes the focus from everything behind an open layer, for as long as it is open. */
export function useFront(front: RefObject<HTMLElement | null>): void {
  useLayoutEffect(() => {
    const own = front.current;
    // A list that is not open keeps its items beside the page.
    if (!own?.isConnected) return;
    const behind = [...document.querySelectorAll<HTMLElement>("#root, body > [role=dialog]")].filter((e) => !e.contains(own) && !e.inert);
    for (const e of behind) e.inert = true;
    return () => {
      for (const e of behind) e.inert = false;
    };
  }, [front]);
}
