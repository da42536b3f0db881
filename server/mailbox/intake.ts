import type { Knex } from 'knex';
import { addressKey } from '../../core/address/address.ts';
import { leavesOpen } from '../../core/conversation/owing.ts';
import { baseSubject } from '../../core/conversation/subject.ts';
import { namedMessages } from '../../core/conversation/conversation.ts';
import { returnKind, returnWords } from '../../core/delivery/report.ts';
import { filingMessage, outsideAddresses } from '../../core/filing/message.ts';
import type { FilingMind } from '../../core/filing/decide.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { FilingMessage } from '../../core/filing/types.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import { searchWords } from '../../core/message/words.ts';
import { snippet } from '../../core/message/written.ts';
import { insertAll, transact, type Transaction } from '../database/database.ts';
import { beat } from '../database/pulse.ts';
import { hashOf, keepRaw, type RawRow } from '../database/raw.ts';
import { decideFor, redecideRelated, subjectHashes, type Decided, type Undecided } from '../filing/decide.ts';
import { settleSent } from '../dispatch/settle.ts';
import type { Office } from '../office.ts';
import { compareSent } from './compare.ts';
import { refreshMarks } from './marks.ts';
import { readAll, type Reading } from './reading.ts';

/** A message as a folder holds it. */
export interface Arrival {
  folderId: number;
  /** Lies in a folder of sent mail. */
  sent: boolean;
  uid: number;
  seen: boolean;
  flagged: boolean;
  internalDate: Date;
  raw: Uint8Array;
}

/** A message read and ready to be kept. */
export interface Prepared {
  identity: Buffer;
  /** The identity as text, for maps. */
  key: string;
  raw: RawRow;
  read: ReadMessage;
  filing: FilingMessage;
  at: Date;
  subjectHashes: Buffer[];
  received: boolean;
  /** Leaves its readers something to answer. */
  asks: boolean;
  row: Record<string, unknown>;
  links: Buffer[];
}

const EARLIEST = Date.UTC(1990, 0, 1);
const DAY = 24 * 3600 * 1000;

/** So many batches are read or wait to be kept at once, so that memory stays bounded. */
const IN_LINE = 3;

/** Takes batches in one after another, while the next is being read and the one after it fetched. */
export class IntakeLine {
  private tail: Promise<unknown> = Promise.resolve();
  private failure: { error: unknown } | null = null;
  private readonly waiting = new Set<Promise<unknown>>();

  constructor(private readonly office: Office) {}

  /**
   * Hands a batch over; returns as soon as the next may be handed over.
   * @param progress what to write down in the same transaction about how far the folder has been read
   * @throws what went wrong with an earlier batch
   */
  async hand(arrivals: readonly Arrival[], progress?: (trx: Transaction) => Promise<unknown>): Promise<void> {
    const before = this.tail;
    const work = Promise.all([this.read(arrivals), before]).then(async ([prepared]) => {
      // What comes after a failure waits for the next attempt: progress must not run ahead of it.
      if (!this.failure) await takeIn(this.office, arrivals, prepared, progress);
    });
    this.tail = work.catch((error: unknown) => {
      this.failure ??= { error };
    });
    const settled: Promise<unknown> = this.tail.then(() => this.waiting.delete(settled));
    this.waiting.add(settled);
    if (this.waiting.size >= IN_LINE) await Promise.race(this.waiting);
    if (this.failure) await this.done();
  }

  private async read(arrivals: readonly Arrival[]): Promise<Prepared[]> {
    if (!arrivals.length) return [];
    const readings = await readAll(arrivals.map((arrival) => arrival.raw));
    const { register } = await this.office.filingMind();
    const prepared = readings.map((reading, index) =>
      prepare(register, reading, arrivals[index]?.internalDate ?? new Date()),
    );
    await keepSources(this.office.db, prepared);
    return prepared;
  }

  /** Waits until everything handed over has been kept. @throws what went wrong with one of the batches */
  async done(): Promise<void> {
    await this.tail;
    const { failure } = this;
    this.failure = null;
    if (failure) throw failure.error;
  }
}

/**
 * Keeps the sources of those messages that are not here yet, and their words for search, before their turn
 * comes: it is most of the writing. Should the process die before they are taken in, the next attempt finds them kept.
 * @param evenKnown for sources that may take the place of the one a record has
 */
export async function keepSources(
  db: Knex,
  prepared: readonly Prepared[],
  { evenKnown = false } = {},
): Promise<void> {
  const known = evenKnown ? new Map<string, number>() : await identified(db, prepared);
  const fresh = prepared.filter((message) => !known.has(message.key));
  await keepRaw(
    db,
    fresh.map((message) => message.raw),
  );
  const words = new Map(
    fresh.map(({ raw, read }) => [raw.hash.toString('hex'), { hash: raw.hash, words: searchWords(read) }]),
  );
  await insertAll(db, 'raw_words', [...words.values()], { chunk: 100, ignore: true });
}

/**
 * Takes a batch of arrivals in: each message once, whatever mailboxes hold it, decided on and kept with
 * its evidence, in one transaction. Taking the same batch in again changes nothing.
 */
async function takeIn(
  office: Office,
  arrivals: readonly Arrival[],
  prepared: readonly Prepared[],
  progress?: (trx: Transaction) => Promise<unknown>,
): Promise<void> {
  const mind = await office.filingMind();
  await transact(office.db, async (trx) => {
    if (arrivals.length) {
      await intakeTurn(trx);
      const newest = Number((await trx('message').max('id as id').first())?.id ?? 0);
      const ids = await keepMessages(trx, mind, prepared, marksOf(arrivals, prepared));
      await keepCopies(trx, arrivals, prepared, ids);
      // What is new has its marks already.
      await refreshMarks(
        trx,
        ids.filter((id) => id <= newest),
      );
      await compareSent(trx, arrivals, prepared, ids);
      await beat(trx, 'mail', 'sorting');
    }
    await progress?.(trx);
  });
}

/** One intake at a time keeps a message, so that conversations and shared messages are joined without a race. */
export async function intakeTurn(trx: Transaction): Promise<void> {
  await trx('pulse').where({ topic: 'mail' }).forUpdate().first();
}

/** Works out everything about a message that needs no database. */
export function prepare(register: FilingRegister, { raw, read, written }: Reading, arrived: Date): Prepared {
  const isOurs = (address: string) => register.isOurs(address);
  const fromOurs = read.from !== null && isOurs(read.from.address);
  const at =
    read.date && read.date.getTime() > EARLIEST && read.date.getTime() < arrived.getTime() + 2 * DAY
      ? read.date
      : arrived;
  const filing = { ...filingMessage(register, read, written), at: at.getTime() };
  const outside = outsideAddresses(filing, isOurs);
  const identity = read.messageId
    ? hashOf(
        [read.messageId, read.from?.address.toLowerCase() ?? '', read.headers.get('date') ?? ''].join('\n'),
      )
    : raw.hash;
  const direction = !fromOurs ? 'received' : outside.length ? 'sent' : 'internal';
  const asks = direction !== 'internal' && !read.automatic && leavesOpen(direction, read.subject, filing.own);
  const row = {
    identity,
    message_id: read.messageId?.slice(0, 998) ?? null,
    message_key: read.messageId ? hashOf(read.messageId) : null,
    raw_hash: raw.hash,
    direction,
    at,
    from_name: cut(read.from?.name ?? '', 255),
    from_address: cut(read.from?.address ?? '', 254),
    to_words: cut([...read.to, ...read.cc].map((mailbox) => mailbox.name || mailbox.address).join(', '), 500),
    subject: cut(read.subject, 500),
    base_subject: cut(baseSubject(read.subject).text, 500),
    snippet: snippet(filing.own || read.text),
    enclosures: read.enclosures.filter((enclosure) => !enclosure.inline).length,
    automatic: read.automatic,
    list_id: cut(filing.list, 200),
    asks,
    taken_in_at: new Date(),
  };
  const returned = read.report?.originalMessageId;
  const bearsOrNames = [read.messageId, ...namedMessages(read), returned].filter(
    (id) => typeof id === 'string',
  );
  const links = [...new Set(bearsOrNames)].slice(0, 100).map(hashOf);
  return {
    identity,
    key: identity.toString('hex'),
    raw,
    read,
    filing,
    at,
    subjectHashes: subjectHashes(register, filing),
    received: !fromOurs,
    asks,
    row,
    links,
  };
}

/** Cuts text to a column's width, never through a surrogate pair. */
function cut(text: string, length: number): string {
  return text.length <= length ? text : Array.from(text.slice(0, length)).slice(0, -1).join('');
}

/** Notes where the copies of messages lie, and their flags. */
async function keepCopies(
  trx: Transaction,
  arrivals: readonly Arrival[],
  prepared: readonly Prepared[],
  ids: readonly number[],
): Promise<void> {
  await trx.raw(
    `INSERT INTO message_copy (folder_id, shown_in, uid, message_id, seen, flagged, at)
      VALUES ${arrivals.map(() => '(?, ?, ?, ?, ?, ?, ?)').join(', ')}
      ON DUPLICATE KEY UPDATE message_id = VALUES(message_id), seen = VALUES(seen), flagged = VALUES(flagged)`,
    arrivals.flatMap((arrival, index) => [
      arrival.folderId,
      arrival.folderId,
      arrival.uid,
      ids[index] ?? 0,
      arrival.seen,
      arrival.flagged,
      prepared[index]?.at ?? arrival.internalDate,
    ]),
  );
}

/** Unread, starred: what the copies at hand say of each message. */
interface Marks {
  unread: boolean;
  starred: boolean;
}

function marksOf(arrivals: readonly Arrival[], prepared: readonly Prepared[]): Map<string, Marks> {
  const marks = new Map<string, Marks>();
  for (const [index, { seen, flagged }] of arrivals.entries()) {
    const key = prepared[index]?.key ?? '';
    const before = marks.get(key);
    marks.set(key, {
      unread: !seen || (before?.unread ?? false),
      starred: flagged || (before?.starred ?? false),
    });
  }
  return marks;
}

/**
 * Keeps those of the messages that are new, oldest first, and decides on them; their sources are kept already.
 * @returns the record of each, in the order given
 */
export async function keepMessages(
  trx: Transaction,
  mind: FilingMind,
  prepared: readonly Prepared[],
  marks: ReadonlyMap<string, Marks> = new Map(),
): Promise<number[]> {
  const known = await identified(trx, prepared);
  const fresh = new Map<string, Prepared>();
  for (const message of prepared) {
    if (!known.has(message.key) && !fresh.has(message.key)) fresh.set(message.key, message);
  }
  const ordered = [...fresh.values()].sort((a, b) => a.at.getTime() - b.at.getTime());
  if (ordered.length) {
    const { conversations, joined } = await assignConversations(trx, ordered);
    const decided = await decideFor(trx, mind, ordered.map(undecided));
    await settleSent(trx, ordered, decided);
    const waits = lastWords(ordered, conversations, joined);
    const now = new Date();
    const rows = ordered.map((message, index) => ({
      ...message.row,
      conversation_id: conversations[index],
      ...decided[index]?.columns,
      decided_at: now,
      unread: marks.get(message.key)?.unread ?? false,
      starred: marks.get(message.key)?.starred ?? false,
      waits: waits.has(message) ? (message.received ? 'we' : 'they') : null,
    }));
    await insertAll(trx, 'message', rows);
    const ids = await identified(trx, ordered);
    for (const [key, id] of ids) known.set(key, id);
    const idOf = (message: Prepared) => known.get(message.key) ?? 0;
    await keepParts(trx, ordered, decided, idOf);
    await noteWhoOwes(trx, [...joined]);
    await redecideRelated(
      trx,
      mind,
      [...new Set(conversations)],
      ordered.flatMap((message, index) =>
        decided[index]?.columns.state === 'suggested' ? [] : message.subjectHashes,
      ),
    );
    await noteDelivery(trx, ordered, idOf);
  }
  return prepared.map((message) => known.get(message.key) ?? 0);
}

/** Everything that hangs on the records of new messages. */
async function keepParts(
  trx: Transaction,
  messages: readonly Prepared[],
  decided: readonly Decided[],
  idOf: (message: Prepared) => number,
): Promise<void> {
  const all = <T>(table: string, rowsOf: (message: Prepared, index: number) => Record<string, T>[]) =>
    insertAll(trx, table, messages.flatMap(rowsOf));
  await all('message_link', (message) =>
    message.links.map((link) => ({ message_id: idOf(message), link_key: link })),
  );
  await all('message_subject', (message) =>
    message.subjectHashes.map((key) => ({ message_id: idOf(message), subject_key: key })),
  );
  await all('message_party', (message) => parties(message.read, idOf(message)));
  await all('filing', (message, index) =>
    (decided[index]?.fileIds ?? []).map((fileId) => ({
      message_id: idOf(message),
      file_id: fileId,
      at: message.at,
    })),
  );
}

/** The last words of conversations that begin with this batch, where they leave something open. */
function lastWords(
  messages: readonly Prepared[],
  conversations: readonly number[],
  joined: ReadonlySet<number>,
): Set<Prepared> {
  const last = new Map<number, Prepared>();
  for (const [index, message] of messages.entries()) {
    const id = conversations[index] ?? 0;
    const counts = message.row.direction !== 'internal' && !message.read.automatic;
    if (!joined.has(id) && counts) last.set(id, message);
  }
  return new Set([...last.values()].filter((message) => message.asks));
}

/** Who owes an answer: whoever did not write the last word of a conversation, if that leaves something open. */
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
          AND automatic IS NULL AND direction <> 'internal'
      ) AS told ON told.id = message.id
      SET waits = IF(direction = 'received', 'we', 'they') WHERE told.place = 1 AND asks = 1`,
    conversationIds as number[],
  );
}

function undecided(message: Prepared): Undecided {
  return {
    filing: message.filing,
    messageId: message.read.messageId,
    subjectHashes: message.subjectHashes,
  };
}

async function identified(db: Knex, prepared: readonly Prepared[]): Promise<Map<string, number>> {
  const rows: { id: number; identity: Buffer }[] = await db('message')
    .whereIn(
      'identity',
      prepared.map((message) => message.identity),
    )
    .select('id', 'identity');
  return new Map(rows.map((row) => [row.identity.toString('hex'), row.id]));
}

function parties(read: ReadMessage, messageId: number) {
  const seen = new Set<string>();
  const all = [
    ...(read.from ? [{ role: 'from', ...read.from }] : []),
    ...read.to.map((mailbox) => ({ role: 'to', ...mailbox })),
    ...read.cc.map((mailbox) => ({ role: 'cc', ...mailbox })),
    ...read.bcc.map((mailbox) => ({ role: 'bcc', ...mailbox })),
  ];
  return all.slice(0, 500).flatMap(({ role, name, address }) => {
    const key = cut(addressKey(address), 254);
    if (!address || seen.has(`${role} ${key}`)) return [];
    seen.add(`${role} ${key}`);
    return [{ message_id: messageId, role, email_key: key, email: cut(address, 254), name: cut(name, 255) }];
  });
}

/**
 * Gives each message its conversation, joining conversations that turn out to be one.
 * @returns the conversation of each, and those among them that had messages before
 */
async function assignConversations(
  trx: Transaction,
  messages: readonly Prepared[],
): Promise<{ conversations: number[]; joined: Set<number> }> {
  const keys = [
    ...new Map(
      messages.flatMap((message) => message.links).map((link) => [link.toString('hex'), link]),
    ).values(),
  ];
  const rows: { link_key: Buffer; conversation_id: number }[] = keys.length
    ? await trx('message_link')
        .join('message', 'message.id', 'message_link.message_id')
        .whereIn('link_key', keys)
        .distinct('link_key', 'conversation_id')
    : [];
  const groups = new Groups();
  for (const row of rows) groups.join(`c${row.conversation_id}`, row.link_key.toString('hex'));
  for (const [index, message] of messages.entries())
    for (const link of message.links) groups.join(`m${index}`, link.toString('hex'));
  const numberOf = new Map<string, number>();
  for (const id of new Set(rows.map((row) => row.conversation_id))) {
    const root = groups.root(`c${id}`);
    const kept = numberOf.get(root);
    if (kept === undefined) numberOf.set(root, id);
    else await trx('message').where({ conversation_id: id }).update({ conversation_id: kept });
  }
  const joined = new Set(numberOf.values());
  const roots = [...messages.keys()].map((index) => groups.root(`m${index}`));
  const begun = [...new Set(roots)].filter((root) => !numberOf.has(root));
  const made = await newConversations(trx, begun.length);
  for (const [index, root] of begun.entries()) numberOf.set(root, made[index] ?? 0);
  return { conversations: roots.map((root) => numberOf.get(root) ?? 0), joined };
}

async function newConversations(trx: Transaction, count: number): Promise<number[]> {
  if (!count) return [];
  const [rows] = (await trx.raw(
    `INSERT INTO conversation () VALUES ${Array(count).fill('()').join(', ')} RETURNING id`,
  )) as [{ id: number }[]];
  return rows.map((row) => Number(row.id));
}

/** Sets joined by common members. */
class Groups {
  private readonly parent = new Map<string, string>();

  root(member: string): string {
    let at = member;
    for (let up = this.parent.get(at); up !== undefined; up = this.parent.get(at)) at = up;
    return at;
  }

  join(a: string, b: string): void {
    const rootA = this.root(a);
    const rootB = this.root(b);
    if (rootA !== rootB) this.parent.set(rootB, rootA);
  }
}

/** What a message says about others of ours: that they came back, or were answered. */
async function noteDelivery(
  trx: Transaction,
  messages: readonly Prepared[],
  idOf: (message: Prepared) => number,
): Promise<void> {
  for (const message of messages) {
    const { read } = message;
    for (const recipient of read.report?.recipients ?? []) {
      if (recipient.action !== 'failed') continue;
      const kind = returnKind(recipient.status);
      if (kind === 'hard') {
        await trx('address')
          .where({ email_key: addressKey(recipient.address) })
          .andWhere((query) => query.whereNull('returned_at').orWhere('returned_at', '<', message.at))
          .update({ returned_at: message.at, returned_why: cut(returnWords(recipient.status), 255) });
      }
      if (read.report?.originalMessageId) {
        await trx('dispatch')
          .where({ message_id: read.report.originalMessageId })
          .whereIn('state', ['left', 'uncertain', 'leaving'])
          .update({
            state: 'returned',
            return_kind: kind,
            answer: cut(recipient.diagnostic || recipient.status, 500),
          });
      }
    }
  }
  await noteAnswers(trx, messages, idOf);
}

/** Which of our mailings were answered; few are, so that one question for a whole batch comes first. */
async function noteAnswers(
  trx: Transaction,
  messages: readonly Prepared[],
  idOf: (message: Prepared) => number,
): Promise<void> {
  const answers = messages
    .filter((message) => message.received && !message.read.automatic)
    .map((message) => ({ message, named: namedMessages(message.read) }));
  const named = [...new Set(answers.flatMap((answer) => answer.named))];
  if (!named.length) return;
  const open = new Set<string>(
    await trx('dispatch').whereIn('message_id', named).whereNull('answered_message_id').pluck('message_id'),
  );
  for (const answer of open.size ? answers : []) {
    const ours = answer.named.filter((id) => open.has(id));
    if (ours.length)
      await trx('dispatch')
        .whereIn('message_id', ours)
        .whereNull('answered_message_id')
        .update({ answered_message_id: idOf(answer.message) });
  }
}
