import { setImmediate } from 'node:timers/promises';

/** So long a piece of work holds this process at a stretch, in milliseconds. */
const STRETCH = 20;

/** Gives everything else in this process its turn while long work goes on: pages, leases, other mailboxes. */
export class Turns {
  private since = performance.now();

  /** To be awaited between two pieces; waits only when it is time to. */
  async pass(): Promise<void> {
    if (performance.now() - this.since < STRETCH) return;
    await setImmediate();
    this.since = performance.now();
  }
}
