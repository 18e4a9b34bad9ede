/** The focus is never lost: where what had it goes, or can have it no more, it goes to what stands nearest around it. */

/** What had the focus last, and everything around it, from the inside out. */
let last: HTMLElement | null = null;
let around: HTMLElement[] = [];

const FOCUSABLE = "button:not([disabled]), [href], input:not([disabled]), textarea:not([disabled]), [tabindex]:not([tabindex='-1'])";

const usable = (e: HTMLElement) => e.isConnected && !e.closest("[inert], [aria-hidden=true]") && e.getClientRects().length > 0;

/** Where the focus goes instead. */
function nearest(): HTMLElement | undefined {
  for (const place of around) {
    if (!place.isConnected || place === document.body) continue;
    const found = [...place.querySelectorAll<HTMLElement>(FOCUSABLE)].find(usable);
    if (found) return found;
  }
  return [...document.querySelectorAll<HTMLElement>(`main ${FOCUSABLE.replaceAll(", ", ", main ")}`)].find(usable);
}

function check(): void {
  if (document.activeElement !== document.body || !last) return;
  // What was pressed beside everything lets go of the focus by will: what had it is still there.
  const lost = !last.isConnected || last.matches(":disabled");
  if (!lost || document.querySelector("[role=dialog], [role=menu], [role=listbox]")) return;
  nearest()?.focus({ preventScroll: true });
}

/** Watches over the focus for as long as the page lives; gives what ends that. */
export function keepFocus(): () => void {
  const took = (e: FocusEvent) => {
    // Dialogs and menus give the focus back by themselves, to what had it before them.
    if (!(e.target instanceof HTMLElement) || e.target.closest("[role=dialog], [role=menu], [role=listbox], [data-radix-focus-guard]")) return;
    last = e.target;
    around = [];
    for (let at = last.parentElement; at; at = at.parentElement) around.push(at);
  };
  let waiting = 0;
  const watch = new MutationObserver(() => {
    window.clearTimeout(waiting);
    waiting = window.setTimeout(check);
  });
  document.addEventListener("focusin", took);
  watch.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["disabled"] });
  return () => {
    document.removeEventListener("focusin", took);
    watch.disconnect();
    window.clearTimeout(waiting);
  };
}
