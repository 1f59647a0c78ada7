import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/fraunces";
import { ChakraProvider } from "@chakra-ui/react";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { Explained } from "./api/client";
import { App } from "./App";
import { applyTheme } from "./state";
import { system } from "./theme";

applyTheme();
/** Whoever is logged out meanwhile is asked to log in again. */
const outside = (error: Error) => { if (error instanceof Explained && error.status === 401) void queries.invalidateQueries({ queryKey: ["me"] }); };
const queries: QueryClient = new QueryClient({ queryCache: new QueryCache({ onError: outside }), mutationCache: new MutationCache({ onError: outside }), defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

createRoot(document.getElementById("root")!).render(
  <ChakraProvider value={system}>
    <QueryClientProvider client={queries}>
      <App />
    </QueryClientProvider>
  </ChakraProvider>,
);
