import type { Rows } from '../foundation/tables.ts';
import { transact } from '../foundation/database.ts';
import type { Knex } from 'knex';
import type { MessageView, Stranger } from '../../contract/index.ts';
import { senderWarnings } from '../../core/address/impostor.ts';
import { readSignature } from '../../core/address/signature.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import { cut } from '../../core/message/limits.ts';
import type { ReadMessage } from '../../core/message/read.ts';
import { searchWords } from '../../core/message/words.ts';
import { NOTHING_WRITTEN, snippet, type Written } from '../../core/message/written.ts';
import { noteChange } from '../foundation/changes.ts';
import { idsOf, select, selectFirst } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import type { AppContext } from '../foundation/context.ts';
import { filesByIds } from '../records/files.ts';
import { readAgain, readingOf } from '../reading/kept.ts';
import type { KeptReading } from '../reading/pack.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import { framePage, plainAsHtml } from '../security/html.ts';
import { readEntries } from '../timeline/entries.ts';
import { readableBy, refuseUnlessReadable } from '../correspondence/access.ts';
import { notFound } from '../foundation/refusal.ts';
import { documentsOf, noteDocuments } from '../documents/came.ts';
import { enclosureOf } from '../documents/content.ts';
import { filingRegister } from '../records/filingRegister.ts';
import { isToBeWeighed } from './standing.ts';
import { fromJson } from '../foundation/json.ts';

/**
 * A message opened, with everything known about where it is and why.
 * @throws Refusal when it is not here, or the person may not read it
 */
export async function viewMessage(context: AppContext, staffId: number, id: number): Promise<MessageView> {
  const { db } = context;
  const row = await db('message').where({ id }).first();
  if (!row) throw notFound('That message');
  await refuseUnlessReadable(db, staffId, row);
  await noteSeen(db, row);
  const staff = await db('staff').select('id', 'name', 'active');
  const active = staff.filter((member) => member.active).map(({ name }) => name);
  const nameOf = (id: number | null) => staff.find((each) => each.id === id)?.name ?? null;
  const [text, place, company] = await Promise.all([
    textOf(context, row, active),
    placeOf(db, row),
    companyOf(db, staffId, row),
  ]);
  return {
    id,
    direction: row.direction,
    at: row.at.toISOString(),
    subject: row.subject,
    state: row.state,
    evidence: fromJson('message.evidence', row.evidence),
    decidedBy: nameOf(row.decided_by),
    listId: row.list_id,
    laterUntil: row.later_until?.toISOString() ?? null,
    waits: row.state === 'logged' || row.state === 'suggested' ? row.waits : null,
    differs: row.differs,
    handler: nameOf(row.handler_id),
    problem: row.problem,
    confirmation: row.confirmation,
    ...text,
    ...place,
    ...company,
  };
}

/** Where somebody has seen a message without correcting it, it stays, whatever is learned later. */
async function noteSeen(db: Knex, row: MessageRecord): Promise<void> {
  const settled = row.state === 'logged' || row.state === 'aside';
  if (!settled || row.decided_by !== null || row.kept_at !== null) return;
  if (await isToBeWeighed(db, row.id)) return;
  await db('message')
    .where({ id: row.id, decided_at: row.decided_at })
    .whereNull('kept_at')
    .update({ kept_at: new Date() });
}

type MessageRecord = Rows['message'];

/** What a message says, and what should give a reader pause about who wrote it. */
async function textOf(context: AppContext, row: MessageRecord, staffNames: readonly string[]) {
  const register = await filingRegister(context);
  const kept = await readingOf(context.db, row.raw_hash);
  const { read } = kept;
  const names = read.from
    ? [read.from.name, ...register.peopleAt(read.from.address).map((person) => person.name)].filter(Boolean)
    : [];
  const written = await partsOf(kept, names);
  const shown = [written.own, written.signature, written.footer].filter(Boolean).join('\n\n');
  return {
    own: shown || read.text.trim(),
    quoted: shown ? written.quoted.trim() : '',
    quotedLines: shown ? written.quotedLines : 0,
    hasHtml: read.html !== null,
    hasRemotePictures: kept.remotePictures,
    enclosures: read.enclosures.flatMap(({ filename, mimeType, size }, index) =>
      // Pictures that the HTML shows in place are left to it.
      kept.inPlace.includes(index) ? [] : [{ index, filename, mimeType, size }],
    ),
    shortened: kept.shortened,
    stranger: strangerIn(register, read, written.signature),
    warnings: senderWarnings(
      read.from,
      { ours: row.direction !== 'received', confirmation: row.confirmation },
      register,
      staffNames,
    ),
  };
}

/** Where a message is, where it may belong, and how that came about. */
async function placeOf(db: Knex, { id, candidates: kept }: MessageRecord) {
  const candidates = fromJson('message.candidates', kept);
  const [fileIds, steps, notes] = await Promise.all([
    idsOf(db('filing').where({ message_id: id }).orderBy('file_id'), 'filing.file_id'),
    history(db, id),
    readEntries(db, (query) => query.where('timeline.message_id', id).limit(MOST_NOTES)),
  ]);
  const files = await filesByIds(db, [...fileIds, ...candidates.map((candidate) => candidate.fileId)]);
  return {
    files: fileIds.flatMap((fileId) => files.get(fileId) ?? []),
    candidates: candidates.flatMap(({ fileId, likelihood, probability, evidence }) => {
      const file = files.get(fileId);
      return file ? [{ file, likelihood, probability, evidence }] : [];
    }),
    history: steps,
    notes,
  };
}

/** Who is on a message, which mailboxes hold it, and what belongs with it. */
async function companyOf(db: Knex, staffId: number, row: MessageRecord) {
  const conversed = db('message').where({ conversation_id: row.conversation_id });
  const [parties, mailboxes, conversation, twins] = await Promise.all([
    db('message_party')
      .where({ message_id: row.id })
      .orderByRaw("FIELD(role, 'from', 'to', 'cc', 'bcc')")
      .select('role', 'name', 'email'),
    db('message_copy')
      .join('folder', 'folder.id', 'message_copy.folder_id')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .where({ message_id: row.id })
      .distinct('mailbox.name')
      .pluck('mailbox.name'),
    selectFirst(readableBy(db, conversed, staffId), {
      size: db.raw<number>('COUNT(*)'),
      waiting: db.raw<number | null>("SUM(state = 'suggested' AND id <> ?)", [row.id]),
    }),
    twinsOf(db, staffId, row),
  ]);
  return {
    parties,
    mailboxes,
    restOfConversation: Number(conversation?.waiting ?? 0),
    conversationId: row.conversation_id,
    conversationSize: Number(conversation?.size ?? 1),
    twins,
  };
}

/** The parts of a message, told by all names its writer may sign with; whole where that takes too long. */
async function partsOf({ read }: KeptReading, names: readonly string[]): Promise<Written> {
  const whole = { ...NOTHING_WRITTEN, own: read.text };
  if (read.problem !== null) return whole;
  try {
    return await pool.run('part', [read.text, names, read.from?.address ?? '']);
  } catch (error) {
    if (error instanceof CouldNotBeRead) return whole;
    throw error;
  }
}

/** Other messages that bear the same Message-ID, sender and date, but say something else. */
async function twinsOf(
  db: Knex,
  staffId: number,
  row: { id: number; family: Buffer },
): Promise<MessageView['twins']> {
  const others = db('message').where({ family: row.family }).whereNot('message.id', row.id);
  const rows = await select(readableBy(db, others, staffId).orderBy('id').limit(MOST_TWINS), {
    id: 'message.id',
    subject: 'message.subject',
    taken_in_at: 'message.taken_in_at',
  });
  return rows.map(({ id, subject, taken_in_at }) => ({ id, subject, takenInAt: taken_in_at.toISOString() }));
}

const MOST_TWINS = 5;
const MOST_NOTES = 50;

/** What was done with a message, by whom and when: first to last. */
async function history(db: Knex, id: number): Promise<MessageView['history']> {
  const moves = db('filing_step_message')
    .join('filing_step', 'filing_step.id', 'filing_step_message.step_id')
    .join('staff', 'staff.id', 'filing_step.staff_id')
    .where({ message_id: id })
    .orderBy('filing_step.id');
  const rows = await select(moves, {
    id: 'filing_step.id',
    at: 'filing_step.at',
    words: 'filing_step.words',
    note: 'filing_step.note',
    undone_at: 'filing_step.undone_at',
    before_value: 'filing_step_message.before_value',
    along: 'filing_step_message.along',
    name: 'staff.name',
  });
  const steps = rows.map((step) => ({
    id: step.id,
    at: step.at.toISOString(),
    by: step.name,
    words: step.along ? 'Looked at again after another message was settled' : step.words,
    note: step.note,
    undone: step.undone_at !== null,
  }));
  const first = rows[0] ? fromJson('filing_step_message.before_value', rows[0].before_value) : undefined;
  if (!first || first.decided_by !== null) return steps;
  const reason = fromJson('message.evidence', first.evidence)[0]?.words;
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

/** The source of a message, for whoever may read it. @throws for anybody else */
export async function messageSource(
  db: Knex,
  staffId: number,
  id: number,
): Promise<{ raw: Buffer; hash: Buffer; subject: string }> {
  const row = await db('message').where({ id }).first('id', 'state', 'raw_hash', 'subject');
  if (!row) throw notFound('That message');
  await refuseUnlessReadable(db, staffId, row);
  return { raw: await readRaw(db, row.raw_hash), hash: row.raw_hash, subject: row.subject };
}

/** What was read of a message, for whoever may read it. @throws for anybody else */
export async function messageReading(db: Knex, staffId: number, id: number): Promise<KeptReading> {
  const row = await db('message').where({ id }).first('id', 'state', 'raw_hash');
  if (!row) throw notFound('That message');
  await refuseUnlessReadable(db, staffId, row);
  return readingOf(db, row.raw_hash);
}

/**
 * The page that shows a message in its frame; its plain words where that takes too long.
 * @throws when the person may not read it
 */
export async function messagePage(db: Knex, staffId: number, id: number, pictures: boolean): Promise<string> {
  const { raw, hash } = await messageSource(db, staffId, id);
  try {
    return await pool.run('page', [raw, pictures]);
  } catch (error) {
    if (!(error instanceof CouldNotBeRead)) throw error;
    return framePage(plainAsHtml((await readingOf(db, hash)).read.text));
  }
}

/** One enclosure with its bytes. @throws when the person may not read the message, or there is none of that number */
export async function messageEnclosure(db: Knex, staffId: number, id: number, index: number) {
  const { raw } = await messageSource(db, staffId, id);
  return enclosureOf(raw, index);
}

/** Reads a message anew that could not be read. @returns why it still cannot be, in words; null when it can */
export async function readMessageAgain(
  context: AppContext,
  staffId: number,
  id: number,
): Promise<string | null> {
  const { db } = context;
  const { hash } = await messageSource(db, staffId, id);
  const kept = await readAgain(db, hash);
  const { read } = kept;
  await transact(db, async (trx) => {
    if (read.problem === null) {
      const { at } = (await trx('message').where({ id }).first('at')) ?? {};
      if (at) await noteDocuments(trx, [{ id, at, documents: documentsOf(kept) }]);
      await trx('raw_words').where({ hash }).delete();
      await trx('raw_words').insert({ hash, words: searchWords(read) });
    }
    await trx('message')
      .where({ id })
      .update({
        problem: read.problem && cut(read.problem, 300),
        ...(read.problem === null
          ? {
              subject: cut(read.subject, 500),
              snippet: snippet(read.text),
              enclosures: read.enclosures.filter((part) => !part.inline).length,
            }
          : {}),
      });
    await noteChange(trx, 'mail', 'message', [id]);
    await noteChange(trx, 'sorting');
  });
  return read.problem;
}
