import { likePattern } from '../../foundation/rows.ts';
import { notesOf } from '../notes.ts';
import type { LedgerKind } from './port.ts';

/** What colleagues noted on the client's files. */
export const noteEntries: LedgerKind<'note'> = {
  kind: 'note',

  find(db, { clientId, fileId, words }) {
    const notes = db('note').join('file', 'file.id', 'note.file_id').where('file.client_id', clientId);
    if (fileId) notes.where('file.id', fileId);
    if (words) notes.where('note.words', 'like', likePattern(words));
    return notes.select({ id: 'note.id', at: 'note.at' });
  },

  async read(db, ids) {
    const notes = await notesOf(db, (query) => query.whereIn('note.id', ids));
    return new Map(notes.map(({ id, by, words, messageId, file }) => [id, { by, words, messageId, file }]));
  },
};
