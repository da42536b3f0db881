import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { z } from 'zod';
import type {
  Addressee,
  Addressees,
  DraftBegin,
  DraftRow,
  DraftSave,
  DraftSaved,
  DraftSent,
  DraftView,
  FileRef,
} from '../../contract/index.ts';
import { answerTo, type Answered } from '../../core/conversation/answer.ts';
import { quotedAnswer, subjectFor } from '../../core/merge/letter.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import { transact } from '../database/database.ts';
import { beat } from '../database/pulse.ts';
import { keepRaw, packRaw } from '../database/raw.ts';
import { readFirm } from '../database/settings.ts';
import { messageSource } from '../filing/message.ts';
import { notFound, Refusal } from '../http/problems.ts';
import { boxToWriteAs, visibleBoxes, writableBoxIds } from '../mailbox/boxes.ts';
import type { Office } from '../office.ts';
import { filesByIds } from '../register/files.ts';
import { signatureOf, type DraftRecord } from './compose.ts';
import { findCorrespondents } from './people.ts';

/** So long a message can be taken back after it was sent off, in milliseconds. */
const UNDO = 10_000;
const MOST_FITTING = 8;
/** So much may be enclosed; more is turned away by many servers (common practice). */
const MOST_BYTES = 25 * 1024 * 1024;

/** Begins a message, with what can be known filled in: to whom, from which mailbox, about what, on which file. */
export async function beginDraft(
  office: Office,
  staffId: number,
  begin: z.output<typeof DraftBegin>,
): Promise<number> {
  const { db } = office;
  const start = begin.messageId
    ? await aboutMessage(office, staffId, begin.messageId, begin.how === 'new' ? 'reply' : begin.how)
    : await toSomebody(db, begin);
  const mailboxId = await mailboxFor(db, staffId, begin.messageId);
  const domain = (await readFirm(db)).domains[0] ?? 'mail.invalid';
  return transact(db, async (trx) => {
    const [id = 0] = await trx('draft').insert({
      staff_id: staffId,
      mailbox_id: mailboxId,
      how: start.how,
      about_id: begin.messageId,
      message_id: `${randomUUID()}@${domain}`,
      people: JSON.stringify(start.people),
      subject: start.subject.slice(0, 500),
      body: JSON.stringify({ type: 'doc', content: [{ type: 'paragraph' }] }),
      quoted: start.quoted,
      file_ids: JSON.stringify(start.fileIds),
      saved_at: new Date(),
    });
    for (const part of start.enclosures)
      await keepEnclosure(trx, id, part.filename, part.mimeType, part.content);
    return id;
  });
}

interface Start {
  how: 'new' | 'reply' | 'all' | 'forward';
  people: Addressees;
  subject: string;
  quoted: string;
  fileIds: number[];
  enclosures: ReadMessage['enclosures'];
}

async function toSomebody(db: Knex, begin: z.output<typeof DraftBegin>): Promise<Start> {
  const file: { id: number } | undefined = begin.fileId
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
  office: Office,
  staffId: number,
  messageId: number,
  how: 'reply' | 'all' | 'forward',
): Promise<Start> {
  const { db } = office;
  const { read } = await messageSource(db, staffId, messageId);
  const register = await office.filingRegister();
  const { zone } = await readFirm(db);
  const filed: number[] = await db('filing').where({ message_id: messageId }).pluck('file_id');
  const row: { candidates: string; state: string; at: Date } = await db('message')
    .where({ id: messageId })
    .first('candidates', 'state', 'at');
  const suggested = (JSON.parse(row.candidates) as { fileId: number }[])[0]?.fileId;
  const when = DateTime.fromJSDate(row.at, { zone }).setLocale('en-GB').toFormat('ccc d LLL yyyy, HH:mm');
  const writer = read.from ? read.from.name || read.from.address : 'somebody';
  return {
    how,
    people: how === 'forward' ? { to: [], cc: [], bcc: [] } : addressees(answerTo(register, read, how)),
    subject: subjectFor(how, read.subject),
    quoted:
      how === 'forward' ? forwarded(read, when) : quotedAnswer(`On ${when}, ${writer} wrote:`, read.text),
    fileIds: filed.length ? filed : row.state === 'suggested' && suggested ? [suggested] : [],
    enclosures: how === 'forward' ? read.enclosures : [],
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
  const boxes: { id: number; staff_id: number; shared: number }[] = await db('mailbox')
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

async function readDraft(db: Knex, staffId: number, id: number): Promise<DraftRecord> {
  const row: DraftRecord | undefined = await db('draft').where({ id, staff_id: staffId }).first();
  if (!row || row.state === 'thrown') throw notFound('That message');
  return row;
}

export async function viewDraft(office: Office, staffId: number, id: number): Promise<DraftView> {
  const { db } = office;
  const row = await readDraft(db, staffId, id);
  const people = JSON.parse(row.people) as Addressees;
  const fileIds = JSON.parse(row.file_ids) as number[];
  const [files, fitting, enclosures, signature, about, dispatch] = await Promise.all([
    filesByIds(db, fileIds),
    fittingFiles(office, people),
    db('draft_enclosure')
      .join('raw', 'raw.hash', 'draft_enclosure.hash')
      .where({ draft_id: id })
      .orderBy('draft_enclosure.id')
      .select('draft_enclosure.id', 'filename', 'mime_type', 'raw.size'),
    signatureOf(db, staffId),
    row.about_id
      ? db('message').where({ id: row.about_id }).first('id', 'subject', 'from_name', 'from_address')
      : null,
    db('dispatch').where({ draft_id: id }).first('state', 'answer', 'refused'),
  ]);
  return {
    id,
    version: row.version,
    state: stateOf(row.state, dispatch?.state),
    how: row.how,
    mailboxId: row.mailbox_id,
    people,
    subject: row.subject,
    body: JSON.parse(row.body) as DraftView['body'],
    plain: Boolean(row.plain),
    quoted: row.quoted,
    files: fileIds.flatMap((each) => files.get(each) ?? []),
    fittingFiles: fitting,
    enclosures: enclosures.map((each) => ({
      id: each.id,
      filename: each.filename,
      mimeType: each.mime_type,
      size: each.size,
    })),
    signature,
    savedAt: row.saved_at.toISOString(),
    sendAt: row.send_at?.toISOString() ?? null,
    problem: dispatch ? problemOf(dispatch) : null,
    about: about
      ? { messageId: about.id, words: `${about.from_name || about.from_address}: ${about.subject}` }
      : null,
  };
}

/** What did not go as meant, in the server's own words. */
function problemOf({
  state,
  answer,
  refused,
}: {
  state: string | null;
  answer: string | null;
  refused: string | null;
}): string | null {
  if (refused) return `Left, but refused for ${refused}`;
  return ['delayed', 'returned', 'uncertain'].includes(state ?? '') ? answer : null;
}

function stateOf(own: DraftRecord['state'], dispatch: string | undefined): DraftView['state'] {
  if (own === 'draft' || !dispatch) return 'draft';
  if (dispatch === 'waiting' || dispatch === 'delayed') return 'waiting';
  if (dispatch === 'left') return 'sent';
  return dispatch === 'leaving' || dispatch === 'uncertain' ? dispatch : 'returned';
}

/** Files of the clients whose people a message is to: open ones first, General last. */
async function fittingFiles(office: Office, people: Addressees): Promise<FileRef[]> {
  const register = await office.filingRegister();
  const clients = new Set(
    [...people.to, ...people.cc].flatMap(({ email }) =>
      register.peopleAt(email).flatMap((person) => person.clientIds),
    ),
  );
  const files = [...clients].flatMap((id) => register.filesOf(id)).filter((file) => !file.closed);
  const ordered = [...files].sort((a, b) => Number(a.general) - Number(b.general) || b.id - a.id);
  const byId = await filesByIds(
    office.db,
    ordered.slice(0, MOST_FITTING).map((file) => file.id),
  );
  return [...byId.values()].sort((a, b) => Number(a.general) - Number(b.general) || b.id - a.id);
}

/** Keeps what was typed. @throws when another window saved it meanwhile, or it is no draft any more */
export async function saveDraft(
  office: Office,
  staffId: number,
  id: number,
  save: z.output<typeof DraftSave>,
): Promise<DraftSaved> {
  const { db } = office;
  await readDraft(db, staffId, id);
  if (save.mailboxId !== null) await boxToWriteAs(db, staffId, save.mailboxId);
  const savedAt = new Date();
  const changed = await db('draft')
    .where({ id, staff_id: staffId, version: save.version, state: 'draft' })
    .update({
      mailbox_id: save.mailboxId,
      people: JSON.stringify(save.people),
      subject: save.subject,
      body: JSON.stringify(save.body),
      plain: save.plain,
      quoted: save.quoted,
      file_ids: JSON.stringify(save.fileIds),
      version: save.version + 1,
      saved_at: savedAt,
    });
  if (!changed)
    throw new Refusal(
      409,
      'This message was changed in another window, or is on its way already. Open it again.',
    );
  return {
    version: save.version + 1,
    savedAt: savedAt.toISOString(),
    fittingFiles: await fittingFiles(office, save.people),
  };
}

/** Throws a draft away. */
export async function throwDraft(db: Knex, staffId: number, id: number): Promise<void> {
  await readDraft(db, staffId, id);
  const changed = await db('draft')
    .where({ id, staff_id: staffId, state: 'draft' })
    .update({ state: 'thrown', saved_at: new Date() });
  if (!changed) throw new Refusal(409, 'This message is on its way already.');
  await beat(db, 'mail');
}

/** Takes a draft out of what was thrown away. */
export async function restoreDraft(db: Knex, staffId: number, id: number): Promise<void> {
  const changed = await db('draft')
    .where({ id, staff_id: staffId, state: 'thrown' })
    .update({ state: 'draft', saved_at: new Date() });
  if (!changed) throw notFound('That message');
  await beat(db, 'mail');
}

const ADDRESS = /^[^\s@<>(),;:"[\]\\]+@[^\s@<>(),;:"[\]\\]+\.[^\s@<>(),;:"[\]\\]+$/u;

/**
 * Sends a message off: now, which leaves ten seconds to take it back, or later. From here on it is a
 * dispatch like any other: crash-safe, tried again, and logged as the bytes that left.
 */
export async function sendDraft(
  office: Office,
  staffId: number,
  id: number,
  version: number,
  at: string | null,
): Promise<DraftSent> {
  const { db } = office;
  const draft = await readDraft(db, staffId, id);
  if (draft.version !== version || draft.state !== 'draft')
    throw new Refusal(
      409,
      'This message was changed in another window, or is on its way already. Open it again.',
    );
  const people = JSON.parse(draft.people) as Addressees;
  const everybody = [...people.to, ...people.cc, ...people.bcc];
  if (!everybody.length) throw new Refusal(400, 'Say whom it is to.', 'people');
  const wrong = everybody.find(({ email }) => !ADDRESS.test(email));
  if (wrong) throw new Refusal(400, `“${wrong.email || wrong.name}” is not an email address.`, 'people');
  if (draft.mailbox_id === null)
    throw new Refusal(400, 'Choose from which mailbox it goes, or connect one first.', 'mailboxId');
  await boxToWriteAs(db, staffId, draft.mailbox_id);
  const box = await visibleBoxes(db, staffId)
    .where('mailbox.id', draft.mailbox_id)
    .first('mailbox.verified_at', 'mailbox.paused_at');
  if (!box?.verified_at)
    throw new Refusal(400, 'That mailbox is not verified yet, so nothing is sent from it.', 'mailboxId');
  const later = at ? new Date(at) : null;
  if (later && later.getTime() < Date.now()) throw new Refusal(400, 'That time has passed.', 'at');
  const leaves = later ?? new Date(Date.now() + UNDO * Math.min(1, office.config.waitScale));
  await transact(db, async (trx) => {
    const changed = await trx('draft')
      .where({ id, version, state: 'draft' })
      .update({ state: 'waiting', send_at: leaves });
    if (!changed) throw new Refusal(409, 'This message is on its way already.');
    const first = everybody[0];
    await trx('dispatch').insert({
      draft_id: id,
      mailbox_id: draft.mailbox_id,
      to_name: first?.name ?? '',
      to_address: first?.email ?? '',
      message_id: draft.message_id,
      facts: '{}',
      next_at: leaves,
    });
    await noteHandling(trx, staffId, draft);
  });
  await beat(db, 'mail');
  return { leavesAt: leaves.toISOString(), words: later ? 'Kept for later' : 'Sent' };
}

/** Whoever answers deals with it, and its mailbox knows that it was answered. */
async function noteHandling(trx: Knex.Transaction, staffId: number, draft: DraftRecord): Promise<void> {
  if (!draft.about_id || draft.how === 'forward') return;
  await trx('message').where({ id: draft.about_id }).whereNull('handler_id').update({ handler_id: staffId });
  const copies: { mailbox_id: number; folder_id: number; uid: number }[] = await trx('message_copy')
    .join('folder', 'folder.id', 'message_copy.folder_id')
    .where({ message_id: draft.about_id, 'folder.mailbox_id': draft.mailbox_id })
    .select('folder.mailbox_id', 'message_copy.folder_id', 'message_copy.uid');
  if (copies.length)
    await trx('mail_change')
      .insert(
        copies.map((copy) => ({ ...copy, kind: 'answered', value: true, staff_id: staffId, at: new Date() })),
      )
      .onConflict(['folder_id', 'uid', 'kind'])
      .ignore();
}

/** Takes a message back that has not left yet; it is a draft again. @throws when it has left */
export async function recallDraft(db: Knex, staffId: number, id: number): Promise<void> {
  await readDraft(db, staffId, id);
  await transact(db, async (trx) => {
    const taken = await trx('dispatch')
      .where({ draft_id: id })
      .whereIn('state', ['waiting', 'delayed'])
      .delete();
    if (!taken) throw new Refusal(409, 'It has left already and cannot be taken back.');
    await trx('draft').where({ id }).update({ state: 'draft', send_at: null, saved_at: new Date() });
  });
  await beat(db, 'mail');
}

/** One's drafts, what waits to leave, and what did not go as meant. */
export async function listDrafts(db: Knex, staffId: number): Promise<DraftRow[]> {
  const rows = await db('draft')
    .leftJoin('dispatch', 'dispatch.draft_id', 'draft.id')
    .leftJoin('mailbox', 'mailbox.id', 'draft.mailbox_id')
    .where('draft.staff_id', staffId)
    .where((any) =>
      any.whereIn('draft.state', ['draft', 'waiting']).orWhere((sent) =>
        sent
          .where('draft.state', 'sent')
          .where((wrong) =>
            wrong.whereIn('dispatch.state', ['returned', 'uncertain']).orWhereNotNull('dispatch.refused'),
          )
          .where('draft.saved_at', '>', new Date(Date.now() - 14 * 24 * 3600 * 1000)),
      ),
    )
    .orderBy('draft.saved_at', 'desc')
    .limit(200)
    .select(
      'draft.*',
      'mailbox.address',
      'dispatch.id as dispatch_id',
      'dispatch.state as fared',
      'dispatch.answer',
      'dispatch.refused',
    );
  const files = await filesByIds(db, [
    ...new Set(rows.flatMap((row) => JSON.parse(row.file_ids) as number[])),
  ]);
  return rows.map((row) => {
    const people = JSON.parse(row.people) as Addressees;
    const state = stateOf(row.state, row.fared);
    return {
      id: row.id,
      state,
      to: [...people.to, ...people.cc, ...people.bcc].map(({ name, email }) => name || email).join(', '),
      subject: row.subject,
      from: row.address,
      files: (JSON.parse(row.file_ids) as number[])
        .map((fileId) => files.get(fileId)?.number ?? '')
        .join(', '),
      savedAt: row.saved_at.toISOString(),
      sendAt: row.send_at?.toISOString() ?? null,
      problem: problemOf({ state: row.fared, answer: row.answer, refused: row.refused }),
      dispatchId: row.dispatch_id,
    };
  });
}

/** Adds an enclosure to a draft. @throws when it would be too large to be accepted anywhere */
export async function addEnclosure(
  db: Knex,
  staffId: number,
  id: number,
  filename: string,
  mimeType: string,
  content: Uint8Array,
): Promise<void> {
  const draft = await readDraft(db, staffId, id);
  if (draft.state !== 'draft') throw new Refusal(409, 'This message is on its way already.');
  const before = await db('draft_enclosure')
    .join('raw', 'raw.hash', 'draft_enclosure.hash')
    .where({ draft_id: id })
    .sum('raw.size as bytes')
    .first();
  if (Number(before?.bytes ?? 0) + content.length > MOST_BYTES)
    throw new Refusal(413, 'Together the enclosures are larger than 25 MB, which most mail servers refuse.');
  await keepEnclosure(db, id, filename, mimeType, content);
  await db('draft').where({ id }).update({ mirrored: 0, saved_at: new Date() });
}

async function keepEnclosure(
  db: Knex,
  draftId: number,
  filename: string,
  mimeType: string,
  content: Uint8Array,
): Promise<void> {
  const packed = await packRaw(content);
  await keepRaw(db, [packed]);
  await db('draft_enclosure').insert({
    draft_id: draftId,
    // No path and no control characters: it becomes a header.
    filename:
      filename
        .replace(/[\u0000-\u001f\u007f/\\]/g, ' ')
        .trim()
        .slice(0, 255) || 'enclosure',
    mime_type: /^[\w.+-]+\/[\w.+-]+$/.test(mimeType) ? mimeType.slice(0, 120) : 'application/octet-stream',
    hash: packed.hash,
  });
}

export async function dropEnclosure(
  db: Knex,
  staffId: number,
  id: number,
  enclosureId: number,
): Promise<void> {
  const draft = await readDraft(db, staffId, id);
  if (draft.state !== 'draft') throw new Refusal(409, 'This message is on its way already.');
  await db('draft_enclosure').where({ id: enclosureId, draft_id: id }).delete();
  await db('draft').where({ id }).update({ mirrored: 0, saved_at: new Date() });
}

/** Adds an enclosure of a message that is here. */
export async function enclosureFromMessage(
  db: Knex,
  staffId: number,
  id: number,
  messageId: number,
  index: number,
): Promise<void> {
  const { read } = await messageSource(db, staffId, messageId);
  const part = read.enclosures[index];
  if (!part) throw notFound('That enclosure');
  await addEnclosure(db, staffId, id, part.filename, part.mimeType, part.content);
}
