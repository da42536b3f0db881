import type { Topic } from '../../contract/changes.ts';
import type { AppContext } from './context.ts';
import { errorForLog } from './database.ts';

/** It is looked after this often at least, in milliseconds. */
const ROUND = 20_000;

/**
 * Work that goes round by round until it is stopped: at once while there is more, else when something of its topics
 * changed, or after a while. A round that fails is told to the log, and tried again by itself.
 */
export class Rounds {
  private stopped = false;
  /** Something changed since the round at hand began: it may have looked too early. */
  private roused = false;
  private wake: (() => void) | null = null;
  private deaf: (() => void) | null = null;
  private work: Promise<void> = Promise.resolve();

  /**
   * @param round one piece of work; says whether there may be more at once
   * @param topics what it is woken by
   * @param failed what the log says of a round that failed
   */
  constructor(
    private readonly context: AppContext,
    private readonly round: () => Promise<boolean>,
    private readonly topics: readonly Topic[],
    private readonly failed: string,
  ) {}

  /** Whether nothing more is to be begun. */
  get ending(): boolean {
    return this.stopped;
  }

  start(): void {
    this.deaf = this.context.watch.listen((changes) => {
      if (changes.some(({ topic }) => this.topics.includes(topic))) this.rouse();
    });
    this.work = this.run();
  }

  /** Begins nothing more; resolves when the round at hand is through. */
  async stop(): Promise<void> {
    this.stopped = true;
    this.deaf?.();
    this.wake?.();
    await this.work;
  }

  private rouse(): void {
    this.roused = true;
    this.wake?.();
  }

  private async run(): Promise<void> {
    while (!this.stopped) {
      this.roused = false;
      const worked = await this.round().catch((error: unknown) => {
        this.context.log.error({ error: errorForLog(error) }, this.failed);
        return false;
      });
      if (!worked && !this.stopped && !this.roused) await this.pause();
    }
  }

  private async pause(): Promise<void> {
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, ROUND);
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
    this.wake = null;
  }
}
