import type { Knex } from 'knex';
import type { z } from 'zod';
import type { ConversationRow, Join, Joined } from '../../contract/index.ts';
import { flatThreads, threads } from '../../core/conversation/thread.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { readableBy, refuseUnlessReadable } from '../correspondence/access.ts';
import { messageRows, type ListedMessage } from '../correspondence/rows.ts';
import { notFound } from '../foundation/refusal.ts';
import { groupBy } from '../foundation/rows.ts';
import { newConversation } from '../correspondence/newConversations.ts';
import { noteWhoOwes } from '../correspondence/owing.ts';

const MOST = 200;
/** So many of the messages that one names decide its place in the thread, the nearest. */
const MOST_NAMED = 10;

/**
 * The messages of a conversation as a thread (RFC 5256): answers below what they answer, oldest first, each
 * with where it is; what the person may not read left out.
 */
export async function conversation(db: Knex, staffId: number, id: number): Promise<ConversationRow[]> {
  const messages: ListedMessage[] = await readableBy(
    db,
    db('message').where({ conversation_id: id }),
    staffId,
  )
    .orderBy('at')
    .limit(MOST)
    .select(
      'id',
      'at',
      'direction',
      'from_name',
      'from_address',
      'to_words',
      'subject',
      'snippet',
      'state',
      'confirmation',
    );
  const rows = new Map((await messageRows(db, messages)).map((row) => [row.id, row]));
  return flatThreads(threads(await linked(db, messages))).flatMap(({ message, depth }) => {
    const row = rows.get(message.id);
    return row ? [{ ...row, depth }] : [];
  });
}

/** A person takes a message out of a conversation it does not belong to. @returns the conversation it is of now */
export async function partMessage(context: AppContext, staffId: number, id: number): Promise<number> {
  const made = await transact(context.db, async (trx) => {
    const before = await messageToMove(trx, staffId, id);
    const made = await newConversation(trx);
    await moveTo(trx, staffId, id, before, made);
    return made;
  });
  return made;
}

/**
 * A person puts a message into a conversation it belongs to: also how a parting is taken back.
 * @throws Refusal when either is not here, or the person may not read it
 */
export async function joinConversation(
  context: AppContext,
  staffId: number,
  id: number,
  to: z.output<typeof Join>,
): Promise<z.output<typeof Joined>> {
  return transact(context.db, async (trx) => {
    const before = await messageToMove(trx, staffId, id);
    const conversationId = 'withId' in to ? await messageToMove(trx, staffId, to.withId) : to.conversationId;
    if (!(await trx('conversation').where({ id: conversationId }).first('id')))
      throw notFound('That conversation');
    // Into an emptied one it may go back; into one of which the person may read nothing it may not.
    const within = trx('message').where({ conversation_id: conversationId });
    if (
      (await within.clone().first('id')) &&
      !(await readableBy(trx, within.clone(), staffId).first('message.id'))
    )
      throw notFound('That conversation');
    if (before !== conversationId) await moveTo(trx, staffId, id, before, conversationId);
    return { conversationId, before };
  });
}

/** The conversation a message is of; it is locked until the transaction ends. */
async function messageToMove(trx: Transaction, staffId: number, id: number): Promise<number> {
  const row = await trx('message').where({ id }).forUpdate().first('id', 'state', 'conversation_id');
  if (!row) throw notFound('That message');
  await refuseUnlessReadable(trx, staffId, row);
  return row.conversation_id;
}

async function moveTo(
  trx: Transaction,
  staffId: number,
  id: number,
  before: number,
  after: number,
): Promise<void> {
  await trx('message').where({ id }).update({ conversation_id: after });
  await noteChange(trx, 'mail', 'message', [id]);
  await noteChange(trx, 'sorting');
  await noteWhoOwes(trx, [before, after]);
  await noteAudit(trx, {
    staffId,
    action: 'conversation changed',
    subject: 'message',
    id,
    before: { conversation: before },
    after: { conversation: after },
  });
}

/** What ties the messages to each other, from what they named when they were taken in. */
async function linked(db: Knex, messages: readonly ListedMessage[]) {
  const links = await db('message_link')
    .whereIn(
      'message_id',
      messages.map(({ id }) => id),
    )
    .where('place', '<=', MOST_NAMED)
    .orderBy('place', 'desc')
    .select('message_id', 'link_key', 'place');
  const linksOf = groupBy(links, (link) => link.message_id);
  return messages.map(({ id, subject, at }) => {
    const own = linksOf.get(id) ?? [];
    return {
      id,
      subject,
      at: at.getTime(),
      messageId: own.find(({ place }) => place === 0)?.link_key.toString('hex') ?? null,
      inReplyTo: [],
      // The farthest first, as in the header.
      references: own.filter(({ place }) => place > 0).map(({ link_key }) => link_key.toString('hex')),
    };
  });
}
