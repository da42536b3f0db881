import { addressKey } from '../../core/address/address.ts';
import { sameOrganisation } from '../../core/address/domain.ts';
import { namedMessages } from '../../core/conversation/conversation.ts';
import { leavesOpen } from '../../core/conversation/owing.ts';
import { baseSubject } from '../../core/conversation/subject.ts';
import type { ByRecords } from '../../core/filing/certain.ts';
import { filingMessage, outsideAddresses } from '../../core/filing/message.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { FilingMessage } from '../../core/filing/types.ts';
import { confirmationOf, type Confirmation } from '../../core/message/authentication.ts';
import { cut } from '../../core/message/limits.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import { snippet } from '../../core/message/written.ts';
import { hashOf, type RawRow } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { documentsOf, type CameWith } from '../documents/came.ts';
import { subjectHashes } from '../filing/decide.ts';
import { isLongPast } from '../filing/filings.ts';
import type { KeptReading } from '../reading/pack.ts';
import type { Reading } from '../reading/pool.ts';

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
  /** It lay there before the mailbox was connected, or is older than what was taken in at first. */
  past: boolean;
}

/** What is known of the server that took mail in for a mailbox. */
export interface Receiving {
  mailboxId: number;
  /** Names under which it writes down whether a sender could be confirmed. */
  believed: readonly string[];
  /** It says nothing, but lets in only what it has checked. */
  silently: boolean;
}

/** How a message came to us. */
export interface Origin {
  arrived: Date;
  /** It lies in Sent, or went out by our own dispatch: whoever it says it is from cannot make it so. */
  ours: boolean;
  /** Null for what we sent ourselves. */
  receiving: Receiving | null;
  /** See {@link Arrival}. Nobody who means to deceive us wrote it in the knowledge that we would read it. */
  past: boolean;
}

/** A message read and ready to be kept. */
export interface Prepared {
  /** Hash of Message-ID, sender and Date; of the source when there is no Message-ID. */
  family: Buffer;
  /** Which of its family it is: the same as the family's, until another that says something else is known. */
  identity: Buffer;
  /** The identity as text, for maps. */
  key: string;
  bytes: Uint8Array;
  raw: RawRow;
  read: ReadMessage;
  /** Hash of what a copy of it would have in common with it, when nothing was changed on the way. */
  bodyKey: Buffer;
  filing: FilingMessage;
  at: Date;
  subjectHashes: Buffer[];
  /** Written by one of us, as far as its place or the receiving server vouches for it. */
  ours: boolean;
  confirmation: Confirmation | null;
  past: boolean;
  /**
   * What the records alone say of a message of history, worked out before its turn comes; null where that is not so,
   * or something else of it has been found since.
   */
  byRecords: ByRecords | null;
  /** Leaves its readers something to answer. */
  asks: boolean;
  row: Partial<Rows['message']>;
  /** Hashes of the Message-IDs it names, nearest first. */
  named: Buffer[];
  messageKey: Buffer | null;
  /** What came with it. */
  documents: readonly CameWith[];
}

const EARLIEST = Date.UTC(1990, 0, 1);
const DAY = 24 * 3600 * 1000;

/** Works out everything about a message that needs no database. */
export function prepare(
  register: FilingRegister,
  { raw, kept, written }: Reading,
  bytes: Uint8Array,
  { arrived, ours: lain, receiving, past }: Origin,
): Prepared {
  const { read } = kept;
  const bodyKey = bodyKeyOf(kept);
  const isOurs = (address: string) => register.isOurs(address);
  const saysOurs = read.from !== null && isOurs(read.from.address);
  const told = saysOurs && lain ? null : confirmed(read, receiving, past);
  const ours = saysOurs && (lain || told === 'confirmed');
  const at = timeOf(read, arrived);
  const filing: FilingMessage = {
    ...filingMessage(register, read, written),
    at: at.getTime(),
    sender: ours || told === null || (told === 'untold' && receiving?.silently) ? undefined : told,
    past: isLongPast(past, at, new Date()) || undefined,
  };
  const direction = !ours ? 'received' : outsideAddresses(filing, isOurs).length ? 'sent' : 'internal';
  const asks =
    direction !== 'internal' && !filing.automatic && leavesOpen(direction, read.subject, filing.own);
  const family = familyOf(read, raw);
  const named = [
    ...(read.report?.originalMessageId ? [read.report.originalMessageId] : []),
    ...namedMessages(read),
  ].map(hashOf);
  const messageKey = read.messageId ? hashOf(read.messageId) : null;
  return {
    family,
    identity: family,
    key: family.toString('hex'),
    bytes,
    raw,
    read,
    bodyKey,
    filing,
    at,
    subjectHashes: subjectHashes(register, filing),
    ours,
    confirmation: ours ? null : told,
    past,
    byRecords: null,
    asks,
    row: {
      message_id: read.messageId,
      message_key: messageKey,
      raw_hash: raw.hash,
      body_key: bodyKey,
      problem: read.problem && cut(read.problem, 300),
      confirmation: ours ? null : told,
      past: Number(past),
      waived: 0,
      direction,
      at,
      from_name: cut(read.from?.name ?? '', 255),
      from_address: cut(read.from?.address ?? '', 254),
      to_words: cut(
        [...read.to, ...read.cc]
          .slice(0, 60)
          .map(({ name, address }) => name || address)
          .join(', '),
        500,
      ),
      subject: cut(read.subject, 500),
      base_subject: cut(baseSubject(read.subject).text, 500),
      snippet: snippet(filing.own || read.text),
      enclosures: read.enclosures.filter((enclosure) => !enclosure.inline).length,
      automatic: filing.automatic,
      list_id: cut(filing.list, 200),
      asks: Number(asks),
      taken_in_at: new Date(),
    },
    named: [...new Map(named.map((key) => [key.toString('hex'), key])).values()],
    messageKey,
    documents: documentsOf(kept),
  };
}

/** Null where nobody could be asked: of the past a server that says nothing has nothing to answer for. */
function confirmed(read: ReadMessage, receiving: Receiving | null, past: boolean): Confirmation | null {
  const told = confirmationOf(
    read.checks,
    read.from?.address ?? '',
    receiving?.believed ?? [],
    sameOrganisation,
  );
  return told === 'untold' && past ? null : told;
}

/** When it was written; when it arrived if what it says makes no sense. */
function timeOf(read: ReadMessage, arrived: Date): Date {
  const time = read.date?.getTime() ?? 0;
  return read.date && time > EARLIEST && time < arrived.getTime() + 2 * DAY ? read.date : arrived;
}

function familyOf(read: ReadMessage, raw: RawRow): Buffer {
  if (!read.messageId) return raw.hash;
  return hashOf(
    [read.messageId, read.from?.address.toLowerCase() ?? '', read.headers.get('date') ?? ''].join('\n'),
  );
}

/** What copies have in common: whom it is from and to, its subject, and everything below the headers. */
function bodyKeyOf({ read, bodyKey }: KeptReading): Buffer {
  const people = (list: ReadMessage['to']) => list.map(({ address }) => addressKey(address)).sort();
  return hashOf(
    JSON.stringify([read.from?.address ?? '', read.subject, people(read.to), people(read.cc), bodyKey]),
  );
}
