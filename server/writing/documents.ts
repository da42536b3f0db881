import { select } from '../foundation/rows.ts';
import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import type { FileDocument } from '../../contract/index.ts';
import { readingOf } from '../reading/kept.ts';

/** So many of the latest messages with enclosures are looked through. */
const MESSAGES = 40;

/** Documents that came or went with messages on a file and on its client's others, the file's own first. */
export async function documentsOfFile(db: Knex, fileId: number): Promise<FileDocument[]> {
  const latest = db('filing')
    .join('message', 'message.id', 'filing.message_id')
    .join('file', 'file.id', 'filing.file_id')
    .where('file.client_id', db('file').where({ id: fileId }).select('client_id'))
    .where('message.enclosures', '>', 0)
    .groupBy('message.id')
    .orderByRaw('MAX(filing.file_id = ?) DESC, MAX(filing.at) DESC', [fileId])
    .limit(MESSAGES);
  const rows = await select(latest, {
    id: 'message.id',
    raw_hash: 'message.raw_hash',
    at: 'message.at',
    from_name: 'message.from_name',
    from_address: 'message.from_address',
  });
  const documents = await Promise.all(
    rows.map(async (row) => {
      const { read } = await readingOf(db, row.raw_hash);
      return read.enclosures.flatMap((part, index) =>
        part.inline
          ? []
          : [
              {
                messageId: row.id,
                index,
                filename: part.filename,
                size: part.size,
                at: row.at.toISOString(),
                from: shownName(row.from_name, row.from_address),
              },
            ],
      );
    }),
  );
  return documents.flat();
}
