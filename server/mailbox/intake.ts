import type { FilingRegister } from '../../core/filing/register.ts';
import { addressKey } from '../../core/address/address.ts';
import { baseSubject } from '../../core/conversation/subject.ts';
import { namedMessages } from '../../core/conversation/conversation.ts';
import { returnKind, returnWords } from '../../core/delivery/report.ts';
import { filingMessage, outsideAddresses } from '../../core/filing/message.ts';
import type { FilingMind } from '../../core/filing/decide.ts';
import type { FilingMessage } from '../../core/filing/types.ts';
import { readMessage, type ReadMessage } from '../../core/message/read.ts';
import { snippet } from '../../core/message/written.ts';
import { insertAll, transact, type Transaction } from '../database/database.ts';
import { beat } from '../database/pulse.ts';
import { hashOf, keepRaw, packRaw, type RawRow } from '../database/raw.ts';
import {
  decideFor,
  redecideRelated,
  settled,
  subjectHashes,
  type Decided,
  type Undecided,
} from '../filing/decide.ts';
import type { Office } from '../office.ts';

/** A message as a folder holds it. */
export interface Arrival {
  folderId: number;
  uid: number;
  seen: boolean;
  internalDate: Date;
  raw: Uint8Array;
}

/** A message read and ready to be kept. */
export interface Prepared {
  identity: Buffer;
  raw: RawRow;
  read: ReadMessage;
  filing: FilingMessage;
  at: Date;
  subjectHashes: Buffer[];
  received: boolean;
  row: Record<string, unknown>;
  links: Buffer[];
}

const EARLIEST = Date.UTC(1990, 0, 1);
const DAY = 24 * 3600 * 1000;

/**
 * Takes a batch of arrivals in: each message once, whatever mailboxes hold it, decided on and kept with
 * its evidence, in one transaction. Taking the same batch in again changes nothing.
 */
export async function takeIn(office: Office, arrivals: readonly Arrival[]): Promise<void> {
  if (!arrivals.length) return;
  const mind = await office.filingMind();
  const prepared = await Promise.all(
    arrivals.map((arrival) => prepare(mind.register, arrival.raw, arrival.internalDate)),
  );
  await transact(office.db, async (trx) => {
    await intakeTurn(trx);
    const ids = await keepMessages(trx, mind, prepared);
    await trx('message_copy')
      .insert(
        arrivals.map((arrival, index) => ({
          folder_id: arrival.folderId,
          uid: arrival.uid,
          message_id: ids[index],
          seen: arrival.seen,
        })),
      )
      .onConflict(['folder_id', 'uid'])
      .merge(['message_id', 'seen']);
    await beat(trx, 'mail', 'sorting');
  });
}

/** One intake at a time keeps a message, so that conversations and shared messages are joined without a race. */
export async function intakeTurn(trx: Transaction): Promise<void> {
  await trx('pulse').where({ topic: 'mail' }).forUpdate().first();
}

/** Reads a raw message and works out everything about it that needs no database. */
export async function prepare(register: FilingRegister, bytes: Uint8Array, arrived: Date): Promise<Prepared> {
  const [raw, read] = await Promise.all([packRaw(bytes), readMessage(bytes)]);
  const isOurs = (address: string) => register.isOurs(address);
  const fromOurs = read.from !== null && isOurs(read.from.address);
  const at =
    read.date && read.date.getTime() > EARLIEST && read.date.getTime() < arrived.getTime() + 2 * DAY
      ? read.date
      : arrived;
  const filing = { ...(await filingMessage(register, read)), at: at.getTime() };
  const outside = outsideAddresses(filing, isOurs);
  const identity = read.messageId
    ? hashOf([read.messageId, read.from?.address.toLowerCase() ?? '', read.header('date') ?? ''].join('\n'))
    : raw.hash;
  const row = {
    identity,
    message_id: read.messageId?.slice(0, 998) ?? null,
    message_key: read.messageId ? hashOf(read.messageId) : null,
    raw_hash: raw.hash,
    direction: !fromOurs ? 'received' : outside.length ? 'sent' : 'internal',
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
    taken_in_at: new Date(),
  };
  const returned = read.report?.originalMessageId;
  const bearsOrNames = [read.messageId, ...namedMessages(read), returned].filter(
    (id) => typeof id === 'string',
  );
  const links = [...new Set(bearsOrNames)].slice(0, 100).map(hashOf);
  return {
    identity,
    raw,
    read,
    filing,
    at,
    subjectHashes: subjectHashes(register, filing),
    received: !fromOurs,
    row,
    links,
  };
}

/** Cuts text to a column's width, never through a surrogate pair. */
function cut(text: string, length: number): string {
  return text.length <= length ? text : Array.from(text.slice(0, length)).slice(0, -1).join('');
}

/**
 * Keeps those of the messages that are new, oldest first, and decides on them.
 * @returns the record of each, in the order given
 */
export async function keepMessages(
  trx: Transaction,
  mind: FilingMind,
  prepared: readonly Prepared[],
): Promise<number[]> {
  const known = await identified(trx, prepared);
  const fresh = new Map<string, Prepared>();
  for (const message of prepared) {
    const key = message.identity.toString('hex');
    if (!known.has(key) && !fresh.has(key)) fresh.set(key, message);
  }
  const ordered = [...fresh.values()].sort((a, b) => a.at.getTime() - b.at.getTime());
  if (ordered.length) {
    await keepRaw(
      trx,
      ordered.map((message) => message.raw),
    );
    const conversations = await assignConversations(trx, ordered);
    const decided = await decideFor(trx, mind, ordered.map(undecided));
    await settleMailings(trx, ordered, decided);
    const now = new Date();
    const rows = ordered.map((message, index) => ({
      ...message.row,
      conversation_id: conversations[index],
      ...decided[index]?.columns,
      decided_at: now,
    }));
    await insertAll(trx, 'message', rows);
    const ids = await identified(trx, ordered);
    for (const [key, id] of ids) known.set(key, id);
    const idOf = (message: Prepared) => known.get(message.identity.toString('hex')) ?? 0;
    await insertAll(
      trx,
      'message_link',
      ordered.flatMap((message) =>
        message.links.map((link) => ({ message_id: idOf(message), link_key: link })),
      ),
    );
    await insertAll(
      trx,
      'message_subject',
      ordered.flatMap((message) =>
        message.subjectHashes.map((key) => ({ message_id: idOf(message), subject_key: key })),
      ),
    );
    await insertAll(
      trx,
      'message_party',
      ordered.flatMap((message) => parties(message.read, idOf(message))),
    );
    await insertAll(
      trx,
      'filing',
      ordered.flatMap((message, index) =>
        (decided[index]?.fileIds ?? []).map((fileId) => ({
          message_id: idOf(message),
          file_id: fileId,
          at: message.at,
        })),
      ),
    );
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
  return prepared.map((message) => known.get(message.identity.toString('hex')) ?? 0);
}

/** Our own mailings go on the file that was chosen at release, whatever filing would think. */
async function settleMailings(
  trx: Transaction,
  messages: readonly Prepared[],
  decided: Decided[],
): Promise<void> {
  const ids = messages
    .filter((message) => !message.received && message.read.messageId)
    .map((message) => message.read.messageId);
  if (!ids.length) return;
  const rows: { message_id: string; file_id: number; name: string }[] = await trx('dispatch')
    .join('mailing', 'mailing.id', 'dispatch.mailing_id')
    .whereIn('dispatch.message_id', ids)
    .select('dispatch.message_id', 'dispatch.file_id', 'mailing.name');
  const byId = new Map(rows.map((row) => [row.message_id, row]));
  for (const [index, message] of messages.entries()) {
    const row = byId.get(message.read.messageId ?? '');
    if (row)
      decided[index] = settled(row.file_id, {
        kind: 'mailing',
        side: 'for',
        weight: 9,
        words: `Sent in the mailing “${row.name}”`,
      });
  }
}

function undecided(message: Prepared): Undecided {
  return {
    filing: message.filing,
    messageId: message.read.messageId,
    subjectHashes: message.subjectHashes,
  };
}

async function identified(trx: Transaction, prepared: readonly Prepared[]): Promise<Map<string, number>> {
  const rows: { id: number; identity: Buffer }[] = await trx('message')
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

/** Gives each message its conversation, joining conversations that turn out to be one. */
async function assignConversations(trx: Transaction, messages: readonly Prepared[]): Promise<number[]> {
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
  const result: number[] = [];
  for (const index of messages.keys()) {
    const root = groups.root(`m${index}`);
    let id = numberOf.get(root);
    if (id === undefined) {
      [id = 0] = await trx('conversation').insert({});
      numberOf.set(root, id);
    }
    result.push(id);
  }
  return result;
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
    if (!message.received || read.automatic) continue;
    const named = namedMessages(read);
    if (named.length) {
      await trx('dispatch')
        .whereIn('message_id', named)
        .whereNull('answered_message_id')
        .update({ answered_message_id: idOf(message) });
    }
  }
}
