/** Scrolling inside one element, which leaves everything around it where it is. */

/** How far one span has to move so that it lies within another; its beginning counts where it is the longer one. */
function shift(start: number, end: number, from: number, to: number): number {
  if (start < from || end - start > to - from) return start - from;
  return end > to ? end - to : 0;
}

/** Scrolls `box` by no more than it takes to have `item` in sight. */
export function scrollIntoBox(box: Element, item: Element): void {
  const outer = box.getBoundingClientRect();
  const inner = item.getBoundingClientRect();
  box.scrollLeft += shift(inner.left, inner.right, outer.left, outer.right);
  box.scrollTop += shift(inner.top, inner.bottom, outer.top, outer.bottom);
}
