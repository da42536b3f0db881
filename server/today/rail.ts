import type { Knex } from 'knex';
import type { RailCounts, StaffMember } from '../../contract/index.ts';
import { countWaiting } from '../collection/office.ts';
import { countOf } from '../foundation/rows.ts';
import { waitingNow } from '../filing/sorting.ts';
import { GOES_ON } from '../mailing/mailings.ts';
import { countHeld, countPrepared } from '../orders/prepared.ts';
import { officeDay, tasksDue } from '../tasks/tasks.ts';
import { countTexts } from '../textmessage/ledger.ts';
import { mailboxStates } from '../mailbox/accounts/status.ts';
import { unreadByBox } from '../mailbox/list/shown.ts';

/** A figure without its question does not compile. */
const FIGURES: { [Name in keyof RailCounts]: (db: Knex, staff: StaffMember) => Promise<RailCounts[Name]> } = {
  sorting: (db) => countOf(waitingNow(db)),
  unread: async (db, staff) => {
    const unread = await unreadByBox(db, staff.id);
    return [...unread.values()].reduce((sum, count) => sum + count, 0);
  },
  clients: (db) => countOf(db('client')),
  mailings: (db) =>
    countOf(
      db('mailing')
        .whereNull('head_id')
        .where((any) => any.whereIn('state', ['draft', 'ready', 'going', 'paused']).orWhereRaw(GOES_ON)),
    ),
  dispatch: (db) => countOf(db('dispatch').whereIn('state', ['waiting', 'going', 'delayed'])),
  tasks: async (db, staff) => (await tasksDue(db, staff.id, await officeDay(db), 0)).due,
  orders: async (db, staff) => (await countPrepared(db, staff.id)) + (await countHeld(db)),
  texts: (db) => countTexts(db),
  collection: async (db) => {
    const { uploads, lines } = await countWaiting(db);
    return uploads + lines;
  },
  mailboxes: async (db) => {
    const mailboxes = await mailboxStates(db);
    const inStep = mailboxes.filter(({ state }) => state === 'in step');
    const looks = inStep.flatMap(({ inStepAt }) => inStepAt?.toISOString() ?? []);
    return {
      total: mailboxes.length,
      inStep: inStep.length,
      failing: mailboxes.filter(({ state }) => state === 'failing').length,
      filling: mailboxes.filter(({ state }) => state === 'filling').length,
      inStepAt: looks.sort()[0] ?? null,
    };
  },
};

/** The figures beside the rail's words. @param of which of them */
export async function railCounts(
  db: Knex,
  staff: StaffMember,
  of: readonly (keyof RailCounts)[],
): Promise<Partial<RailCounts>> {
  return Object.fromEntries(
    await Promise.all(of.map(async (name) => [name, await FIGURES[name](db, staff)])),
  );
}
