import { errorForLog, transact } from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteChange } from '../foundation/changes.ts';
import { Claims } from './claims.ts';
import type { OutgoingKind } from './port.ts';
import { Recorder } from './recorder.ts';
import { Sender } from './sender.ts';
import { SentCopies } from './sentCopies.ts';

const ROUND = 500;
/** With nothing on its way out it is looked after this often at least, in milliseconds. */
const IDLE_ROUND = 20_000;
const LEAST_PAUSE = 50;
/** While much is to be sent, the record follows this often at least, in milliseconds. */
const FOLLOW = 2000;

/**
 * Sends what is on its way out, whatever kind it is of. Any number of processes work side by side: each claims rows
 * under a lease ({@link Claims}), sends them ({@link Sender}), puts them on record ({@link Recorder}) and a copy of
 * each into Sent ({@link SentCopies}).
 */
export class DispatchWorker {
  private stopped = false;
  private followAt = 0;
  /** Whether something may be claimed that nobody here sends. */
  private astray = false;
  private round: Promise<boolean> = Promise.resolve(false);
  private wake: (() => void) | null = null;
  private deaf: (() => void) | null = null;
  private readonly claims: Claims;
  private readonly sender: Sender;
  private readonly recorder: Recorder;
  private readonly copies: SentCopies;

  constructor(
    private readonly context: AppContext,
    private readonly kinds: readonly OutgoingKind[],
  ) {
    this.claims = new Claims(context, kinds);
    this.sender = new Sender(context, this.claims, kinds);
    this.recorder = new Recorder(context, kinds);
    this.copies = new SentCopies(context);
  }

  /** Works round after round until it is stopped. */
  start(): void {
    this.deaf = this.context.watch.listen((changes) => {
      if (changes.some(({ topic }) => topic === 'drafts' || topic === 'mailings' || topic === 'paperwork'))
        this.wake?.();
    });
    void (async () => {
      while (!this.stopped) {
        this.round = this.work().catch((error: unknown) => {
          this.context.log.error({ error: errorForLog(error) }, 'dispatch failed');
          return false;
        });
        if (!(await this.round)) await this.pause();
      }
    })();
  }

  /** Until something is due, somebody does something, or it is time to look again. */
  private async pause(): Promise<void> {
    const due = await this.nextDue().catch(() => ROUND);
    if (this.stopped) return;
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, Math.max(LEAST_PAUSE, due));
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
    this.wake = null;
  }

  /** @returns in how many milliseconds to look again at the latest */
  private async nextDue(): Promise<number> {
    if (this.recorder.busy || this.copies.busy) return ROUND;
    const next = await this.claims.nextDue();
    return Math.min(next ?? IDLE_ROUND, this.copies.waiting ? ROUND : IDLE_ROUND);
  }

  /** Claims nothing more; resolves when what was under way is through. */
  async stop(): Promise<void> {
    this.stopped = true;
    this.claims.stopped = true;
    this.deaf?.();
    this.wake?.();
    await this.round;
    await this.sender.close();
    await this.recorder.close();
    await this.copies.close();
  }

  /** One round: recover, send, log, put copies into Sent. @returns whether there may be more at once */
  async work(): Promise<boolean> {
    const { db } = this.context;
    await this.claims.recover();
    if (this.astray) await this.claims.putBack(this.sender.held);
    this.astray = true;
    const claimed = await this.claims.claim(this.sender.busyMailboxes);
    if (claimed.length) await this.sender.sendAll(claimed);
    this.astray = false;
    // Once all mailboxes have enough, as soon as one wants more, or after a while, what was sent is logged and more is claimed.
    if (this.sender.working && !claimed.length)
      await Promise.race([this.sender.moreWanted(), new Promise((resolve) => setTimeout(resolve, ROUND))]);
    const { recorded, copied } = this.follow();
    let finished = 0;
    for (const kind of this.kinds) finished += await kind.finish(db);
    // With the end of the process nobody is left to be told.
    if (claimed.length || recorded || copied || finished)
      await transact(db, (trx) => noteChange(trx, 'mailings'));
    return claimed.length > 0 || this.sender.working;
  }

  /** Puts on record what was sent, and copies into Sent: while much is to be sent that goes first, and these follow now and then. */
  private follow(): { recorded: number; copied: number } {
    const pressed = this.sender.busyMailboxes.length > 0;
    if (pressed && Date.now() < this.followAt) return { recorded: 0, copied: 0 };
    this.followAt = Date.now() + FOLLOW;
    return { recorded: this.recorder.work(!pressed), copied: this.copies.work(!pressed) };
  }
}
