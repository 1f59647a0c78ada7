import type { Atlas, Job } from "./client";

/** A weight that an island may have. */
export type Proposal = { island: number; weight: number; kind: "never" | "below" | "seldom"; text: string };

/** What a look from around gave. */
export type LookedAround = { revision: number; objects: [number, number][]; views: string; share: number[]; above: number[]; facing: number[]; screen?: number[]; stacks?: number[][]; points: number; proposals: Proposal[]; freed: number };

/** The last look at an atlas that is about the islands it has now. */
export function lastLook(jobs: Job[], atlas: Atlas, objects: { id: number; islands: number }[]): LookedAround | null {
  const job = jobs.find((one) => one.kind === "look around" && one.state === "done" && one.atlas === atlas.id);
  const found = job?.result as unknown as LookedAround | undefined;
  const same = found?.objects.length === objects.length && found.objects.every(([id, islands], k) => objects[k].id === id && objects[k].islands === islands);
  return found && same ? found : null;
}

/** Proposals that are not accepted yet, by kind. */
export function open(look: LookedAround, weight: (island: number) => number): Map<Proposal["kind"], Proposal[]> {
  const out = new Map<Proposal["kind"], Proposal[]>();
  for (const one of look.proposals) if (one.weight < weight(one.island) - 1e-6) out.set(one.kind, [...(out.get(one.kind) ?? []), one]);
  return out;
}
