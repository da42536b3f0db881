import type { Topic } from '../../contract/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog } from '../foundation/database.ts';
import { isSetUp } from '../foundation/firm.ts';
import { historyToCome, weigh } from './weighing.ts';

/** It is looked after this often in any case, in milliseconds. */
const ROUND = 20_000;
/** While history is being taken in, what is here is weighed this often, in milliseconds. */
const AMID_HISTORY = 5 * 60_000;
/** So soon after new mail came, in milliseconds, that a batch is taken up as one. */
const SOON = 300;

/** What it looks up for: mail, entries in the records, and lists of them that come to their end. */
const HEARD: ReadonlySet<Topic> = new Set(['mail', 'records', 'imports']);

/** Weighs what came, as soon as it is here; history when it has been taken in, and now and then before. */
export class Weigher {
  private stopped = false;
  private wake: (() => void) | null = null;
  /** Mail came, or something was entered in the records, since the last round began. */
  private stirred = false;
  private deaf: (() => void) | null = null;
  private work: Promise<void> = Promise.resolve();
  private weighedAt = Date.now();

  constructor(private readonly context: AppContext) {}

  /** Works until it is stopped. */
  start(): void {
    this.deaf = this.context.watch.listen((changes) => {
      if (!changes.some(({ topic }) => HEARD.has(topic))) return;
      this.stirred = true;
      this.wake?.();
    });
    this.work = this.run();
  }

  private async run(): Promise<void> {
    while (!this.stopped) {
      this.stirred = false;
      try {
        const early = Date.now() - this.weighedAt < AMID_HISTORY;
        const due = !early || !(await historyToCome(this.context.db));
        if (due && (await isSetUp(this.context.db))) {
          await weigh(this.context, () => this.stopped);
          this.weighedAt = Date.now();
        }
      } catch (error) {
        this.context.log.warn({ error: errorForLog(error) }, 'the past could not be weighed');
      }
      await this.pause();
    }
  }

  private async pause(): Promise<void> {
    if (this.stopped) return;
    await new Promise<void>((resolve) => {
      // What came while it was at work is not left for the next time something comes.
      const timer = setTimeout(resolve, this.stirred ? SOON : ROUND);
      this.wake = () => {
        clearTimeout(timer);
        setTimeout(resolve, SOON);
      };
    });
    this.wake = null;
  }

  /** Begins nothing more; resolves when what was under way is through. */
  async stop(): Promise<void> {
    this.stopped = true;
    this.deaf?.();
    this.wake?.();
    await this.work;
  }
}
