import type { Knex } from 'knex';
import { addressKey } from '../../core/address/address.ts';
import { leavesOpen } from '../../core/conversation/owing.ts';
import { subjectKey } from '../../core/conversation/subject.ts';
import { searchWords } from '../../core/message/words.ts';
import { writtenPart } from '../../core/message/written.ts';
import { transact } from '../foundation/database.ts';
import { hashOf } from '../foundation/sources.ts';
import { readFirm } from '../foundation/firm.ts';
import { insertAll } from '../foundation/rows.ts';
import { readAgain, readingOf } from '../reading/kept.ts';
import { documentsOf, noteDocuments } from '../documents/came.ts';
import { noteWhoOwes } from '../correspondence/owing.ts';

/** So many are read again at once. */
const BATCH = 100;
/** The setting that says that it was done. */
const DONE = 'older mail filled in';

interface Older {
  id: number;
  conversation_id: number;
  raw_hash: Buffer;
  direction: 'received' | 'sent' | 'internal';
  base_subject: string;
}

/**
 * Gives messages that older versions took in what was not asked of them then: words for search, subject keys, whether
 * they leave an answer owed. They are known by having no words, and looked for once in the life of a database. Doing
 * it twice, or in two processes, does no harm.
 * @returns how many there were
 */
export async function refill(db: Knex): Promise<number> {
  if (await db('setting').where({ name: DONE }).first('name')) return 0;
  let done = 0;
  for (let after = 0; ;) {
    const rows: Older[] = await db('message')
      .leftJoin('raw_words', 'raw_words.hash', 'message.raw_hash')
      .where('message.id', '>', after)
      .whereNull('raw_words.id')
      .orderBy('message.id')
      .limit(BATCH)
      .select('message.id', 'conversation_id', 'raw_hash', 'direction', 'base_subject');
    if (!rows.length) break;
    await refillSome(db, rows);
    after = rows.at(-1)?.id ?? after;
    done += rows.length;
  }
  await db('setting').insert({ name: DONE, value: 'true' }).onConflict('name').ignore();
  return done;
}

/** The setting that says that enclosures of older mail are documents. */
const ENCLOSED = 'older enclosures noted';

/**
 * Notes as documents what came with messages that older versions took in; looked for once in the life of a database.
 * @returns how many messages there were
 */
export async function refillDocuments(db: Knex): Promise<number> {
  if (await db('setting').where({ name: ENCLOSED }).first('name')) return 0;
  let done = 0;
  for (let after = 0; ;) {
    const rows = await db('message')
      .where('id', '>', after)
      .where('enclosures', '>', 0)
      .orderBy('id')
      .limit(BATCH)
      .select('id', 'at', 'raw_hash');
    const found: Parameters<typeof noteDocuments>[1][number][] = [];
    for (const { id, at, raw_hash } of rows) {
      const kept = await readingOf(db, raw_hash);
      const known = kept.hashes ? kept : await readAgain(db, raw_hash);
      found.push({ id, at, documents: documentsOf(known) });
    }
    if (!rows.length) break;
    await noteDocuments(db, found);
    after = rows.at(-1)?.id ?? after;
    done += rows.length;
  }
  await db('setting').insert({ name: ENCLOSED, value: 'true' }).onConflict('name').ignore();
  return done;
}

async function refillSome(db: Knex, rows: readonly Older[]): Promise<void> {
  const ours = new Set((await readFirm(db)).domains);
  const reads = await Promise.all(
    rows.map(async (row) => ({ row, read: (await readingOf(db, row.raw_hash)).read })),
  );
  const asking = reads.flatMap(({ row, read }) =>
    row.direction !== 'internal' &&
    !read.automatic &&
    leavesOpen(
      row.direction,
      read.subject,
      writtenPart(read.text, [read.from?.name ?? ''], read.from?.address).own,
    )
      ? [row.id]
      : [],
  );
  const parties = await db('message_party')
    .whereIn(
      'message_id',
      rows.map(({ id }) => id),
    )
    .distinct('message_id', 'email_key', 'domain');
  const subjects = new Map(rows.map((row) => [row.id, subjectKey(row.base_subject)]));
  const keyed = parties.flatMap(({ message_id, email_key, domain }) => {
    const subject = subjects.get(message_id);
    return subject && !ours.has(domain ?? '')
      ? [{ message_id, subject_key: hashOf(`${subject}\n${addressKey(email_key)}`) }]
      : [];
  });
  await transact(db, async (trx) => {
    if (asking.length) await trx('message').whereIn('id', asking).update({ asks: 1 });
    await noteWhoOwes(trx, [...new Set(rows.map(({ conversation_id }) => conversation_id))]);
    await insertAll(trx, 'message_subject', keyed, { ignore: true });
    await insertAll(
      trx,
      'raw_words',
      reads.map(({ row, read }) => ({ hash: row.raw_hash, words: searchWords(read) })),
      { ignore: true },
    );
  });
}
