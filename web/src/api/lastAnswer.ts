import type { Atlas, Job } from "./client";

/** An object as far as it is asked whether its islands are the same as before. */
export type Counted = { id: number; islands: number };

type Told<Answer> = { members: [number, number][]; atlases: Answer[] };

/** What the last job of a kind told of an atlas, as long as that is about the islands it has now. */
export function lastAnswer<Answer>(
  kind: string,
  jobs: Job[],
  atlas: Atlas,
  objects: Counted[],
): Answer | null {
  const job = jobs.find(
    (one) => one.kind === kind && one.state === "done" && one.atlas === atlas.id,
  );
  const told = job?.result as unknown as Told<Answer> | undefined;
  const same =
    told?.members.length === objects.length &&
    told.members.every(
      ([id, islands], k) => objects[k].id === id && objects[k].islands === islands,
    );
  return (same && told.atlases[0]) || null;
}
