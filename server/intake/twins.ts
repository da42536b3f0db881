import { maybeSame } from '../../core/message/compare.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import type { Transaction } from '../foundation/database.ts';
import { hashOf, readRaw } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { readingOf } from '../reading/kept.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import type { Prepared } from './prepare.ts';

/** A message that bears the same Message-ID, sender and Date: kept, or earlier in the batch. */
interface Relative {
  identity: Buffer;
  bodyKey: Buffer | null;
  rawHash: Buffer;
  ours: boolean;
  read(): Promise<ReadMessage>;
  bytes(): Promise<Uint8Array>;
}

/** A message that is kept. */
export type Kept = Pick<Rows['message'], 'id' | 'direction' | 'at'>;

/** So many of one family are looked at for a newcomer, and so many compared whole; whoever makes more means no good. */
const MOST = 12;
const MOST_WHOLE = 3;

/**
 * Message-ID, sender and Date are the writer's own choice: two messages that share them are one only when
 * they say the same. Gives each of the batch its identity: that of the message it is a copy of, or one of its own.
 * @returns those kept of whom any of them may be a copy, by identity in hexadecimal
 */
export async function tellApart(trx: Transaction, prepared: readonly Prepared[]): Promise<Map<string, Kept>> {
  const kept = new Map<string, Kept>();
  const families = await relatives(trx, prepared, kept);
  for (const message of prepared) {
    const name = message.family.toString('hex');
    const known = families.get(name) ?? [];
    const same = await copied(known, message);
    if (same) message.identity = same.identity;
    else if (known.length) message.identity = hashOf(Buffer.concat([message.family, message.bodyKey]));
    message.key = message.identity.toString('hex');
    if (!same) families.set(name, [...known, relativeOf(message)]);
  }
  return kept;
}

async function relatives(
  trx: Transaction,
  prepared: readonly Prepared[],
  kept: Map<string, Kept>,
): Promise<Map<string, Relative[]>> {
  const rows = await trx('message')
    .whereIn(
      'family',
      prepared.map(({ family }) => family),
    )
    .orderBy('id')
    .select('id', 'identity', 'family', 'body_key', 'raw_hash', 'direction', 'at');
  const families = new Map<string, Relative[]>();
  for (const row of rows) {
    const name = row.family.toString('hex');
    const relative: Relative = {
      identity: row.identity,
      bodyKey: row.body_key,
      rawHash: row.raw_hash,
      ours: row.direction !== 'received',
      read: async () => (await readingOf(trx, row.raw_hash)).read,
      bytes: () => readRaw(trx, row.raw_hash),
    };
    families.set(name, [...(families.get(name) ?? []), relative]);
    kept.set(row.identity.toString('hex'), { id: row.id, direction: row.direction, at: row.at });
  }
  return families;
}

function relativeOf(message: Prepared): Relative {
  return {
    identity: message.identity,
    bodyKey: message.bodyKey,
    rawHash: message.raw.hash,
    ours: message.ours,
    read: () => Promise.resolve(message.read),
    bytes: () => Promise.resolve(message.bytes),
  };
}

/** The one among its relatives that the message is a copy of. */
async function copied(known: readonly Relative[], message: Prepared): Promise<Relative | undefined> {
  const exact = known.find(
    ({ bodyKey, rawHash }) => rawHash.equals(message.raw.hash) || bodyKey?.equals(message.bodyKey),
  );
  if (exact) return exact;
  // What we sent and its copy in Sent are one; what was changed on the way is noted on it (compareSent).
  const own = message.ours ? known.find(({ ours }) => ours) : undefined;
  if (own) return own;
  if (known.length >= MOST) return undefined;
  let whole = 0;
  for (const relative of known) {
    if (!maybeSame(await relative.read(), message.read)) continue;
    if (++whole > MOST_WHOLE) break;
    if (await saysTheSame(await relative.bytes(), message.bytes)) return relative;
  }
  return undefined;
}

async function saysTheSame(one: Uint8Array, two: Uint8Array): Promise<boolean> {
  try {
    return await pool.run('sameMessage', [one, two]);
  } catch (error) {
    if (error instanceof CouldNotBeRead) return false;
    throw error;
  }
}
