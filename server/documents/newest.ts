import type { Knex } from 'knex';
import { select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/** A client's newest document of a kind. */
export interface Newest extends Pick<
  Rows['document'],
  'id' | 'filename' | 'mime_type' | 'size' | 'hash' | 'raw_hash' | 'message_id' | 'part'
> {
  clientId: number;
  kindId: number;
}

/**
 * Each client's newest document of each of these kinds: rows of `client_id`, `kind_id` and `id`.
 * @param among clients, where only some are asked about
 */
export function newestOfKinds(
  db: Knex,
  kindIds: readonly number[],
  among?: readonly number[],
): Knex.QueryBuilder {
  const filed: Knex.QueryBuilder = db('document')
    .join('filing', 'filing.message_id', 'document.message_id')
    .whereIn('document.kind_id', [...kindIds])
    .select('filing.client_id', 'document.kind_id', 'document.id', 'document.at');
  const put: Knex.QueryBuilder = db('document')
    .whereIn('kind_id', [...kindIds])
    .whereNull('gone_at')
    .whereNotNull('client_id')
    .select('client_id', 'kind_id', 'id', 'at');
  if (among) {
    filed.whereIn('filing.client_id', [...among]);
    put.whereIn('client_id', [...among]);
  }
  const ranked = db
    .from<object>(filed.unionAll([put]).as('placed') as unknown as string)
    .select('client_id', 'kind_id', 'id', {
      place: db.raw('ROW_NUMBER() OVER (PARTITION BY client_id, kind_id ORDER BY at DESC, id DESC)'),
    });
  return db
    .from<object>(ranked.as('ranked') as unknown as string)
    .where('place', 1)
    .select('client_id', 'kind_id', 'id');
}

/** The same, read. */
export async function readNewest(
  db: Knex,
  kindIds: readonly number[],
  among?: readonly number[],
): Promise<Newest[]> {
  if (!kindIds.length) return [];
  const found = db
    .from<object>(newestOfKinds(db, kindIds, among).as('newest') as unknown as string)
    .join('document', 'document.id', 'newest.id');
  return select(found, {
    clientId: db.raw<number>('newest.client_id'),
    kindId: db.raw<number>('newest.kind_id'),
    id: 'document.id',
    filename: 'document.filename',
    mime_type: 'document.mime_type',
    size: 'document.size',
    hash: 'document.hash',
    raw_hash: 'document.raw_hash',
    message_id: 'document.message_id',
    part: 'document.part',
  });
}
