/** What the rule of effects refuses, by the page's own configuration. */
import { ESLint } from "eslint";
import { expect, it } from "vitest";

const PLACE = "src/places/look/Row.tsx";

async function refused(effect: string): Promise<boolean> {
  const code = `import { useEffect } from "react"; export function A({ e }: { e: Element }) { useEffect(${effect}); return null; }`;
  const [found] = await new ESLint({ cache: false }).lintText(code, { filePath: PLACE });
  return found?.messages.some((m) => m.ruleId === "lantern/effects") ?? false;
}

it.each([
  ["() => e.scrollIntoView()", true],
  ["() => { return e.scrollIntoView(); }", true],
  ["() => { if (e.id) return e.id; }", true],
  ["async () => { await Promise.resolve(); }", true],
  ["() => e.animate([])", true],
  ["() => { e.scrollIntoView(); }", false],
  ["() => () => e.remove()", false],
  ["() => { if (e.id) return undefined; return () => e.remove(); }", false],
  ["() => { [1].map((x) => x + 1); }", false],
])("%s: %s", async (effect, is) => {
  expect(await refused(effect)).toBe(is);
});
