import { notFound } from '../foundation/refusal.ts';
import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { z } from 'zod';
import type { Addressee, Addressees, Doc, DraftBegin } from '../../contract/index.ts';
import { answerTo, type Answered } from '../../core/conversation/answer.ts';
import { quotedAnswer, subjectFor } from '../../core/merge/letter.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { messageEnclosure, messageReading } from '../filing/message.ts';
import { writableBoxIds } from '../correspondence/boxes.ts';
import type { AppContext } from '../foundation/context.ts';
import { encloseDocument, storeEnclosure } from './enclosures.ts';
import { findCorrespondents } from './people.ts';
import { filingRegister } from '../records/filingRegister.ts';
import { fromJson, toJson } from '../foundation/json.ts';

/** So many enclosures are handed on with a message. */
const MOST_ENCLOSURES = 50;

/** Begins a message, with what can be known filled in: to whom, from which mailbox, about what, on which file. */
export async function beginDraft(
  context: AppContext,
  staffId: number,
  begin: z.output<typeof DraftBegin>,
): Promise<number> {
  const begun = await begunBy(context, staffId, begin);
  return transact(context.db, (trx) => insertDraft(trx, staffId, begin, begun));
}

/** What a message begins with: what is known of whom it is to and of what it is about, before any of it is kept. */
export async function begunBy(
  context: AppContext,
  staffId: number,
  begin: z.output<typeof DraftBegin>,
): Promise<Begun> {
  const { db } = context;
  const start = begin.messageId
    ? await aboutMessage(context, staffId, begin.messageId, begin.how === 'new' ? 'reply' : begin.how)
    : await toSomebody(db, begin);
  const parts: Begun['parts'] = [];
  for (const index of start.enclosures)
    parts.push(await messageEnclosure(db, staffId, begin.messageId ?? 0, index));
  return {
    ...start,
    parts,
    body: { type: 'doc', content: [{ type: 'paragraph' }] },
    mailboxId: await mailboxFor(db, staffId, begin.messageId),
    domain: (await readFirm(db)).domains[0] ?? 'mail.invalid',
  };
}

/** Keeps a message that was begun. @param courseId of the standing order that prepared it @returns its number */
export async function insertDraft(
  trx: Transaction,
  staffId: number,
  begin: Pick<z.output<typeof DraftBegin>, 'messageId' | 'documentId'>,
  begun: Begun,
  courseId: number | null = null,
): Promise<number> {
  const [id = 0] = await trx('draft').insert({
    staff_id: staffId,
    mailbox_id: begun.mailboxId,
    how: begun.how,
    about_id: begin.messageId,
    message_id: `${randomUUID()}@${begun.domain}`,
    people: toJson('draft.people', begun.people),
    subject: begun.subject.slice(0, 500),
    body: toJson('draft.body', begun.body),
    quoted: begun.quoted,
    file_ids: toJson('draft.file_ids', begun.fileIds),
    saved_at: new Date(),
    course_id: courseId,
  });
  for (const part of begun.parts)
    await storeEnclosure(trx, id, part.filename, part.mimeType, part.content, {
      messageId: begin.messageId,
      documentId: null,
    });
  if (begin.documentId) await encloseDocument(trx, staffId, id, begin.documentId);
  return id;
}

/** A message that is begun and not kept yet. */
export interface Begun extends Start {
  body: z.output<typeof Doc>;
  mailboxId: number | null;
  /** Of its Message-ID. */
  domain: string;
  /** What is handed on with it. */
  parts: Awaited<ReturnType<typeof messageEnclosure>>[];
}

interface Start {
  how: 'new' | 'reply' | 'all' | 'forward';
  people: Addressees;
  subject: string;
  quoted: string;
  fileIds: number[];
  /** Numbers of the enclosures that are handed on. */
  enclosures: number[];
}

async function toSomebody(db: Knex, begin: z.output<typeof DraftBegin>): Promise<Start> {
  const file = begin.fileId
    ? await db('file').where({ id: begin.fileId }).first('id')
    : begin.clientId
      ? await db('file').where({ client_id: begin.clientId, general: 1 }).first('id')
      : undefined;
  const to = begin.personId
    ? await currentAddress(db, begin.personId)
    : file
      ? (await findCorrespondents(db, '', file.id)).filter((each) => each.onFile).slice(0, 1)
      : [];
  return {
    how: 'new',
    people: { to: to.map(({ name, email }) => ({ name, email })), cc: [], bcc: [] },
    subject: '',
    quoted: '',
    fileIds: file ? [file.id] : [],
    enclosures: [],
  };
}

async function currentAddress(db: Knex, personId: number): Promise<Addressee[]> {
  const row = await db('address')
    .join('person', 'person.id', 'address.person_id')
    .where({ person_id: personId, current: 1 })
    .orderBy('position')
    .first('email', 'first_name', 'last_name');
  return row ? [{ name: `${row.first_name} ${row.last_name}`.trim(), email: row.email }] : [];
}

async function aboutMessage(
  context: AppContext,
  staffId: number,
  messageId: number,
  how: 'reply' | 'all' | 'forward',
): Promise<Start> {
  const { db } = context;
  const { read } = await messageReading(db, staffId, messageId);
  const register = await filingRegister(context);
  const { zone } = await readFirm(db);
  const filed: number[] = await db('filing').where({ message_id: messageId }).pluck('file_id');
  const row = await db('message').where({ id: messageId }).first('candidates', 'state', 'at');
  if (!row) throw notFound('That message');
  const suggested = fromJson('message.candidates', row.candidates)[0]?.fileId;
  const when = DateTime.fromJSDate(row.at, { zone }).setLocale('en-GB').toFormat('ccc d LLL yyyy, HH:mm');
  const writer = read.from ? read.from.name || read.from.address : 'somebody';
  return {
    how,
    people: how === 'forward' ? { to: [], cc: [], bcc: [] } : addressees(answerTo(register, read, how)),
    subject: subjectFor(how, read.subject),
    quoted:
      how === 'forward' ? forwarded(read, when) : quotedAnswer(`On ${when}, ${writer} wrote:`, read.text),
    fileIds: filed.length ? filed : row.state === 'suggested' && suggested ? [suggested] : [],
    enclosures: how === 'forward' ? [...read.enclosures.keys()].slice(0, MOST_ENCLOSURES) : [],
  };
}

function addressees({ to, cc }: Answered): Addressees {
  const as = (list: Answered['to']) => list.map(({ name, address }) => ({ name, email: address }));
  return { to: as(to), cc: as(cc), bcc: [] };
}

function forwarded(read: ReadMessage, when: string): string {
  const people = (list: ReadMessage['to']) =>
    list.map(({ name, address }) => (name ? `${name} <${address}>` : address)).join(', ');
  return [
    '---------- Forwarded message ----------',
    `From: ${read.from ? people([read.from]) : ''}`,
    `Date: ${when}`,
    `Subject: ${read.subject}`,
    `To: ${people(read.to)}`,
    ...(read.cc.length ? [`Cc: ${people(read.cc)}`] : []),
    '',
    read.text.trim(),
  ].join('\n');
}

/** The mailbox that holds the message answered, one's own before others; else one's own. */
async function mailboxFor(db: Knex, staffId: number, messageId: number | null): Promise<number | null> {
  const may = await writableBoxIds(db, staffId);
  const boxes = await db('mailbox')
    .whereIn('id', may)
    .whereNotNull('verified_at')
    .orderByRaw('staff_id <> ?, shared, id', [staffId])
    .select('id', 'staff_id', 'shared');
  const holding: number[] = messageId
    ? await db('message_copy')
        .join('folder', 'folder.id', 'message_copy.folder_id')
        .where({ message_id: messageId })
        .distinct('mailbox_id')
        .pluck('mailbox_id')
    : [];
  const own = boxes.find((box) => holding.includes(box.id) && (box.staff_id === staffId || box.shared));
  return (own ?? boxes[0])?.id ?? null;
}
