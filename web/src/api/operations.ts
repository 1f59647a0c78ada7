import { useQuery } from "@tanstack/react-query";
import { api, ask, type Operation } from "./client";

/** An operation as the server declares it: its settings with defaults, bounds and words. */
export const useOperation = (name: string): Operation | undefined =>
  useOperations().find((one) => one.name === name);

const NONE: Operation[] = [];

/** All operations, those of plug-ins too. */
export const useOperations = (): Operation[] =>
  useQuery({
    queryKey: ["operations"],
    staleTime: Infinity,
    queryFn: () => ask(api.GET("/api/operations/")),
  }).data ?? NONE;

/** Whether a kind of job mostly takes a second or two. */
export function useSoon(): (kind: string) => boolean {
  const operations = useOperations();
  return (kind) =>
    kind === "measure" || operations.find((one) => one.name === kind)?.pace === "soon";
}
