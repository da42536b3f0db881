import type { Knex } from 'knex';
import type { MessageView, Stranger } from '../../contract/index.ts';
import { readSignature } from '../../core/address/signature.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { Candidate, Evidence } from '../../core/filing/types.ts';
import { readMessage, type ReadMessage } from '../../core/message/read.ts';
import { writtenPart } from '../../core/message/written.ts';
import { readRaw } from '../database/raw.ts';
import { notFound } from '../http/problems.ts';
import type { Office } from '../office.ts';
import { filesByIds } from '../register/files.ts';
import { hasRemotePictures } from '../security/html.ts';
import { notesOf } from './notes.ts';
import { keepPrivate } from './privacy.ts';
import type { Standing } from './standing.ts';

/** A message opened, with everything known about where it is and why. */
export async function viewMessage(office: Office, staffId: number, id: number): Promise<MessageView> {
  const { db } = office;
  const row = await db('message')
    .leftJoin('staff', 'staff.id', 'message.decided_by')
    .leftJoin('staff as handler', 'handler.id', 'message.handler_id')
    .where('message.id', id)
    .first('message.*', 'staff.name as decider', 'handler.name as handler');
  if (!row) throw notFound('That message');
  await keepPrivate(db, staffId, row);
  const register = await office.filingRegister();
  const [raw, parties, mailboxes, fileIds, steps, conversation, notes] = await Promise.all([
    readRaw(db, row.raw_hash),
    db('message_party')
      .where({ message_id: id })
      .orderByRaw("FIELD(role, 'from', 'to', 'cc', 'bcc')")
      .select('role', 'name', 'email'),
    db('message_copy')
      .join('folder', 'folder.id', 'message_copy.folder_id')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .where({ message_id: id })
      .distinct('mailbox.name')
      .pluck('mailbox.name'),
    db('filing').where({ message_id: id }).orderBy('file_id').pluck('file_id'),
    history(db, id),
    db('message')
      .where({ conversation_id: row.conversation_id })
      .first(
        db.raw('COUNT(*) AS size'),
        db.raw("SUM(state = 'suggested' AND id <> ?) AS waiting", [id]),
      ) as unknown as Promise<{ size: number; waiting: number }>,
    notesOf(db, (query) => query.where('note.message_id', id)),
  ]);
  const read = await readMessage(raw);
  const names = read.from
    ? [read.from.name, ...register.peopleAt(read.from.address).map((person) => person.name)].filter(Boolean)
    : [];
  const written = writtenPart(read.text, names, read.from?.address);
  const shown = [written.own, written.signature, written.footer].filter(Boolean).join('\n\n');
  const candidates = JSON.parse(row.candidates) as Candidate[];
  const files = await filesByIds(db, [...fileIds, ...candidates.map((candidate) => candidate.fileId)]);
  return {
    id,
    direction: row.direction,
    at: row.at.toISOString(),
    subject: row.subject,
    parties,
    mailboxes,
    own: shown || read.text.trim(),
    quoted: shown ? written.quoted.trim() : '',
    quotedLines: shown ? written.quotedLines : 0,
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
    candidates: candidates.flatMap(({ fileId, likelihood, probability, evidence }) => {
      const file = files.get(fileId);
      return file ? [{ file, likelihood, probability, evidence }] : [];
    }),
    evidence: JSON.parse(row.evidence) as Evidence[],
    decidedBy: row.decider ?? null,
    history: steps,
    restOfConversation: Number(conversation?.waiting ?? 0),
    conversationId: row.conversation_id,
    conversationSize: Number(conversation?.size ?? 1),
    stranger: strangerIn(register, read, written.signature),
    listId: row.list_id,
    notes,
    laterUntil: row.later_until?.toISOString() ?? null,
    waits: row.state === 'logged' || row.state === 'suggested' ? row.waits : null,
    differs: row.differs,
    handler: row.handler ?? null,
  };
}

/** What was done with a message, by whom and when: first to last. */
async function history(db: Knex, id: number): Promise<MessageView['history']> {
  const rows = await db('filing_step_message')
    .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
    .join('staff', 'staff.id', 'filing_step.staff_id')
    .where({ message_id: id })
    .orderBy('filing_step.id')
    .select(
      'filing_step.id',
      'filing_step.at',
      'filing_step.words',
      'filing_step.note',
      'filing_step.undone_at',
      'filing_step_message.before_value',
      'filing_step_message.along',
      'staff.name',
    );
  const steps = rows.map((step) => ({
    id: step.id as number,
    at: step.at.toISOString() as string,
    by: step.name as string,
    words: step.along ? 'Looked at again after another message was settled' : (step.words as string),
    note: step.note as string,
    undone: step.undone_at !== null,
  }));
  const first = rows[0] ? (JSON.parse(rows[0].before_value) as Standing) : undefined;
  if (!first || first.decided_by !== null) return steps;
  const reason = (JSON.parse(first.evidence) as Evidence[])[0]?.words;
  const did = {
    logged: 'Filed',
    suggested: 'Put into Sorting',
    aside: 'Set aside',
    private: 'Marked as private',
  };
  const words = `${did[first.state]} without help${reason ? `: ${reason}` : ''}`;
  return [{ id: 0, at: first.decided_at, by: 'Patient Clerk', words, note: '', undone: false }, ...steps];
}

/** Who wrote from, or was written to at, an address nobody in the records has. */
function strangerIn(register: FilingRegister, read: ReadMessage, signature: string): Stranger | null {
  const outside = [...(read.from ? [read.from] : []), ...read.to, ...read.cc].find(
    ({ address }) => address && !register.isOurs(address) && !register.peopleAt(address).length,
  );
  if (!outside) return null;
  const { name, address: email } = outside;
  const wrote = read.from?.address === email;
  const told = readSignature(wrote ? signature : '', name);
  const full = `${told.firstName} ${told.lastName}`.trim();
  const namesakes = [
    ...new Set([...register.peopleNamed(name), ...register.peopleNamed(full), ...register.peopleLike(name)]),
  ];
  return {
    name: name || full,
    email,
    people: namesakes.slice(0, 5).flatMap((person) =>
      person.clientIds.slice(0, 1).map((clientId) => ({
        id: person.id,
        name: person.name,
        clientId,
        clientName: register.clientName(clientId),
      })),
    ),
    read: told,
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
  staffId: number,
  id: number,
): Promise<{ raw: Buffer; read: ReadMessage; subject: string }> {
  const row: { id: number; state: string; raw_hash: Buffer; subject: string } | undefined = await db(
    'message',
  )
    .where({ id })
    .first('id', 'state', 'raw_hash', 'subject');
  if (!row) throw notFound('That message');
  await keepPrivate(db, staffId, row);
  const raw = await readRaw(db, row.raw_hash);
  return { raw, read: await readMessage(raw), subject: row.subject };
}
