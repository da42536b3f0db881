import { readMailbox } from '../mailserver/access.ts';
import { select, selectFirst } from '../foundation/rows.ts';
import { LETTER } from './outgoing.ts';
import { refusePageless } from './ownPage.ts';
import { plain } from '../../core/merge/plain.ts';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type {
  Addressees,
  DraftRow,
  DraftSave,
  DraftSaved,
  DraftSent,
  DraftView,
  FileRef,
} from '../../contract/index.ts';
import { isAddress, shownName } from '../../core/address/address.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { boxToWriteAs } from '../correspondence/boxes.ts';
import type { AppContext } from '../foundation/context.ts';
import { filesByIds } from '../records/files.ts';
import type { DraftRecord } from './compose.ts';
import { signatureOf } from './signatures.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { filingRegister } from '../records/filingRegister.ts';
import { fromJson, toJson } from '../foundation/json.ts';

/** So long a message can be taken back after it was sent off, in milliseconds. */
const UNDO = 10_000;
const MOST_FITTING = 8;

/** A draft of one's own. @throws for anybody else's */
export async function readDraft(db: Knex, staffId: number, id: number): Promise<DraftRecord> {
  const row = await db('draft').where({ id, staff_id: staffId }).first();
  if (!row || row.state === 'thrown') throw notFound('That message');
  return row;
}

/** A draft of one's own with all that stands around it. @throws Refusal for anybody else's */
export async function viewDraft(context: AppContext, staffId: number, id: number): Promise<DraftView> {
  const { db } = context;
  const row = await readDraft(db, staffId, id);
  const people = fromJson('draft.people', row.people);
  const fileIds = fromJson('draft.file_ids', row.file_ids);
  const [files, fitting, enclosures, signature, about, dispatch, order] = await Promise.all([
    filesByIds(db, fileIds),
    fittingFiles(context, people),
    select(
      db('draft_enclosure')
        .join('raw', 'raw.hash', 'draft_enclosure.hash')
        .where({ draft_id: id })
        .orderBy('draft_enclosure.id'),
      {
        id: 'draft_enclosure.id',
        filename: 'draft_enclosure.filename',
        mimeType: 'draft_enclosure.mime_type',
        size: 'raw.size',
      },
    ),
    signatureOf(db, staffId),
    row.about_id
      ? db('message').where({ id: row.about_id }).first('id', 'subject', 'from_name', 'from_address')
      : null,
    db('dispatch').where({ draft_id: id }).first('state', 'answer', 'refused'),
    row.course_id === null ? undefined : orderOf(db, row.course_id),
  ]);
  return {
    id,
    version: row.version,
    state: stateOf(row.state, dispatch?.state),
    how: row.how,
    mailboxId: row.mailbox_id,
    people,
    subject: row.subject,
    body: fromJson('draft.body', row.body),
    plain: Boolean(row.plain),
    quoted: row.quoted,
    files: fileIds.flatMap((each) => files.get(each) ?? []),
    fittingFiles: fitting,
    enclosures,
    signature: plain({ type: 'doc', content: signature }).trim(),
    savedAt: row.saved_at.toISOString(),
    sendAt: row.send_at?.toISOString() ?? null,
    problem: dispatch ? problemOf(dispatch) : null,
    order: order ? { ...order, waits: row.waits } : null,
    about: about
      ? { messageId: about.id, words: `${shownName(about.from_name, about.from_address)}: ${about.subject}` }
      : null,
  };
}

/** The standing order that prepared a message, and why. */
function orderOf(db: Knex, courseId: number) {
  return selectFirst(
    db('order_course')
      .join('standing_order', 'standing_order.id', 'order_course.order_id')
      .where('order_course.id', courseId),
    { id: 'standing_order.id', name: 'standing_order.name', why: 'order_course.why' },
  );
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

function stateOf(own: DraftRecord['state'], dispatch: string | null | undefined): DraftView['state'] {
  if (own === 'draft' || !dispatch) return 'draft';
  if (dispatch === 'waiting' || dispatch === 'delayed') return 'waiting';
  if (dispatch === 'sent') return 'sent';
  return dispatch === 'going' || dispatch === 'uncertain' ? dispatch : 'returned';
}

/** Files of the clients whose people a message is to: open ones first, General last. */
async function fittingFiles(context: AppContext, people: Addressees): Promise<FileRef[]> {
  const register = await filingRegister(context);
  const clients = new Set(
    [...people.to, ...people.cc].flatMap(({ email }) =>
      register.peopleAt(email).flatMap((person) => person.clientIds),
    ),
  );
  const files = [...clients].flatMap((id) => register.filesOf(id)).filter((file) => !file.closed);
  const ordered = [...files].sort((a, b) => Number(a.general) - Number(b.general) || b.id - a.id);
  const byId = await filesByIds(
    context.db,
    ordered.slice(0, MOST_FITTING).map((file) => file.id),
  );
  return [...byId.values()].sort((a, b) => Number(a.general) - Number(b.general) || b.id - a.id);
}

/** Keeps what was typed. @throws when another window saved it meanwhile, or it is no draft any more */
export async function saveDraft(
  context: AppContext,
  staffId: number,
  id: number,
  save: z.output<typeof DraftSave>,
): Promise<DraftSaved> {
  const { db } = context;
  await readDraft(db, staffId, id);
  if (save.mailboxId !== null) await boxToWriteAs(db, staffId, save.mailboxId);
  const fileIds = [...new Set(save.fileIds)];
  const there = fileIds.length ? await db('file').whereIn('id', fileIds).pluck('id') : [];
  if (there.length !== fileIds.length) throw new Refusal(400, 'That file does not exist.', 'fileIds');
  const savedAt = new Date();
  const changed = await db('draft')
    .where({ id, staff_id: staffId, version: save.version, state: 'draft' })
    .update({
      mailbox_id: save.mailboxId,
      people: toJson('draft.people', save.people),
      subject: save.subject,
      body: toJson('draft.body', save.body),
      plain: save.plain,
      quoted: save.quoted,
      file_ids: toJson('draft.file_ids', fileIds),
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
    fittingFiles: await fittingFiles(context, save.people),
  };
}

/** Throws a draft away. @throws Refusal for anybody else's, or when it is on its way */
export async function throwDraft(db: Knex, staffId: number, id: number): Promise<void> {
  await readDraft(db, staffId, id);
  await transact(db, async (trx) => {
    const changed = await trx('draft')
      .where({ id, staff_id: staffId, state: 'draft' })
      .update({ state: 'thrown', saved_at: new Date() });
    if (!changed) throw new Refusal(409, 'This message is on its way already.');
    await noteDraft(trx, id);
  });
}

/** Takes a draft out of what was thrown away. @throws Refusal when it was not thrown away */
export async function restoreDraft(db: Knex, staffId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const changed = await trx('draft')
      .where({ id, staff_id: staffId, state: 'thrown' })
      .update({ state: 'draft', saved_at: new Date() });
    if (!changed) throw notFound('That message');
    await noteDraft(trx, id);
  });
}

/** Tells that a draft changed: whoever writes it, and the mailbox whose Drafts show it. */
export async function noteDraft(trx: Transaction, id: number): Promise<void> {
  const draft = await trx('draft').where({ id }).first('staff_id', 'mailbox_id');
  await noteChange(trx, 'drafts', 'staff', [draft?.staff_id]);
  await noteChange(trx, 'pending', 'mailbox', [draft?.mailbox_id]);
}

/**
 * Sends a message off: now, which leaves ten seconds to take it back, or later. From here on it is a
 * dispatch like any other: crash-safe, tried again, and logged as the bytes that left.
 * @param unread a standing order sends it, and nobody has read it
 * @throws Refusal when something is missing or wrong in it, it may not leave from that mailbox, or another window has changed it
 */
export async function sendDraft(
  context: AppContext,
  staffId: number,
  id: number,
  version: number,
  at: string | null,
  unread = false,
): Promise<DraftSent> {
  const { db } = context;
  const draft = await readDraft(db, staffId, id);
  if (draft.version !== version || draft.state !== 'draft')
    throw new Refusal(
      409,
      'This message was changed in another window, or is on its way already. Open it again.',
    );
  const people = fromJson('draft.people', draft.people);
  const everybody = [...people.to, ...people.cc, ...people.bcc];
  if (!everybody.length) throw new Refusal(400, 'Say whom it is to.', 'people');
  const wrong = everybody.find(({ email }) => !isAddress(email));
  if (wrong) throw new Refusal(400, `“${wrong.email || wrong.name}” is not an email address.`, 'people');
  const { mailbox_id } = draft;
  if (mailbox_id === null)
    throw new Refusal(400, 'Choose from which mailbox it goes, or connect one first.', 'mailboxId');
  await boxToWriteAs(db, staffId, mailbox_id);
  if (!(await readMailbox(db, mailbox_id)).verified_at)
    throw new Refusal(400, 'That mailbox is not verified yet, so nothing is sent from it.', 'mailboxId');
  await refusePageless(db, draft);
  const later = at ? new Date(at) : null;
  if (later && later.getTime() < Date.now()) throw new Refusal(400, 'That time has passed.', 'at');
  const leaves = later ?? new Date(Date.now() + UNDO * Math.min(1, context.config.waitScale));
  await transact(db, async (trx) => {
    const changed = await trx('draft')
      .where({ id, version, state: 'draft' })
      .update({ state: 'waiting', send_at: leaves, unread });
    if (!changed) throw new Refusal(409, 'This message is on its way already.');
    const first = everybody[0];
    await trx('dispatch').insert({
      kind: LETTER,
      draft_id: id,
      mailbox_id,
      to_name: first?.name ?? '',
      to_address: first?.email ?? '',
      message_id: draft.message_id,
      facts: '{}',
      next_at: leaves,
    });
    await noteHandling(trx, staffId, draft);
    await noteDraft(trx, id);
  });
  return { leavesAt: leaves.toISOString(), words: later ? 'Kept for later' : 'Sent' };
}

/** Whoever answers deals with it, and its mailbox knows that it was answered. */
async function noteHandling(trx: Knex.Transaction, staffId: number, draft: DraftRecord): Promise<void> {
  if (!draft.about_id || draft.how === 'forward') return;
  await trx('message').where({ id: draft.about_id }).whereNull('handler_id').update({ handler_id: staffId });
  await noteChange(trx, 'mail', 'message', [draft.about_id]);
  const own = trx('message_copy')
    .join('folder', 'folder.id', 'message_copy.folder_id')
    .where('message_copy.message_id', draft.about_id)
    .where('folder.mailbox_id', draft.mailbox_id);
  const copies = await select(own, {
    mailbox_id: 'folder.mailbox_id',
    folder_id: 'message_copy.folder_id',
    uid: 'message_copy.uid',
  });
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
    await trx('draft')
      .where({ id })
      .update({ state: 'draft', send_at: null, saved_at: new Date(), unread: false });
    await noteDraft(trx, id);
  });
}

/** One's drafts, what waits to leave, and what did not go as meant. */
export async function listDrafts(db: Knex, staffId: number): Promise<DraftRow[]> {
  const own = db('draft')
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
    .limit(200);
  const rows = await select(own, {
    id: 'draft.id',
    state: 'draft.state',
    people: 'draft.people',
    subject: 'draft.subject',
    file_ids: 'draft.file_ids',
    saved_at: 'draft.saved_at',
    send_at: 'draft.send_at',
    address: 'mailbox.address?',
    dispatch_id: 'dispatch.id?',
    fared: 'dispatch.state?',
    answer: 'dispatch.answer?',
    refused: 'dispatch.refused?',
  });
  const files = await filesByIds(db, [
    ...new Set(rows.flatMap((row) => fromJson('draft.file_ids', row.file_ids))),
  ]);
  return rows.map((row) => {
    const people = fromJson('draft.people', row.people);
    const state = stateOf(row.state, row.fared);
    return {
      id: row.id,
      state,
      to: [...people.to, ...people.cc, ...people.bcc].map(({ name, email }) => name || email).join(', '),
      subject: row.subject,
      from: row.address,
      files: fromJson('draft.file_ids', row.file_ids)
        .map((fileId) => files.get(fileId)?.number ?? '')
        .join(', '),
      savedAt: row.saved_at.toISOString(),
      sendAt: row.send_at?.toISOString() ?? null,
      problem: problemOf({ state: row.fared, answer: row.answer, refused: row.refused }),
      dispatchId: row.dispatch_id,
    };
  });
}
