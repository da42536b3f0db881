import { transact } from '../foundation/database.ts';
import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { Owing } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import type { Transaction } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { refuseUnlessReadable } from './access.ts';
import type { AppContext } from '../foundation/context.ts';
import { notFound } from '../foundation/refusal.ts';
import { filesOfMessages } from './rows.ts';
import { groupBy, select } from '../foundation/rows.ts';

/** Older than this nobody waits any more. */
const DAYS = 120;

/** Conversations in which an answer is owed: by us, longest first, then by them. */
export async function owing(
  db: Knex,
  { clientId, who, limit }: { clientId?: number; who?: 'we' | 'they'; limit: number },
): Promise<Owing[]> {
  const found = db('message')
    .whereIn('message.waits', who ? [who] : ['we', 'they'])
    .where('message.at', '>', new Date(Date.now() - DAYS * 24 * 3600 * 1000))
    .where('message.state', 'logged')
    .orderBy('message.waits')
    .orderBy('message.at');
  if (clientId)
    found.whereExists(
      db('filing')
        .join('file', 'file.id', 'filing.file_id')
        .whereRaw('filing.message_id = message.id')
        .where('file.client_id', clientId)
        .select(db.raw('1')),
    );
  const rows = await found
    .limit(limit)
    .select('id', 'conversation_id', 'waits', 'at', 'subject', 'from_name', 'from_address', 'to_words');
  const files = await filesOfMessages(
    db,
    rows.map((row) => row.id),
  );
  const filesOf = groupBy(files, (file) => file.message_id);
  return rows.map((row) => {
    const own = filesOf.get(row.id) ?? [];
    const file = own.find((each) => each.client_id === clientId) ?? own[0];
    return {
      messageId: row.id,
      conversationId: row.conversation_id,
      who: row.waits ?? 'we',
      since: row.at.toISOString(),
      subject: row.subject,
      correspondent: row.waits === 'we' ? shownName(row.from_name, row.from_address) : row.to_words,
      file: file ? { id: file.id, number: file.number, clientId: file.client_id } : null,
    };
  });
}

/** How many answers we owe, and they. */
export async function owingCounts(db: Knex): Promise<{ we: number; they: number }> {
  const open = db('message')
    .whereIn('waits', ['we', 'they'])
    .where('at', '>', new Date(Date.now() - DAYS * 24 * 3600 * 1000))
    .where('state', 'logged')
    .groupBy('waits');
  const rows = await select(open, { waits: 'message.waits', count: db.raw<number>('COUNT(*)') });
  const of = (who: string) => rows.find((row) => row.waits === who)?.count ?? 0;
  return { we: of('we'), they: of('they') };
}

/**
 * A person says that a message needs no answer, or does after all.
 * @throws Refusal when there is no such message, or the person may not read it
 */
export async function setAnswerNeeded(
  context: AppContext,
  staffId: number,
  messageId: number,
  needs: boolean,
): Promise<void> {
  const { db } = context;
  const row = await db('message').where({ id: messageId }).first('id', 'state', 'direction');
  if (!row) throw notFound('That message');
  await refuseUnlessReadable(db, staffId, row);
  await transact(db, async (trx) => {
    await trx('message')
      .where({ id: messageId })
      .update({ asks: needs, waits: needs ? (row.direction === 'sent' ? 'they' : 'we') : null });
    const what = needs ? 'answer needed' : 'no answer needed';
    await noteAudit(trx, { staffId, action: what, subject: 'message', id: messageId });
    await noteChange(trx, 'mail', 'message', [messageId]);
    await noteChange(
      trx,
      'mail',
      'file',
      await trx('filing').where({ message_id: messageId }).pluck('file_id'),
    );
  });
}

/**
 * Who owes an answer: whoever did not write the last word of a conversation, if that leaves something open.
 * What the receiving server knows to be forged is nobody's word.
 */
export async function noteWhoOwes(trx: Transaction, conversationIds: readonly number[]): Promise<void> {
  if (!conversationIds.length) return;
  await trx('message')
    .whereIn('conversation_id', conversationIds)
    .whereNotNull('waits')
    .update({ waits: null });
  await trx.raw(
    `UPDATE message JOIN (
        SELECT id, ROW_NUMBER() OVER (PARTITION BY conversation_id ORDER BY at DESC, id DESC) AS place
        FROM message
        WHERE conversation_id IN (${conversationIds.map(() => '?').join(', ')})
          AND automatic IS NULL AND direction <> 'internal' AND NOT confirmation <=> 'failed'
      ) AS told ON told.id = message.id
      SET waits = IF(direction = 'received', 'we', 'they') WHERE told.place = 1 AND asks = 1`,
    conversationIds as number[],
  );
}
