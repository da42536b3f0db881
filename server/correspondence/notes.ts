import { transact } from '../foundation/database.ts';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type { Note, NoteDraft } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { refuseUnlessReadable } from './access.ts';
import { notFound } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';

/** Notes with who wrote them, narrowed by the caller, newest first. */
export async function notesOf(
  db: Knex,
  narrow: (query: Knex.QueryBuilder) => Knex.QueryBuilder,
  limit = 200,
): Promise<Note[]> {
  const notes = db('note').join('file', 'file.id', 'note.file_id').join('staff', 'staff.id', 'note.staff_id');
  const rows = await select(narrow(notes).orderBy('note.at', 'desc').limit(limit), {
    id: 'note.id',
    at: 'note.at',
    words: 'note.words',
    message_id: 'note.message_id',
    file_id: 'file.id',
    number: 'file.number',
    name: 'staff.name',
  });
  return rows.map((row) => ({
    id: row.id,
    at: row.at.toISOString(),
    by: row.name,
    words: row.words,
    messageId: row.message_id,
    file: { id: row.file_id, number: row.number },
  }));
}

/**
 * Keeps a note on a file; one about a message keeps the link back to it.
 * @throws Refusal when there is no such file or message, or the person may not read it
 */
export async function addNote(db: Knex, staffId: number, draft: z.output<typeof NoteDraft>): Promise<Note> {
  if (!(await db('file').where({ id: draft.fileId }).first('id'))) throw notFound('That file');
  if (draft.messageId !== null) {
    const message = await db('message').where({ id: draft.messageId }).first('id', 'state');
    if (!message) throw notFound('That message');
    await refuseUnlessReadable(db, staffId, message);
  }
  const id = await transact(db, async (trx) => {
    const [made = 0] = await trx('note').insert({
      file_id: draft.fileId,
      message_id: draft.messageId,
      staff_id: staffId,
      at: new Date(),
      words: draft.words,
    });
    await noteAudit(trx, {
      staffId,
      action: 'note written',
      subject: 'file',
      id: draft.fileId,
      after: { words: draft.words },
    });
    await noteChange(trx, 'mail', 'file', [draft.fileId]);
    await noteChange(trx, 'mail', 'message', [draft.messageId]);
    return made;
  });
  const [note] = await notesOf(db, (query) => query.where('note.id', id));
  if (!note) throw notFound('That note');
  return note;
}
