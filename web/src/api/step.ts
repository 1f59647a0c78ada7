import type { QueryClient } from "@tanstack/react-query";
import type { Atlas, Project } from "./client";

/** Where a project stands in its history: every edit names the step that the user saw. */
export type Steps = Pick<Project, "change" | "undo" | "redo">;

/** The step that is on the screen. */
export function stepSeen(client: QueryClient, projectId: number): number {
  return client.getQueryData<Project>(["project", projectId])?.change ?? 0;
}

/** An answer that tells the newest step; the history is listed anew. */
export function keepSteps(
  client: QueryClient,
  projectId: number,
  { change, undo, redo }: Steps,
): void {
  const queryKey = ["project", projectId];
  const before = client.getQueryData<Project>(queryKey);
  if (!before || (before.change === change && before.redo === redo)) return;
  // A question that was asked before this answer must not answer after it; it asked for more than steps, though.
  const asked = client.getQueryState(queryKey)?.fetchStatus === "fetching";
  void client.cancelQueries({ queryKey, exact: true }, { revert: false, silent: true });
  client.setQueryData<Project>(queryKey, { ...before, change, undo, redo });
  if (asked) void client.invalidateQueries({ queryKey, exact: true });
  void client.invalidateQueries({ queryKey: ["history", projectId] });
}

/** An answer that is the atlas with its new layout needs no second question. */
export function showAtlas(client: QueryClient, projectId: number, atlas: Atlas): void {
  client.setQueryData(["atlas", atlas.id], atlas);
  keepSteps(client, projectId, atlas);
  void client.invalidateQueries({ queryKey: ["jobs", projectId] });
}

/**
 * An answer that is the project: its atlases may be others, or have another layout. A question that
 * was asked before it must not answer after it.
 */
export function showProject(client: QueryClient, project: Project): void {
  void client.cancelQueries(
    { queryKey: ["project", project.id], exact: true },
    { revert: false, silent: true },
  );
  client.setQueryData(["project", project.id], project);
  for (const key of ["atlas", "report", "projects"])
    void client.invalidateQueries({ queryKey: [key] });
  for (const key of ["history", "jobs", "rules"])
    void client.invalidateQueries({ queryKey: [key, project.id] });
}
