/** Something that others want to hear of. A component listens to what it shows, and to nothing else. */
export class Signal {
  /** Raised with every change. */
  version = 0;
  private listeners = new Set<() => void>();

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  raise(): void {
    this.version++;
    for (const listener of [...this.listeners]) listener();
  }
}
