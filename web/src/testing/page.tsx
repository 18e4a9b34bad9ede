/** Components for tests, with what they stand in on the page. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import type { ReactNode } from "react";

/** Draws a component; lists from the server are asked for once and not again by themselves. */
export function drawn(component: ReactNode) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(<QueryClientProvider client={client}>{component}</QueryClientProvider>);
}

/** Opens a menu by the name of its button, the way that a keyboard does. */
export async function openMenu(name: string | RegExp): Promise<string[]> {
  const button = await screen.findByRole("button", { name });
  button.focus();
  await act(async () => { fireEvent.keyDown(button, { key: "Enter" }); });
  return (await screen.findAllByRole("menuitem")).map((i) => i.textContent ?? "");
}

export { act, cleanup, fireEvent, screen };
