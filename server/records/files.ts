import type { Knex } from 'knex';
import type { FileRef } from '../../contract/index.ts';
import { select, type Selected } from '../foundation/rows.ts';

const FILE_REF = {
  id: 'file.id',
  number: 'file.number',
  title: 'file.title',
  client_id: 'file.client_id',
  client_name: 'client.name',
  general: 'file.general',
  opened: 'file.opened',
  closed: 'file.closed',
  stage: 'stage.name?',
} as const;

export type FileRow = Selected<typeof FILE_REF>;

/** Files with their clients, narrowed by the caller; to be made into references with {@link asFileRef}. */
export function readFiles(
  db: Knex,
  narrow: (files: Knex.QueryBuilder) => Knex.QueryBuilder,
): Promise<FileRow[]> {
  const files = db('file')
    .join('client', 'client.id', 'file.client_id')
    .leftJoin('stage', 'stage.id', 'file.stage_id');
  return select(narrow(files), FILE_REF);
}

/** A file as screens refer to it. */
export function asFileRef(row: FileRow): FileRef {
  return {
    id: row.id,
    number: row.number,
    title: row.title,
    clientId: row.client_id,
    clientName: row.client_name,
    general: Boolean(row.general),
    closed: row.closed !== null,
  };
}

/** Files as screens refer to them, by number; those that are not here are left out. */
export async function filesByIds(db: Knex, ids: readonly number[]): Promise<Map<number, FileRef>> {
  const rows = ids.length ? await readFiles(db, (files) => files.whereIn('file.id', ids)) : [];
  return new Map(rows.map((row) => [row.id, asFileRef(row)]));
}
