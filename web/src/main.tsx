import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/fraunces";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { applyTheme } from "./state";
import { system } from "./theme";

applyTheme();
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

createRoot(document.getElementById("root")!).render(
  <ChakraProvider value={system}>
    <QueryClientProvider client={queries}>
      <App />
    </QueryClientProvider>
  </ChakraProvider>,
);
