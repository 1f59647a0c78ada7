import { signal } from "@preact/signals-core";

/** What others see of a signal: they listen to it, and the manager that owns it raises it. */
export type Heard = {
  /** Raised with every change. */
  readonly version: number;
  subscribe: (listener: () => void) => () => void;
};

/** Something that others want to hear of. A component listens to what it shows, and to nothing else. */
export class Signal implements Heard {
  private readonly count = signal(0);

  get version(): number {
    return this.count.value;
  }

  subscribe = (listener: () => void): (() => void) => {
    // The library calls once at the start, too.
    let begun = false;
    const end = this.count.subscribe(() => {
      if (begun) listener();
    });
    begun = true;
    return end;
  };

  raise(): void {
    this.count.value = this.count.peek() + 1;
  }
}
