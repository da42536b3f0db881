import { DateTime } from 'luxon';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { inSeconds, transact, type Transaction } from '../foundation/database.ts';
import { isSetUp, readFirm } from '../foundation/firm.ts';
import { Rounds } from '../foundation/rounds.ts';
import { insertAll } from '../foundation/rows.ts';
import { countMailbox, dayOf, type CountedFolder, type DayOf, type Difference } from './count.ts';
import { sendingsOf, unsettledOf } from './sendings.ts';

/** Yesterday is counted from this time of the office's clocks on. */
const AT_NIGHT = { hour: 2, minute: 30 };
/** Whoever counts a day holds it so long, in seconds, and longer with each mailbox. */
const LEASE_SECONDS = 300;
/** What ends its process so often is let be until somebody asks for it. */
const MOST_TRIES = 3;
/** The same kind is told so often of one mailbox; the account still counts the rest. */
const MOST_DIFFERENCES = 2000;

/** Counts days: yesterday each night, others when somebody asks. Any number of processes, each day by one of them. */
export class Reckoner {
  private readonly rounds: Rounds;

  constructor(private readonly context: AppContext) {
    this.rounds = new Rounds(context, () => this.round(), ['reckoning'], 'a day could not be reckoned');
  }

  start(): void {
    this.rounds.start();
  }

  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** Counts a day that waits. @param now for tests @returns whether there was one */
  async round(now: DateTime = DateTime.now()): Promise<boolean> {
    const { db } = this.context;
    if (!(await isSetUp(db))) return false;
    const { zone } = await readFirm(db);
    await this.askAtNight(now.setZone(zone));
    const day = await this.claim();
    if (!day) return false;
    await this.count(dayOf(day, zone));
    return true;
  }

  private async askAtNight(here: DateTime): Promise<void> {
    if (here < here.set(AT_NIGHT)) return;
    const day = here.minus({ days: 1 }).toISODate() ?? '';
    await this.context.db('reckoning').insert({ day, state: 'waiting' }).onConflict('day').ignore();
  }

  private async claim(): Promise<string | null> {
    const { db, process } = this.context;
    return transact(db, async (trx) => {
      const row = await trx('reckoning')
        .where({ state: 'waiting' })
        .where('tries', '<', MOST_TRIES)
        .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
        .orderBy('day', 'desc')
        .forUpdate()
        .skipLocked()
        .first('day');
      if (!row) return null;
      await trx('reckoning')
        .where({ day: row.day })
        .update({
          lease_owner: process,
          lease_until: inSeconds(trx, LEASE_SECONDS),
          tries: trx.raw('tries + 1'),
        });
      return row.day;
    });
  }

  private async count(day: DayOf): Promise<void> {
    const { db, process } = this.context;
    const folders: CountedFolder[] = [];
    const differences: Difference[] = [];
    const mailboxes = await db('mailbox')
      .whereNull('disconnected_at')
      .whereNotNull('verified_at')
      .orderBy('id');
    for (const mailbox of mailboxes) {
      if (this.rounds.ending) return;
      await db('reckoning')
        .where({ day: day.day, lease_owner: process })
        .update({ lease_until: inSeconds(db, LEASE_SECONDS) });
      const counted = await countMailbox(this.context, mailbox, day);
      folders.push(...counted.folders);
      differences.push(...counted.differences.slice(0, MOST_DIFFERENCES));
    }
    differences.push(...(await unsettledOf(db, day)));
    const sendings = await sendingsOf(db, day);
    await transact(db, async (trx) => {
      const held = await trx('reckoning')
        .where({ day: day.day, lease_owner: process })
        .forUpdate()
        .first('day');
      if (!held) return;
      await keep(trx, day.day, folders, differences);
      await insertAll(
        trx,
        'reckoning_sending',
        sendings.map((each) => ({ day: day.day, ...each, name: each.name.slice(0, 200) })),
      );
      await trx('reckoning')
        .where({ day: day.day })
        .update({ state: 'done', counted_at: new Date(), lease_owner: null, lease_until: null, tries: 0 });
      await noteChange(trx, 'reckoning');
    });
  }
}

const keyOf = (one: {
  kind: string;
  mailbox_id: number | null;
  folder_path: string;
  uid: number | null;
  message_id: number | null;
  dispatch_id: number | null;
}) =>
  [one.kind, one.mailbox_id, one.folder_path, one.uid, one.message_id, one.dispatch_id].map(String).join(' ');

/** What was counted takes the place of an earlier count; what somebody has seen to stays seen to. */
async function keep(
  trx: Transaction,
  day: string,
  folders: readonly CountedFolder[],
  differences: readonly Difference[],
): Promise<void> {
  const before = await trx('reckoning_difference').where({ day }).whereNotNull('seen_at');
  const seen = new Map(before.map((row) => [keyOf(row), row]));
  for (const table of ['reckoning_line', 'reckoning_sending', 'reckoning_difference'] as const)
    await trx(table).where({ day }).delete();
  await insertAll(
    trx,
    'reckoning_line',
    folders.map(({ mailboxId, folder, rule, account }) => ({
      ...{ day, mailbox_id: mailboxId, folder_path: folder, rule, on_server: account.onServer },
      ...{ taken: account.taken, to_come: account.toCome, missing: account.missing },
      ...{ logged: account.logged, waiting: account.waiting, aside: account.aside, private: account.private },
    })),
  );
  await insertAll(
    trx,
    'reckoning_difference',
    differences.map(({ kind, mailboxId, folder, uid, messageId, dispatchId, words, at }) => {
      const row = {
        ...{ day, kind, mailbox_id: mailboxId, folder_path: folder, uid },
        ...{ message_id: messageId, dispatch_id: dispatchId, words, at },
      };
      const known = seen.get(keyOf(row));
      return { ...row, seen_at: known?.seen_at ?? null, seen_by: known?.seen_by ?? null };
    }),
  );
}
