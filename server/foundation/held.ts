import { monitorEventLoopDelay, type IntervalHistogram } from 'node:perf_hooks';
import type { Logger } from 'pino';

/** So long nothing may hold this process at a stretch, in milliseconds: pages, leases and other mailboxes wait. */
const MOST_HELD = 50;
const MINUTE = 60_000;
const MINUTES = 60;
const RESOLUTION = 5;

/** How long this process was held at a stretch, in milliseconds. */
export interface HeldFor {
  /** In 99 of 100 stretches no longer, in the worst minute of the last hour. */
  p99: number;
  /** The longest of the last hour. */
  most: number;
}

/**
 * Watches how long this process is held at a stretch (the delay of its event loop), minute by minute; what
 * goes beyond the limit is logged.
 */
export class Held {
  private histogram: IntervalHistogram | null = null;
  private readonly minutes: HeldFor[] = [];
  private timer: NodeJS.Timeout | null = null;

  /** Begins to measure, and warns in the log of what holds the process long. */
  start(log: Logger): void {
    this.histogram = monitorEventLoopDelay({ resolution: RESOLUTION });
    this.histogram.enable();
    this.timer = setInterval(() => {
      const { p99, most } = this.now();
      this.histogram?.reset();
      this.minutes.push({ p99, most });
      if (this.minutes.length > MINUTES) this.minutes.shift();
      const level = p99 > MOST_HELD ? 'warn' : 'debug';
      log[level]({ p99: Math.round(p99), most: Math.round(most) }, 'held at a stretch, in milliseconds');
    }, MINUTE);
    this.timer.unref();
  }

  /** Ends the measuring. */
  stop(): void {
    if (this.timer) clearInterval(this.timer);
    this.histogram?.disable();
  }

  /** Of the minute under way. */
  private now(): HeldFor {
    const { histogram } = this;
    if (!histogram?.count) return { p99: 0, most: 0 };
    // What is measured contains the time between two looks itself.
    const beyond = (nanoseconds: number) => Math.max(0, nanoseconds / 1e6 - RESOLUTION);
    return { p99: beyond(histogram.percentile(99)), most: beyond(histogram.max) };
  }

  /** Of the last hour; nought before the first look. */
  lately(): HeldFor {
    const all = [...this.minutes, this.now()];
    return {
      p99: Math.round(Math.max(...all.map(({ p99 }) => p99))),
      most: Math.round(Math.max(...all.map(({ most }) => most))),
    };
  }
}
