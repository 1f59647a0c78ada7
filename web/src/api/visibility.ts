import type { Atlas, Job } from "./client";
import { lastAnswer, type Counted } from "./lastAnswer";

/** A weight that an island may have. */
export type Proposal = {
  island: number;
  weight: number;
  kind: "never" | "below" | "seldom";
  text: string;
};

type Seen = {
  number: number;
  share: number;
  screen_px_per_texel: number;
  weight: number;
  why: string;
  kind: Proposal["kind"] | "";
};

/** What looking at an atlas gave, as the server tells it. */
type Told = { islands: Seen[]; count: number; stacks: number[][]; freed: number };

/** The same by the numbers of islands. */
export type Look = {
  share: number[];
  screen: number[];
  stacks: number[][];
  proposals: Proposal[];
  freed: number;
};

/** The last look at an atlas that is about the islands it has now. */
export function lastLook(jobs: Job[], atlas: Atlas, objects: Counted[]): Look | null {
  const told = lastAnswer<Told>("visibility", jobs, atlas, objects);
  return told && byNumber(told);
}

function byNumber({ islands, count, stacks, freed }: Told): Look {
  const look: Look = {
    share: new Array<number>(count).fill(1),
    screen: new Array<number>(count).fill(0),
    stacks,
    proposals: [],
    freed,
  };
  for (const { number, share, screen_px_per_texel, weight, kind, why } of islands) {
    look.share[number] = share;
    look.screen[number] = screen_px_per_texel;
    if (kind) look.proposals.push({ island: number, weight, kind, text: why });
  }
  return look;
}

/** Proposals that are not accepted yet, by kind. */
export function open(
  look: Look,
  weight: (island: number) => number,
): Map<Proposal["kind"], Proposal[]> {
  const out = new Map<Proposal["kind"], Proposal[]>();
  for (const one of look.proposals)
    if (one.weight < weight(one.island) - 1e-6)
      out.set(one.kind, [...(out.get(one.kind) ?? []), one]);
  return out;
}
