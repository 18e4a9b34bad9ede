import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { App } from "./shell/App";
import { say } from "./session/session";
import "./theme.css";

// What nobody waited for, here or in a library, is said to whoever sits here.
window.addEventListener("unhandledrejection", (e) => say(e.reason));

const root = document.getElementById("root");
const client = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false } } });
if (root) {
  createRoot(root).render(
    <QueryClientProvider client={client}>
      <App />
    </QueryClientProvider>,
  );
}
