import type { Knex } from 'knex';
import type { FileRef } from '../../contract/index.ts';

export interface FileRow {
  id: number;
  number: string;
  title: string;
  client_id: number;
  client_name: string;
  general: number;
  closed: string | null;
}

/** Files joined with their clients, ready to be narrowed and read with {@link asFileRef}. */
export function fileRefs(db: Knex): Knex.QueryBuilder {
  return db('file')
    .join('client', 'client.id', 'file.client_id')
    .select(
      'file.id',
      'file.number',
      'file.title',
      'file.client_id',
      'client.name as client_name',
      'file.general',
      'file.closed',
    );
}

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

export async function filesByIds(db: Knex, ids: readonly number[]): Promise<Map<number, FileRef>> {
  const rows: FileRow[] = ids.length ? await fileRefs(db).whereIn('file.id', ids) : [];
  return new Map(rows.map((row) => [row.id, asFileRef(row)]));
}
