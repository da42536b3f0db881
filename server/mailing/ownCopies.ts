import type { Knex } from 'knex';
import type { MailingDraft, OwnCopy, StaffMember } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact } from '../foundation/database.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { heldDraft } from './enclosures.ts';

/** What one copy says instead of what all say. */
export interface OwnWords {
  subject: DocNode;
  body: DocNode;
}

/** The copies of a mailing whose words were changed by hand, by the key of their recipient. */
export async function ownCopiesOf(db: Knex, mailingId: number): Promise<Map<string, OwnWords>> {
  const rows = await db('mailing_own_copy').where({ mailing_id: mailingId });
  return new Map(
    rows.map((row) => [
      `${row.client_id}-${row.person_id}`,
      {
        subject: fromJson('mailing_own_copy.subject', row.subject),
        body: fromJson('mailing_own_copy.body', row.body),
      },
    ]),
  );
}

/** What one recipient's copy says: its own words, where it has some, and the plain text made of them. */
export function wordsFor(
  draft: MailingDraft,
  own: OwnWords | undefined,
): Pick<MailingDraft, 'subject' | 'body' | 'plain'> {
  return own ? { ...own, plain: null } : draft;
}

function named(mailingId: number, key: string) {
  const [client = 0, person = 0] = key.split('-').map(Number);
  return { mailing_id: mailingId, client_id: client, person_id: person };
}

/** What one copy is to say, as it is written: its own words, or what all say. */
export async function readCopy(db: Knex, mailingId: number, key: string): Promise<OwnCopy> {
  const mailing = await db('mailing').where({ id: mailingId }).first('subject', 'body');
  if (!mailing) throw notFound('That mailing');
  const own = (await ownCopiesOf(db, mailingId)).get(key);
  return {
    own: own !== undefined,
    subject: own?.subject ?? fromJson('mailing.subject', mailing.subject),
    body: own?.body ?? fromJson('mailing.body', mailing.body),
  };
}

/**
 * Changes the words of one copy by hand; they do not follow what all say any more.
 * @throws Refusal when the mailing is no draft, or there is no such client or person
 */
export async function changeCopy(
  db: Knex,
  staff: StaffMember,
  mailingId: number,
  key: string,
  { subject, body }: OwnWords,
): Promise<void> {
  const copy = named(mailingId, key);
  if (!copy.client_id) throw new Refusal(409, 'A colleague’s copy says what all of them are told.');
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    const client = await trx('client').where({ id: copy.client_id }).first('id');
    const person = await trx('person').where({ id: copy.person_id }).first('id');
    if (!client || !person) throw notFound('That recipient');
    await trx('mailing_own_copy')
      .insert({
        ...copy,
        subject: toJson('mailing_own_copy.subject', subject),
        body: toJson('mailing_own_copy.body', body),
        changed_at: new Date(),
        changed_by: staff.id,
      })
      .onConflict()
      .merge();
    // What somebody had as a test copy was the mailing as it was before.
    await trx('mailing').where({ id: mailingId }).update({ tested_at: null });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'one copy changed by hand',
      subject: 'mailing',
      id: mailingId,
      after: { client: copy.client_id, person: copy.person_id },
    });
    await noteChange(trx, 'mailings', 'mailing', [mailingId]);
  });
}

/** Lets one copy say what all say again. @throws Refusal when the mailing is no draft */
export async function dropCopy(db: Knex, mailingId: number, key: string): Promise<void> {
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    await trx('mailing_own_copy').where(named(mailingId, key)).delete();
    await trx('mailing').where({ id: mailingId }).update({ tested_at: null });
    await noteChange(trx, 'mailings', 'mailing', [mailingId]);
  });
}
