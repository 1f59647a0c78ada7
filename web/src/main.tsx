import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/fraunces";
import { ChakraProvider } from "@chakra-ui/react";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { Explained } from "./api/client";
import { useConnection } from "./api/connection";
import { App } from "./App";
import { applyTheme } from "./state";
import { system } from "./theme";

applyTheme();
/** Whoever is logged out meanwhile is asked to log in again. */
const outside = (error: Error) => {
  if (error instanceof Explained && error.status === 401)
    void queries.invalidateQueries({ queryKey: ["me"] });
};
const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: outside }),
  mutationCache: new MutationCache({ onError: outside }),
  defaultOptions: {
    // Whether the server is there is told by its answers, see api/connection.
    queries: { retry: 1, refetchOnWindowFocus: false, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});

// What was missed meanwhile is fetched when the server is back.
useConnection.subscribe((now, before) => {
  if (before.away && !now.away) void queries.invalidateQueries();
});
// Changes that wait are lost with the page.
window.addEventListener("beforeunload", (event) => {
  if (useConnection.getState().waiting) event.preventDefault();
});

/** How many answers the page waits for, for whoever watches it from outside. */
const note = () => {
  document.documentElement.dataset.waiting = String(queries.isFetching() + queries.isMutating());
};
queries.getQueryCache().subscribe(note);
queries.getMutationCache().subscribe(note);

createRoot(document.getElementById("root")!).render(
  <ChakraProvider value={system}>
    <QueryClientProvider client={queries}>
      <App />
    </QueryClientProvider>
  </ChakraProvider>,
);
