import type { Knex } from 'knex';
import { Refusal } from '../foundation/refusal.ts';
import { selectFirst } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';

/** The bytes of a document. @throws Refusal when its message cannot be taken apart */
export async function contentOf(
  db: Knex,
  { raw_hash, message_id, part }: Pick<Rows['document'], 'raw_hash' | 'message_id' | 'part'>,
): Promise<{ content: Uint8Array }> {
  if (raw_hash) return { content: await readRaw(db, raw_hash) };
  const message = await selectFirst(db('message').where('message.id', message_id), {
    hash: 'message.raw_hash',
  });
  if (!message) throw new Refusal(404, 'The message that it came with is not here any more.');
  return enclosureOf(await readRaw(db, message.hash), part ?? 0);
}

/** One enclosure of a message. @throws Refusal when there is none, or the message cannot be taken apart */
export async function enclosureOf(raw: Uint8Array, part: number) {
  const found = await pool.run('enclosure', [raw, part]).catch((error: unknown) => {
    if (!(error instanceof CouldNotBeRead)) throw error;
    throw new Refusal(
      422,
      'That message is too intricate to take an enclosure out of it. Save its source instead.',
    );
  });
  if (!found) throw new Refusal(404, 'That enclosure is not here.');
  return found;
}
