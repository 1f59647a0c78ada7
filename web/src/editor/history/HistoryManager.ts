import type { Transform } from "../geometry/transform";
import { Signal, type Heard } from "../signal";

/** What was done to islands in the plane of the tiles: one transform each. */
export type PlaceEdit = {
  verb: "move" | "turn" | "size" | "mirror" | "place";
  islands: number[];
  moves: Transform[];
  sideTable?: boolean;
};

/** Sends an edit; the answer is the revision that it made. */
export type Send = (edit: PlaceEdit) => Promise<number>;

/** What the document does with edits that are on their way. */
export type EditTarget = {
  apply: (edit: PlaceEdit) => number;
  confirm: (id: number, revision: number) => void;
  refuse: (id: number) => void;
};

/** Edits on their way to the server, one after the other: each names the step that the one before it made. */
export class HistoryManager {
  private readonly raised = new Signal();
  readonly signal: Heard = this.raised;
  send: Send | null = null;
  private tail: Promise<void> = Promise.resolve();
  private waiting = 0;

  constructor(private target: EditTarget) {}

  /** Edits that the server has not answered yet. */
  get pending(): number {
    return this.waiting;
  }

  /** Show an edit at once and send it; a refused one is taken back by itself. */
  place(edit: PlaceEdit): Promise<void> {
    if (!edit.islands.length) return this.tail;
    const id = this.target.apply(edit);
    const send = this.send;
    if (!send) return this.tail;
    return this.queue(async () => {
      try {
        this.target.confirm(id, await send(edit));
      } catch {
        // Whoever sends tells why.
        this.target.refuse(id);
      }
    });
  }

  /** Send something else in its turn, so that what is sent later begins from it; it fails as it would by itself. */
  follow<T>(act: () => Promise<T>): Promise<T> {
    return new Promise<T>((resolve, reject) => void this.queue(() => act().then(resolve, reject)));
  }

  /** When the server has answered all that is on its way. */
  settled(): Promise<void> {
    return this.tail;
  }

  private queue(act: () => Promise<void>): Promise<void> {
    this.waiting++;
    this.raised.raise();
    this.tail = this.tail
      .then(act)
      .catch(() => undefined)
      .finally(() => {
        this.waiting--;
        this.raised.raise();
      });
    return this.tail;
  }
}
