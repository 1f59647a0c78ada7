import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render } from "@testing-library/react";
import type { ReactNode } from "react";
import { vi } from "vitest";
import { ScopeContext } from "../api/actions/act";
import type { Atlas, Operation, Project, Shelf } from "../api/client";
import { geometry, info, still } from "../editor/layout.samples";
import { editor, useUi } from "../state";
import { system } from "../theme";

export const project = {
  id: 1,
  name: "Harbour yard",
  change: 5,
  undo: "pack",
  redo: "",
  house_density: 256,
  tolerance: 0.05,
  uv_tolerance: 1e-5,
  atlases: [
    { id: 2, name: "props A" },
    { id: 3, name: "props B" },
  ],
} as unknown as Project;

export const atlas = {
  id: 2,
  name: "props A",
  objects: 1,
  tiles: [],
  head: { id: 1 },
} as never as Atlas;

const shelf = {
  materials: [{ name: "Oak planks", source: 1, number: 0, objects: ["Crate"], textures: [] }],
} as unknown as Shelf;

const operations = [
  {
    name: "unwrap",
    help: "Cut objects into islands.",
    synonyms: ["uv map", "auto map"],
    options: [{ name: "stretch", help: "largest stretch", passing: false }],
    pace: "long",
  },
] as unknown as Operation[];

/** What is asked of the server, and what it answers: nothing, unless a test says so. */
export const server = vi.fn<(request: Request) => Promise<Response>>(() =>
  Promise.resolve(new Response("{}", { status: 500 })),
);

/** A layout on the table, nothing selected, the stage Arrange. */
export function layOut(): void {
  server.mockClear();
  useUi.setState({ stage: "Arrange", palette: false, help: false, filter: "", notice: null });
  editor.handsOn = true;
  editor.show({ ...info(), figures: { ...info().figures!, ...FIGURES } }, still, geometry);
  editor.select((s) => s.clear());
}

const FIGURES = {
  density: { min: 64, max: 256, mean: 180 },
  coverage: 0.04,
  overlapping: 0,
  overlap_pairs: 0,
  overlap_texels: 0,
  gap_px: 614.4,
  gap_islands: [],
  outside: 1,
  mirrored: 1,
  side_table: 0,
};

/** Show a part of the room as the application does. */
export function show(part: ReactNode) {
  cleanup();
  vi.stubGlobal("fetch", (request: Request) => server(request));
  const queries = new QueryClient({
    defaultOptions: { queries: { retry: false, staleTime: Infinity } },
  });
  queries.setQueryData(["operations"], operations);
  queries.setQueryData(["project", project.id], project);
  queries.setQueryData(["shelf", atlas.id, atlas.head.id, 2048], shelf);
  return render(
    <ChakraProvider value={system}>
      <QueryClientProvider client={queries}>
        <ScopeContext value={{ project: project.id, atlas: atlas.id }}>{part}</ScopeContext>
      </QueryClientProvider>
    </ChakraProvider>,
  );
}
