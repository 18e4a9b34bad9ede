/** What tests of the page's logic need of a browser: they run without one. */
const kept = new Map<string, string>();
const storage = {
  getItem: (key: string) => kept.get(key) ?? null,
  setItem: (key: string, value: string) => void kept.set(key, value),
  removeItem: (key: string) => void kept.delete(key),
  clear: () => kept.clear(),
  key: (i: number) => [...kept.keys()][i] ?? null,
  get length() {
    return kept.size;
  },
};
const events = new EventTarget();
// Component tests have a document of their own (jsdom).
if (typeof document === "undefined") {
  const listening = { addEventListener: events.addEventListener.bind(events), dispatchEvent: events.dispatchEvent.bind(events) };
  Object.assign(globalThis, { window: globalThis, localStorage: storage, ...listening });
} else {
  Object.assign(globalThis, { ResizeObserver: class { observe() {} unobserve() {} disconnect() {} } });
  Element.prototype.hasPointerCapture = () => false;
}
