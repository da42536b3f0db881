import type { ImapFlow } from 'imapflow';
import type { Knex } from 'knex';
import { transact, type Database } from '../database/database.ts';
import { groupBy } from '../register/filingRegister.ts';
import { refreshMarks } from './marks.ts';

interface Wish {
  id: number;
  folder_id: number;
  uid: number;
  kind: 'seen' | 'flagged' | 'answered' | 'move';
  value: number | null;
  to_folder_id: number | null;
  at: Date;
  tries: number;
}

const FLAGS = { seen: '\\Seen', flagged: '\\Flagged', answered: '\\Answered' } as const;
/** So many are carried out at once. */
const BATCH = 500;
/** A wish that was refused this often is given up, and the message shown where it really is. */
const MOST_TRIES = 5;

/** Whether people did something here that the mailbox does not know yet. */
export async function hasWishes(db: Knex, mailboxId: number): Promise<boolean> {
  return Boolean(await db('mail_change').where({ mailbox_id: mailboxId }).first('id'));
}

/**
 * Carries out on the server what people did here, oldest first. Doing one twice does no harm, so that a
 * process may die at any point. A message that is no longer where the wish saw it was moved or deleted
 * elsewhere: that counts, and the wish is dropped.
 */
export async function carryOutWishes(db: Database, client: ImapFlow, mailboxId: number): Promise<void> {
  for (;;) {
    const wishes: Wish[] = await db('mail_change')
      .where({ mailbox_id: mailboxId })
      .orderBy('id')
      .limit(BATCH)
      .select();
    if (!wishes.length) return;
    let refused: unknown = null;
    for (const [folderId, own] of groupBy(wishes, (wish) => wish.folder_id)) {
      const folder: WishedFolder | undefined = await db('folder')
        .where({ id: folderId })
        .first('path', 'uid_validity');
      if (!folder) continue;
      try {
        await carryOutWithin(db, client, folder, own);
      } catch (error) {
        // One folder that refuses, or is gone, costs its own wishes a try; the connection itself costs all.
        if (!client.usable) throw error;
        refused ??= error;
      }
    }
    if (refused) throw refused;
  }
}

interface WishedFolder {
  path: string;
  uid_validity: number;
}

/** Carries out the wishes of one folder. @throws when the server refused one of them, or the folder cannot be opened */
async function carryOutWithin(
  db: Database,
  client: ImapFlow,
  folder: WishedFolder,
  own: readonly Wish[],
): Promise<void> {
  const lock = await client.getMailboxLock(folder.path).catch(async (error: unknown) => {
    if (client.usable) await settle(db, own, false).catch(() => undefined);
    throw error;
  });
  try {
    // The folder was made again meanwhile: its numbers mean other messages now, and nothing is done to them.
    if (!client.mailbox || Number(client.mailbox.uidValidity) !== Number(folder.uid_validity))
      throw new Error('The folder was made anew on the mail server.');
    // Flags first: what is moved takes them along.
    for (const wish of groups(own.filter((each) => each.kind !== 'move'))) await setFlag(db, client, wish);
    for (const wish of groups(own.filter((each) => each.kind === 'move')))
      await move(db, client, await stillThere(db, client, wish));
  } finally {
    lock.release();
  }
}

/**
 * Those wishes whose messages are still the ones that lie at their numbers, told by their Message-IDs: what a
 * server gives a number it should never have used again is not moved or deleted. The others are given up.
 */
async function stillThere(db: Database, client: ImapFlow, wishes: readonly Wish[]): Promise<Wish[]> {
  const uids = wishes.map((wish) => wish.uid);
  const known: { uid: number; message_id: string | null }[] = await db('message_copy')
    .join('message', 'message.id', 'message_copy.message_id')
    .where('folder_id', wishes[0]?.folder_id ?? 0)
    .whereIn('uid', uids)
    .select('uid', 'message.message_id');
  const idOf = new Map(known.map((copy) => [Number(copy.uid), copy.message_id]));
  const others = new Set<number>();
  for await (const { uid, envelope } of client.fetch(
    uids.join(','),
    { uid: true, envelope: true },
    { uid: true },
  )) {
    const there = envelope?.messageId?.trim().replace(/^<|>$/g, '') ?? '';
    const meant = idOf.get(uid);
    if (meant && there && there !== meant) others.add(uid);
  }
  const given = wishes.filter((wish) => others.has(wish.uid));
  if (given.length)
    await db('mail_change')
      .whereIn(
        'id',
        given.map(({ id }) => id),
      )
      .delete();
  return wishes.filter((wish) => !others.has(wish.uid));
}

/** Wishes of one folder that can be said to the server in one command. */
function groups(wishes: readonly Wish[]): Wish[][] {
  return [...groupBy(wishes, (wish) => `${wish.kind} ${wish.value} ${wish.to_folder_id}`).values()];
}

async function setFlag(db: Database, client: ImapFlow, wishes: readonly Wish[]): Promise<void> {
  const [first] = wishes;
  if (!first || first.kind === 'move') return;
  const uids = wishes.map((wish) => wish.uid).join(',');
  const flags = [FLAGS[first.kind]];
  const done = first.value
    ? await client.messageFlagsAdd(uids, flags, { uid: true, silent: true })
    : await client.messageFlagsRemove(uids, flags, { uid: true, silent: true });
  await settle(db, wishes, done !== false);
}

async function move(db: Database, client: ImapFlow, wishes: readonly Wish[]): Promise<void> {
  const [first] = wishes;
  if (!first) return;
  const uids = wishes.map((wish) => wish.uid).join(',');
  if (first.to_folder_id === null) {
    await settle(db, wishes, await client.messageDelete(uids, { uid: true }), () => null);
    return;
  }
  const to: { path: string } | undefined = await db('folder').where({ id: first.to_folder_id }).first('path');
  const result = to ? await client.messageMove(uids, to.path, { uid: true }) : false;
  const map = result ? result.uidMap : undefined;
  await settle(db, wishes, Boolean(result), (uid) => map?.get(uid) ?? null);
}

/**
 * Strikes wishes off that were carried out, unless they changed meanwhile; counts a refusal.
 * @param placed for moves: the UID a message has in its new folder, null when the server did not say
 */
async function settle(
  db: Database,
  wishes: readonly Wish[],
  done: boolean,
  placed?: (uid: number) => number | null,
): Promise<void> {
  await transact(db, async (trx) => {
    for (const wish of wishes) {
      const open = trx('mail_change').where({ id: wish.id, at: wish.at });
      if (!done && wish.tries + 1 < MOST_TRIES) {
        await open.update({ tries: wish.tries + 1 });
        continue;
      }
      await open.delete();
      if (!placed) continue;
      const where = { folder_id: wish.folder_id, uid: wish.uid };
      const copy = await trx('message_copy').where(where).first();
      if (!copy) continue;
      if (!done) await trx('message_copy').where(where).update({ shown_in: wish.folder_id });
      else {
        await trx('message_copy').where(where).delete();
        const uid = placed(wish.uid);
        if (uid !== null && wish.to_folder_id !== null)
          await trx('message_copy')
            .insert({ ...copy, folder_id: wish.to_folder_id, shown_in: wish.to_folder_id, uid })
            .onConflict(['folder_id', 'uid'])
            .ignore();
      }
      await refreshMarks(trx, [copy.message_id]);
    }
  });
  if (!done) throw new Error('The mail server did not carry out what was asked of it.');
}
