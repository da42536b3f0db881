import type { ImapFlow } from 'imapflow';
import { DateTime } from 'luxon';
import type { DifferenceKind, NeverRead } from '../../contract/index.ts';
import { accountOf, type Account, type Known, type OnServer } from '../../core/reckoning/account.ts';
import type { AppContext } from '../foundation/context.ts';
import type { Database } from '../foundation/database.ts';
import { select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { accessOf, type MailboxRow } from '../mailserver/access.ts';
import { imapClient, openFolder } from '../mailserver/imap.ts';
import { connectionProblem } from '../mailserver/problem.ts';

/** A folder of a day: its account, and why it is never read, if it is not. */
export interface CountedFolder {
  mailboxId: number;
  folder: string;
  rule: NeverRead | null;
  account: Account;
}

/** One thing that does not fit. */
export interface Difference {
  kind: DifferenceKind;
  mailboxId: number | null;
  folder: string;
  uid: number | null;
  messageId: number | null;
  dispatchId: number | null;
  words: string;
  at: Date | null;
}

const NOWHERE = { folder: '', uid: null, messageId: null, dispatchId: null, at: null };
const NOTHING: Account = {
  ...{ onServer: 0, taken: 0, toCome: 0, missing: 0 },
  ...{ logged: 0, waiting: 0, aside: 0, private: 0 },
};
/** Asked of a server at once. */
const CHUNK = 500;
/** So many that are missing are told by whom they are and what about. */
const MOST_TOLD = 50;

/** A day of the firm's, from its midnight to the next. */
export interface DayOf {
  day: string;
  from: Date;
  until: Date;
}

export function dayOf(day: string, zone: string): DayOf {
  const from = DateTime.fromISO(day, { zone }).startOf('day');
  return { day, from: from.toJSDate(), until: from.plus({ days: 1 }).toJSDate() };
}

/**
 * Counts one day of a mailbox on its server, in a connection of its own that changes nothing, and holds it against what
 * is known here.
 * @returns its folders and what does not fit; of a server that does not answer, that
 */
export async function countMailbox(
  { db, config, log }: AppContext,
  mailbox: MailboxRow,
  day: DayOf,
): Promise<{ folders: CountedFolder[]; differences: Difference[] }> {
  const client = imapClient(accessOf(mailbox, config));
  client.on('error', () => undefined);
  try {
    await client.connect();
    const counted = await countFolders(db, client, mailbox, day);
    await client.logout();
    return counted;
  } catch (error) {
    client.close();
    log.warn({ mailbox: mailbox.id }, 'a mailbox could not be counted');
    const words = `It could not be counted: ${connectionProblem(error).words}`.slice(0, 480);
    return { folders: [], differences: [{ ...NOWHERE, kind: 'unreached', mailboxId: mailbox.id, words }] };
  }
}

async function countFolders(db: Database, client: ImapFlow, mailbox: MailboxRow, day: DayOf) {
  const rows = await db('folder').where({ mailbox_id: mailbox.id }).orderBy('path');
  const folders: CountedFolder[] = [];
  const differences: Difference[] = [];
  for (const row of rows) {
    const at = { mailboxId: mailbox.id, folder: row.path };
    const rule = ruleOf(row, mailbox, day);
    if (rule) {
      // What is never opened is counted by what the server says of it from outside.
      const status = await client.status(row.path, { messages: true }).catch(() => null);
      folders.push({
        ...at,
        rule,
        account: { ...NOTHING, onServer: (status && status.messages) || row.on_server },
      });
      continue;
    }
    const lock = await openFolder(client, row.path, { readOnly: true });
    try {
      const listed = await listedOn(client, day);
      const known = await knownOf(db, row.id, listed);
      const { account, missing } = accountOf(listed, known, {
        toComeBelow: row.history_uid,
        toComeFrom: row.next_uid,
      });
      folders.push({ ...at, rule: null, account });
      differences.push(...(await tellMissing(client, at, missing)));
      differences.push(...(await unknownThere(db, client, row, at, listed, day)));
    } finally {
      lock.release();
    }
  }
  differences.push(...(await goneFrom(db, mailbox.id, day)));
  return { folders, differences };
}

function ruleOf(row: Rows['folder'], { take_from }: MailboxRow, { day }: DayOf): NeverRead | null {
  if (row.closed === 'personal' || row.skipped) return 'personal';
  if (row.closed === 'refused') return 'refused';
  if (row.role === 'drafts' || row.role === 'junk') return row.role;
  return take_from && day < take_from ? 'early' : null;
}

/** What came on a day: servers tell days by their own clocks, so that one more on either side is asked for. */
async function listedOn(client: ImapFlow, { from, until }: DayOf): Promise<OnServer[]> {
  const day = 24 * 3600_000;
  const since = new Date(from.getTime() - day);
  const before = new Date(until.getTime() + 2 * day);
  const uids = (await client.search({ since, before }, { uid: true })) || [];
  const listed: OnServer[] = [];
  for (let at = 0; at < uids.length; at += CHUNK)
    for await (const { uid, internalDate } of client.fetch(
      uids.slice(at, at + CHUNK).join(','),
      { uid: true, internalDate: true },
      { uid: true },
    )) {
      const came = new Date(internalDate ?? 0);
      if (came >= from && came < until) listed.push({ uid, at: came });
    }
  return listed;
}

async function knownOf(db: Database, folderId: number, listed: readonly { uid: number }[]): Promise<Known[]> {
  const known: Known[] = [];
  for (let at = 0; at < listed.length; at += CHUNK)
    known.push(
      ...(await select(
        db('message_copy')
          .join('message', 'message.id', 'message_copy.message_id')
          .where('message_copy.folder_id', folderId)
          .whereIn(
            'message_copy.uid',
            listed.slice(at, at + CHUNK).map(({ uid }) => uid),
          ),
        { uid: 'message_copy.uid', state: 'message.state' },
      )),
    );
  return known;
}

type Place = Pick<Difference, 'mailboxId' | 'folder'>;

/** What lies on the server and is nowhere here, by whom and about what, as its envelope says. */
async function tellMissing(client: ImapFlow, at: Place, missing: readonly OnServer[]): Promise<Difference[]> {
  const told = missing.slice(0, MOST_TOLD);
  const about = new Map<number, string>();
  if (told.length)
    for await (const { uid, envelope } of client.fetch(
      told.map(({ uid }) => uid).join(','),
      { uid: true, envelope: true },
      { uid: true },
    )) {
      const [from] = envelope?.from ?? [];
      about.set(uid, `${from?.name || from?.address || 'somebody'}: ${envelope?.subject ?? 'no subject'}`);
    }
  return missing.map(({ uid, at: came }) => ({
    ...{ ...NOWHERE, ...at, kind: 'missing' as const, uid, at: came },
    words: (about.get(uid) ?? '').slice(0, 400),
  }));
}

/** What is known to lie in a folder and does not: the server is asked for each by its number. */
async function unknownThere(
  db: Database,
  client: ImapFlow,
  { id }: Rows['folder'],
  at: Place,
  listed: readonly OnServer[],
  { from, until }: DayOf,
): Promise<Difference[]> {
  const there = new Set(listed.map(({ uid }) => uid));
  const copies = await select(
    db('message_copy')
      .join('message', 'message.id', 'message_copy.message_id')
      .where('message_copy.folder_id', id)
      .where('message_copy.at', '>=', from)
      .where('message_copy.at', '<', until),
    {
      ...{ uid: 'message_copy.uid', messageId: 'message_copy.message_id', at: 'message_copy.at' },
      ...{ name: 'message.from_name', address: 'message.from_address', subject: 'message.subject' },
    },
  );
  const asked = copies.filter(({ uid }) => !there.has(uid));
  for (let start = 0; start < asked.length; start += CHUNK)
    for await (const { uid } of client.fetch(
      asked
        .slice(start, start + CHUNK)
        .map(({ uid }) => uid)
        .join(','),
      { uid: true },
      { uid: true },
    ))
      there.add(uid);
  return asked
    .filter(({ uid }) => !there.has(uid))
    .map(({ uid, messageId, at: came, name, address, subject }) => ({
      ...{ ...NOWHERE, ...at, kind: 'unknown' as const, uid, messageId, at: came },
      words: `${name || address}: ${subject}`.slice(0, 400),
    }));
}

/** What was taken in and has been deleted on the server since, behind our back: from no bin, and lying nowhere else in that mailbox. */
async function goneFrom(db: Database, mailboxId: number, { from, until }: DayOf): Promise<Difference[]> {
  const rows = await select(
    db('copy_gone')
      .join('message', 'message.id', 'copy_gone.message_id')
      .where('copy_gone.mailbox_id', mailboxId)
      .where('copy_gone.at', '>=', from)
      .where('copy_gone.at', '<', until)
      .whereNotIn('copy_gone.role', ['trash', 'junk'])
      .whereNotExists(
        db('message_copy')
          .join('folder', 'folder.id', 'message_copy.folder_id')
          .whereRaw('message_copy.message_id = copy_gone.message_id')
          .where('folder.mailbox_id', mailboxId),
      )
      .orderBy('copy_gone.id'),
    {
      ...{ messageId: 'copy_gone.message_id', folder: 'copy_gone.folder_path', at: 'copy_gone.at' },
      ...{ name: 'message.from_name', address: 'message.from_address', subject: 'message.subject' },
    },
  );
  return [...new Map(rows.map((row) => [row.messageId, row])).values()].map((row) => ({
    ...{
      ...NOWHERE,
      kind: 'gone' as const,
      mailboxId,
      folder: row.folder,
      messageId: row.messageId,
      at: row.at,
    },
    words: `${row.name || row.address}: ${row.subject}`.slice(0, 400),
  }));
}
