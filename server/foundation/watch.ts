import type { Logger } from 'pino';
import type { Change } from '../../contract/changes.ts';
import { changesAfter, type ChangeEvent } from './changes.ts';
import { errorForLog, type Database } from './database.ts';

/** Between two looks at what changed, in milliseconds. */
const ROUND = 1000;
/** So many events are told of one by one; of more, that their topics changed. */
const MOST = 10_000;

type Listener = (changes: readonly Change[]) => void;

/**
 * Tells whoever listens in this process what changed, whichever process changed it: one look at the database in
 * each round for all of them, and none when nobody listens.
 */
export class Watch {
  private readonly listeners = new Set<Listener>();
  /** Everything up to this event was told. */
  private upTo: number | null = null;
  /** Events after that which were told: one with a smaller number may still come to light. */
  private told = new Set<number>();
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
      // Whoever listens next has just read everything.
      this.upTo = null;
    };
  }

  private async look(): Promise<void> {
    try {
      const changes = await this.fresh();
      if (changes.length) for (const tell of this.listeners) tell(changes);
    } catch (error) {
      this.log.warn({ error: errorForLog(error) }, 'what changed could not be looked up');
    }
    this.timer = this.listeners.size ? setTimeout(() => void this.look(), ROUND) : null;
  }

  private async fresh(): Promise<readonly Change[]> {
    // What was told before anybody listened is told once more at first: twice is better than not at all.
    this.upTo ??= await this.beforeNow();
    const events = await changesAfter(this.db, this.upTo, MOST);
    const fresh = events.filter(({ eventId }) => !this.told.has(eventId));
    for (const { eventId } of fresh) this.told.add(eventId);
    this.settle(events);
    return fresh.map(({ topic, subject, id }) => ({ topic, subject, id }));
  }

  /** What is old enough need not be looked at again. */
  private settle(events: readonly ChangeEvent[]): void {
    const last =
      events.filter(({ settled }) => settled).at(-1) ?? (events.length === MOST ? events.at(-1) : undefined);
    if (!last) return;
    this.upTo = last.eventId;
    for (const id of this.told) if (id <= last.eventId) this.told.delete(id);
  }

  private async beforeNow(): Promise<number> {
    const row = await this.db('change_event').max({ id: 'id' }).first();
    return Math.max(0, Number(row?.id ?? 0) - BEFORE);
  }
}

/** So many events before the first look are told, since transactions under way may have smaller numbers than the last. */
const BEFORE = 50;
