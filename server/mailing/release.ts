import type { z } from 'zod';
import type { MailingDraft, Release, StaffMember } from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteChange } from '../foundation/changes.ts';
import { notAllowed, Refusal } from '../foundation/refusal.ts';
import { insertAll } from '../foundation/rows.ts';
import { layOutFor, relay } from './timing.ts';
import { copyFor } from './copies.ts';
import { draftOf, readRecord } from './mailings.ts';
import { followersOf, seriesOf } from './series.ts';
import { refuseBroken } from '../selection/catalogue.ts';
import { checkMailing } from './checking.ts';
import { fixOwn } from './ownEnclosures.ts';
import { findRecipients } from './recipients.ts';
import { fromJson } from '../foundation/json.ts';

/**
 * Releases a mailing: fixes who gets it, each Message-ID, each recipient's facts and when each message leaves, and
 * lets dispatch begin. All or nothing; releasing twice is refused.
 * @throws Refusal when something is missing, it was changed or released meanwhile, or the recipients are others
 */
export async function releaseMailing(
  context: AppContext,
  staff: StaffMember,
  id: number,
  { version, recipients: expected, untestedWhy }: z.output<typeof Release>,
): Promise<void> {
  const { db } = context;
  const checks = await checkMailing(db, id);
  if (checks.problems[0]) throw new Refusal(400, checks.problems[0]);
  const gap = checks.missing[0];
  if (gap)
    throw new Refusal(
      400,
      `“${gap.label}” is missing for ${gap.client}${checks.missing.length > 1 ? ` and ${checks.missing.length - 1} more` : ''}. Settle that first, or give the field other words to use.`,
    );
  await transact(db, async (trx) => {
    const row = await trx('mailing').where({ id }).forUpdate().first('state', 'version', 'tested_at');
    if (row?.state !== 'draft' && row?.state !== 'ready')
      throw new Refusal(409, 'This mailing has been released already.');
    if (row.version !== version)
      throw new Refusal(409, 'This mailing was changed meanwhile. Look at it again before you release it.');
    const record = await readRecord(trx, id);
    if (record.head_id !== null)
      throw new Refusal(409, 'It goes by itself behind the first message of its series. Release that one.');
    const series = await seriesOf(trx, record);
    const untested = series.length ? series.some((each) => !each.tested_at) : !row.tested_at;
    if (untested && !(untestedWhy && may(staff.role, 'release untested')))
      throw new Refusal(
        400,
        `Nobody has had a test copy of ${series.length ? 'all its messages as they are' : 'it as it is'} now. Send one first${may(staff.role, 'release untested') ? ', or say why not' : ''}.`,
        'untestedWhy',
      );
    const draft = draftOf(record);
    const { recipients, leftOut } = await findRecipients(trx, draft, record.owner_id);
    if (recipients.length !== expected)
      throw new Refusal(
        409,
        `There are now ${recipients.length} recipients, not ${expected}. Look at the list again.`,
      );
    const mailboxes = recipients.map(({ mailboxId }) => mailboxId);
    const { times } = await layOutFor(context, trx, draft.timing, mailboxes, Date.now());
    const rows = recipients.map((recipient, index) =>
      copyFor(id, draft, recipient, new Date(times[index] ?? Date.now())),
    );
    await insertAll(trx, 'dispatch', rows);
    await fixOwn(trx, id);
    // Why somebody got nothing is asked later.
    const removed = draft.colleagues ? [] : await clientsOf(trx, draft.selection);
    const byHand = removed.map((clientId) => ({
      clientId,
      why: 'taken out by hand',
      detail: '',
    }));
    await insertAll(
      trx,
      'mailing_left_out',
      [...leftOut, ...byHand].map(({ clientId, why, detail }) => ({
        ...{ mailing_id: id, client_id: clientId, why, detail: detail.slice(0, 300) },
      })),
    );
    await trx('mailing')
      .where({ id })
      .orWhere({ head_id: id })
      .update({
        state: 'going',
        released_at: new Date(),
        released_by: staff.id,
        untested_why: untested ? untestedWhy : null,
      });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'released',
      subject: 'mailing',
      id,
      after: { recipients: rows.length, ...(untested ? { untestedWhy } : {}) },
    });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}

/** The clients of those taken out by hand. */
async function clientsOf(
  trx: Transaction,
  { subject, removed }: MailingDraft['selection'],
): Promise<number[]> {
  if (subject === 'client') return trx('client').whereIn('id', removed).pluck('id');
  if (subject === 'file') return trx('file').whereIn('id', removed).distinct('client_id').pluck('client_id');
  return trx('client_person').whereIn('person_id', removed).distinct('client_id').pluck('client_id');
}

/**
 * Hands a mailing over to whoever may release it; it stays as it is until then.
 * @throws Refusal when it was changed meanwhile or is no draft any more
 */
export async function handOver(db: Database, staff: StaffMember, id: number, version: number): Promise<void> {
  await transact(db, async (trx) => {
    const handed = await trx('mailing')
      .where({ id, version, state: 'draft' })
      .update({ state: 'ready', handed_at: new Date(), handed_by: staff.id });
    if (!handed)
      throw new Refusal(409, 'This mailing was changed or handed over meanwhile. Look at it again.');
    await followersOf(trx, id).update({ state: 'ready' });
    await noteAudit(trx, { staffId: staff.id, action: 'handed over', subject: 'mailing', id });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}

/**
 * Makes a draft again of what was handed over, or was released while none of it has gone.
 * @throws Refusal when some of it has gone, or for whoever may not stop what was released
 */
export async function takeBack(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('mailing').where({ id }).forUpdate().first('state', 'head_id');
    if (row?.head_id) throw new Refusal(409, 'Take the first message of its series back.');
    const released = row?.state === 'going' || row?.state === 'paused';
    if (!released && row?.state !== 'ready') throw new Refusal(409, 'There is nothing to take back.');
    if (released) {
      if (!may(staff.role, 'release mailings')) throw notAllowed('release mailings');
      const own = () => trx('dispatch').where({ mailing_id: id });
      // Held, so that no process claims one of them meanwhile.
      const states: string[] = await own().forUpdate().pluck('state');
      const gone = states.filter((state) => state !== 'waiting').length;
      if (gone)
        throw new Refusal(
          409,
          `${gone === 1 ? 'One message has' : `${gone} messages have`} gone already. What still waits can be paused or cancelled.`,
        );
      await own().delete();
      await trx('mailing_left_out').where({ mailing_id: id }).delete();
    }
    await trx('mailing').where({ id }).orWhere({ head_id: id }).update({
      state: 'draft',
      handed_at: null,
      handed_by: null,
      released_at: null,
      released_by: null,
      untested_why: null,
    });
    await noteAudit(trx, { staffId: staff.id, action: 'taken back', subject: 'mailing', id });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}

/**
 * Pauses, resumes or cancels what has not left yet, and what follows it in its series.
 * @throws Refusal when it is in no state for that any more
 */
export async function steerMailing(
  context: AppContext,
  staff: StaffMember,
  id: number,
  to: 'paused' | 'going' | 'cancelled',
): Promise<void> {
  const from = { paused: ['going'], going: ['paused'], cancelled: ['going', 'paused'] }[to];
  await transact(context.db, async (trx) => {
    const asked = await readRecord(trx, id);
    const series = await seriesOf(trx, asked);
    // With a message of a series goes what follows it, and stops with it.
    const ids = series.length ? series.flatMap((each) => (each.step >= asked.step ? each.id : [])) : [id];
    const rows = await trx('mailing')
      .whereIn('id', ids)
      .whereIn('state', from)
      .forUpdate()
      .select('id', 'timing');
    if (!rows.length) throw new Refusal(409, 'The mailing is not in a state for that any more.');
    // Whoever comes to its next message is picked by it again.
    if (to === 'going' && series.length) await refuseBroken(trx, asked.owner_id, draftOf(asked).selection);
    for (const row of rows) {
      await trx('mailing').where({ id: row.id }).update({ state: to });
      // Its times have passed meanwhile: else all of it would leave at once.
      if (to === 'going') await relay(context, trx, row.id, fromJson('mailing.timing', row.timing));
      if (to === 'cancelled')
        await trx('dispatch')
          .where({ mailing_id: row.id })
          .whereIn('state', ['waiting', 'delayed'])
          .update({ state: 'cancelled' });
    }
    await noteAudit(trx, { staffId: staff.id, action: to, subject: 'mailing', id });
    await noteChange(trx, 'mailings', 'mailing', ids);
  });
}
