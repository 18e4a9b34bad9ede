/** What tests of the page's logic need of a browser: they run without one. */
const kept = new Map<string, string>();
const storage = {
  getItem: (key: string) => kept.get(key) ?? null,
  setItem: (key: string, value: string) => void kept.set(key, value),
  removeItem: (key: string) => void kept.delete(key),
  clear: () => kept.clear(),
};
// Component tests have a document of their own (jsdom).
if (typeof document === "undefined") Object.assign(globalThis, { window: globalThis, localStorage: storage });
else {
  Object.assign(globalThis, { ResizeObserver: class { observe() {} unobserve() {} disconnect() {} } });
  Element.prototype.hasPointerCapture = () => false;
}
