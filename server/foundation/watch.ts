import type { Logger } from 'pino';
import { errorForLog, type Database } from './database.ts';
import { readPulse } from './pulse.ts';

/** Between two looks at what changed, in milliseconds. */
const ROUND = 1000;

type Listener = (topics: readonly string[]) => void;

/**
 * Tells whoever listens in this process which topics changed, whichever process changed them: one look at the
 * database in each round for all of them, and none when nobody listens.
 */
export class Watch {
  private readonly listeners = new Set<Listener>();
  private known: Record<string, number> = {};
  private timer: NodeJS.Timeout | null = null;

  constructor(
    private readonly db: Database,
    private readonly log: Logger,
  ) {}

  /** @returns ends the listening */
  listen(listener: Listener): () => void {
    this.listeners.add(listener);
    this.timer ??= setTimeout(() => void this.look(), ROUND);
    return () => {
      this.listeners.delete(listener);
      if (this.listeners.size || !this.timer) return;
      clearTimeout(this.timer);
      this.timer = null;
    };
  }

  private async look(): Promise<void> {
    try {
      const now = await readPulse(this.db);
      const changed = Object.keys(now).filter((topic) => now[topic] !== this.known[topic]);
      this.known = now;
      if (changed.length) for (const tell of this.listeners) tell(changed);
    } catch (error) {
      this.log.warn({ error: errorForLog(error) }, 'what changed could not be looked up');
    }
    this.timer = this.listeners.size ? setTimeout(() => void this.look(), ROUND) : null;
  }
}
