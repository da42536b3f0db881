import type { Knex } from 'knex';
import type { MessageView } from '../../contract/index.ts';
import type { Candidate, Evidence } from '../../core/filing/types.ts';
import { readMessage, type ReadMessage } from '../../core/message/read.ts';
import { writtenPart } from '../../core/message/written.ts';
import { readRaw } from '../database/raw.ts';
import { notFound } from '../http/problems.ts';
import { filesByIds } from '../register/files.ts';
import { hasRemotePictures } from '../security/html.ts';

/** A message opened, with everything known about where it is and why. */
export async function viewMessage(db: Knex, id: number): Promise<MessageView> {
  const row = await db('message')
    .leftJoin('staff', 'staff.id', 'message.decided_by')
    .where('message.id', id)
    .first('message.*', 'staff.name as decider');
  if (!row) throw notFound('That message');
  const [raw, parties, mailboxes, fileIds, steps, rest] = await Promise.all([
    readRaw(db, row.raw_hash),
    db('message_party')
      .where({ message_id: id })
      .orderByRaw("FIELD(role, 'from', 'to', 'cc', 'bcc')")
      .select('role', 'name', 'email'),
    db('message_copy')
      .join('folder', 'folder.id', 'message_copy.folder_id')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .join('staff', 'staff.id', 'mailbox.staff_id')
      .where({ message_id: id })
      .distinct('staff.name')
      .pluck('staff.name'),
    db('filing').where({ message_id: id }).orderBy('file_id').pluck('file_id'),
    db('filing_step_message')
      .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
      .join('staff', 'staff.id', 'filing_step.staff_id')
      .where({ message_id: id })
      .orderBy('filing_step.id')
      .select('filing_step.id', 'filing_step.at', 'filing_step.words', 'filing_step.undone_at', 'staff.name'),
    db('message')
      .where({ conversation_id: row.conversation_id, state: 'suggested' })
      .whereNot({ id })
      .count('* as count')
      .first(),
  ]);
  const read = await readMessage(raw);
  const written = writtenPart(read.text);
  const candidates = JSON.parse(row.candidates) as Candidate[];
  const files = await filesByIds(db, [...fileIds, ...candidates.map((candidate) => candidate.fileId)]);
  return {
    id,
    direction: row.direction,
    at: row.at.toISOString(),
    subject: row.subject,
    parties,
    mailboxes,
    own: written.own || read.text.trim(),
    quoted: written.own ? written.quoted.trim() : '',
    quotedLines: written.own ? written.quotedLines : 0,
    hasHtml: read.html !== null,
    hasRemotePictures: read.html !== null && hasRemotePictures(read.html),
    enclosures: shownEnclosures(read).map(({ index, part }) => ({
      index,
      filename: part.filename,
      mimeType: part.mimeType,
      size: part.content.length,
    })),
    state: row.state,
    files: fileIds.flatMap((fileId: number) => files.get(fileId) ?? []),
    candidates: candidates.flatMap(({ fileId, likelihood, evidence }) => {
      const file = files.get(fileId);
      return file ? [{ file, likelihood, evidence }] : [];
    }),
    evidence: JSON.parse(row.evidence) as Evidence[],
    decidedBy: row.decider ?? null,
    history: steps.map((step) => ({
      id: step.id,
      at: step.at.toISOString(),
      by: step.name,
      words: step.words,
      undone: step.undone_at !== null,
    })),
    restOfConversation: Number(rest?.count ?? 0),
  };
}

/** Enclosures worth naming: pictures that the HTML shows in place are left to it. */
function shownEnclosures(read: ReadMessage) {
  const html = read.html ?? '';
  return read.enclosures
    .map((part, index) => ({ index, part }))
    .filter(({ part }) => !(part.contentId && html.includes(`cid:${part.contentId}`)));
}

/** The source of a message as it came, and as read. */
export async function messageSource(
  db: Knex,
  id: number,
): Promise<{ raw: Buffer; read: ReadMessage; subject: string }> {
  const row: { raw_hash: Buffer; subject: string } | undefined = await db('message')
    .where({ id })
    .first('raw_hash', 'subject');
  if (!row) throw notFound('That message');
  const raw = await readRaw(db, row.raw_hash);
  return { raw, read: await readMessage(raw), subject: row.subject };
}
