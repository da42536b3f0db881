import type { Transaction } from '../foundation/database.ts';

/** So many conversations with nothing in them yet. */
export async function newConversations(trx: Transaction, count: number): Promise<number[]> {
  if (!count) return [];
  const [rows] = (await trx.raw(
    `INSERT INTO conversation () VALUES ${Array(count).fill('()').join(', ')} RETURNING id`,
  )) as [{ id: number }[]];
  return rows.map((row) => Number(row.id));
}

/** A conversation with nothing in it yet. */
export async function newConversation(trx: Transaction): Promise<number> {
  const [id = 0] = await newConversations(trx, 1);
  return id;
}
