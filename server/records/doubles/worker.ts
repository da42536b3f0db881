import type { AppContext } from '../../foundation/context.ts';
import { errorForLog } from '../../foundation/database.ts';
import { isSetUp } from '../../foundation/firm.ts';
import { lookForDoubles } from './find.ts';

/** After a change so long is waited for others, in milliseconds: a list that is brought in is many. */
const CALM = 4000;
/** A look costs this share of the time at most. */
const SHARE = 0.05;
/** It is looked after this often in any case, in milliseconds. */
const ROUND = 5 * 60_000;

/** Looks for doubles when the records changed. */
export class DoublesWorker {
  private timer: NodeJS.Timeout | undefined;
  private deaf: (() => void) | null = null;
  private stopped = false;
  private notBefore = 0;
  private work: Promise<void> = Promise.resolve();

  constructor(private readonly context: AppContext) {}

  /** Works until it is stopped. */
  start(): void {
    this.deaf = this.context.watch.listen((changes) => {
      if (changes.some(({ topic }) => topic === 'records')) this.plan(CALM);
    });
    this.plan(CALM);
  }

  private plan(wait: number): void {
    if (this.stopped) return;
    clearTimeout(this.timer);
    this.timer = setTimeout(
      () => {
        this.work = this.work.then(() => this.look());
      },
      Math.max(wait, this.notBefore - Date.now()),
    );
  }

  private async look(): Promise<void> {
    if (this.stopped) return;
    const began = Date.now();
    try {
      if (await isSetUp(this.context.db)) await lookForDoubles(this.context);
    } catch (error) {
      this.context.log.warn({ error: errorForLog(error) }, 'doubles could not be looked for');
    }
    this.notBefore = Date.now() + (Date.now() - began) / SHARE;
    this.plan(ROUND);
  }

  /** Begins nothing more; resolves when what was under way is through. */
  async stop(): Promise<void> {
    this.stopped = true;
    this.deaf?.();
    clearTimeout(this.timer);
    await this.work;
  }
}
