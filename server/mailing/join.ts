import type { AppContext } from '../foundation/context.ts';
import { noteChange } from '../foundation/changes.ts';
import type { Transaction } from '../foundation/database.ts';
import { fromJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { insertAll } from '../foundation/rows.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { copyFor } from './copies.ts';
import { draftOf, readRecord } from './mailings.ts';
import { fixOwn } from './ownEnclosures.ts';
import { findRecipients } from './recipients.ts';
import { hasGap } from './series.ts';
import { relay } from './timing.ts';

/**
 * Lets a mailing that was released go to one more client, whoever it was for; where it is the first of a series, the
 * series begins for them. At the mailing's own pace, and once.
 * @returns to whom it goes
 * @throws Refusal when it was not released or was cancelled, or the client is not reached, and why
 */
export async function joinMailing(
  context: AppContext,
  trx: Transaction,
  mailingId: number,
  clientId: number,
): Promise<string[]> {
  const held = await trx('mailing').where({ id: mailingId }).forUpdate().first('state', 'head_id');
  if (!held) throw notFound('That mailing');
  if (!['going', 'finished'].includes(held.state) || held.head_id !== null)
    throw new Refusal(409, 'That mailing is not released, was stopped, or is not the first of its series.');
  const record = await readRecord(trx, mailingId);
  const draft = draftOf(record);
  const selection = { ...selectionOf(), past: true, only: [clientId] };
  const { recipients, leftOut } = await findRecipients(
    trx,
    { ...draft, selection, colleagues: null },
    record.owner_id,
  );
  const had = await trx('dispatch').where({ mailing_id: mailingId, client_id: clientId }).pluck('person_id');
  const fresh = recipients.filter(({ personId }) => !had.includes(personId));
  if (!recipients.length)
    throw new Refusal(409, `They are not reached: ${leftOut[0]?.why ?? 'nobody to write to'}.`);
  if (!fresh.length) throw new Refusal(409, 'They have had it already.');
  if (fresh.some((recipient) => hasGap(draft, recipient)))
    throw new Refusal(409, 'A fact of its text is missing for them.');
  await insertAll(
    trx,
    'dispatch',
    fresh.map((recipient) => copyFor(mailingId, draft, recipient, new Date())),
    { ignore: true },
  );
  await fixOwn(trx, mailingId);
  // Whoever comes late is waited for, as the others were.
  await trx('mailing')
    .where((own) => own.where({ id: mailingId }).orWhere({ head_id: mailingId }))
    .where({ state: 'finished' })
    .update({ state: 'going', finished_at: null });
  await relay(context, trx, mailingId, fromJson('mailing.timing', record.timing));
  await noteChange(trx, 'mailings', 'mailing', [mailingId]);
  return fresh.map(({ name, email }) => name || email);
}
