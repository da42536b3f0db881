import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import { CSV_MARK, csvLines } from '../foundation/csv.ts';
import { readFirm } from '../foundation/firm.ts';
import { listPieces } from './pieces.ts';
import { readRun } from './runs.ts';

/** Pieces are read so many at a time. */
const CHUNK = 200;

/** Who had what of a run, which way, when, and what came back, as a table. @returns the bytes of a CSV file */
export async function runReport(db: Knex, id: number): Promise<{ filename: string; content: Buffer }> {
  const [run, { zone }] = await Promise.all([readRun(db, id), readFirm(db)]);
  const time = (iso: string | null | undefined) =>
    iso ? DateTime.fromISO(iso, { zone }).toFormat('yyyy-MM-dd HH:mm') : '';
  const rows: string[][] = [
    [
      'Client',
      'File',
      'State',
      'Way',
      'To',
      'Pages',
      'Amount',
      'Released',
      'By',
      'Email',
      'Answer of the server',
      'Posted',
    ],
  ];
  for (let offset = 0, total = 1; offset < total; offset += CHUNK) {
    const page = await listPieces(db, id, { show: 'all', offset, limit: CHUNK });
    ({ total } = page);
    for (const piece of page.rows)
      rows.push([
        piece.client,
        piece.file?.number ?? '',
        piece.state,
        piece.way,
        piece.people.map(({ email }) => email).join(', '),
        String(piece.pages ?? ''),
        piece.amount === null ? '' : piece.amount.toFixed(2),
        time(piece.gone?.at),
        piece.gone?.by ?? '',
        piece.gone?.mail?.state ?? '',
        piece.gone?.mail?.answer ?? '',
        time(piece.gone?.printedAt),
      ]);
  }
  return { filename: `${run.name}.csv`, content: Buffer.from(CSV_MARK + csvLines(rows)) };
}
