import { likePattern, select } from '../foundation/rows.ts';
import { fromJson } from '../foundation/json.ts';
import { filesByIds } from '../records/files.ts';
import type { LedgerKind } from '../correspondence/ledger/port.ts';

/** What was printed and posted; what went by email stands there as its message. */
export const paperEntries: LedgerKind<'paper'> = {
  kind: 'paper',
  parts: ['paper'],

  find(db, { clientId, fileId, words }) {
    const found = db('paper_piece')
      .where('paper_piece.client_id', clientId)
      .whereNotNull('paper_piece.printed_at');
    if (fileId) found.where('paper_piece.file_id', fileId);
    if (words)
      found
        .join('paper_run', 'paper_run.id', 'paper_piece.run_id')
        .where('paper_run.name', 'like', likePattern(words));
    return found.select({ id: 'paper_piece.id', at: 'paper_piece.printed_at' });
  },

  async read(db, ids) {
    const rows = await select(
      db('paper_piece')
        .join('paper_run', 'paper_run.id', 'paper_piece.run_id')
        .leftJoin('document', 'document.piece_id', 'paper_piece.id')
        .leftJoin('staff', 'staff.id', 'paper_piece.printed_by')
        .whereIn('paper_piece.id', [...ids]),
      {
        id: 'paper_piece.id',
        name: 'paper_run.name',
        runId: 'paper_run.id',
        postal: 'paper_piece.postal',
        pages: 'paper_piece.pages',
        fileId: 'paper_piece.file_id',
        documentId: 'document.id?',
        filename: 'document.filename?',
        by: 'staff.name?',
      },
    );
    const files = await filesByIds(
      db,
      rows.map(({ fileId }) => fileId),
    );
    return new Map(
      rows.map(({ id, fileId, postal, pages, by, ...row }) => {
        const file = files.get(fileId);
        return [
          id,
          {
            ...row,
            to: fromJson('paper_piece.postal', postal)[0] ?? '',
            pages: pages ?? 0,
            by: by ?? '',
            files: file ? [{ id: file.id, number: file.number }] : [],
          },
        ];
      }),
    );
  },
};
