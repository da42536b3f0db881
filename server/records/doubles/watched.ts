import type { Knex } from 'knex';
import type { DoubleSubject } from '../../../contract/index.ts';
import { ON_PAGES } from './move.ts';
import type { Watched } from './snapshot.ts';

type Find = Watched['find'];

/** Kept selections: their trees name records by number. */
const TREES: Watched = {
  table: 'selection',
  key: ['id'],
  only: ['tree'],
  find: (query) => query.whereNotNull('tree'),
};

/** Pairs of doubles that name one of the records. */
const pairs = (subject: DoubleSubject, ids: readonly number[]): Watched => ({
  table: 'double_pair',
  key: ['id'],
  find: (query) => query.whereIn(`${subject}_a`, ids).orWhereIn(`${subject}_b`, ids),
});

/** Pages and what hangs on them; of one that came back its codes begin anew. */
const pages = (column: 'client_id' | 'person_id', ids: readonly number[]): Watched[] => [
  {
    table: 'collection_page',
    key: ['id'],
    made: ['secret'],
    find: (query) => query.whereIn(column, ids),
  },
  ...ON_PAGES.map((table) => ({
    table,
    key: ['id'],
    only: ['page_id'],
    find: (query: Knex.QueryBuilder) =>
      query.whereIn('page_id', (own: Knex.QueryBuilder) =>
        own
          .from('collection_page')
          .whereIn(column, [...ids])
          .select('id'),
      ),
  })),
];

const values = (of: 'client' | 'person' | 'file', find: Find): Watched => ({
  table: `${of}_field_value`,
  key: [`${of}_id`, 'field_id', 'item'],
  find,
});

/**
 * Every row that merging two records may touch: parents before what hangs on them. What hangs on files alone moves and
 * comes back with them, by its key to file and client together.
 */
export const WATCHED: Record<DoubleSubject, (ids: readonly number[]) => Watched[]> = {
  client(ids) {
    const own = (query: Knex.QueryBuilder) => query.whereIn('client_id', ids);
    const linked = (query: Knex.QueryBuilder) => query.whereIn('client_link', ids);
    const moved = { only: ['client_id'], find: own };
    return [
      { table: 'client', key: ['id'], made: ['postcode'], find: (query) => query.whereIn('id', ids) },
      { table: 'file', key: ['id'], made: ['number_length', 'new_at'], find: own },
      { table: 'client_person', key: ['client_id', 'person_id'], made: ['new_at'], find: own },
      { table: 'client_tag', key: ['client_id', 'tag_id'], find: own },
      { table: 'client_interest', key: ['client_id', 'interest_id'], find: own },
      { table: 'delivery', key: ['client_id', 'kind'], find: own },
      { table: 'phone', key: ['id'], find: own },
      values('client', (query) => query.whereIn('client_id', ids).orWhereIn('client_link', ids)),
      values('person', linked),
      values('file', linked),
      { table: 'fee_note', key: ['id'], ...moved },
      { table: 'dispatch', key: ['id'], ...moved },
      { table: 'mailing_left_out', key: ['id'], find: own },
      { table: 'import_row', key: ['import_id', 'line'], ...moved },
      { table: 'order_course', key: ['id'], ...moved },
      { table: 'task', key: ['id'], ...moved },
      { table: 'mailing_own_copy', key: ['mailing_id', 'client_id', 'person_id'], find: own },
      { table: 'selection_member', key: ['selection_id', 'client_id'], find: own },
      ...pages('client_id', ids),
      TREES,
      pairs('client', ids),
    ];
  },
  person(ids) {
    const own = (query: Knex.QueryBuilder) => query.whereIn('person_id', ids);
    const linked = (query: Knex.QueryBuilder) => query.whereIn('person_link', ids);
    const moved = { only: ['person_id'], find: own };
    return [
      { table: 'person', key: ['id'], find: (query) => query.whereIn('id', ids) },
      { table: 'client_person', key: ['client_id', 'person_id'], made: ['new_at'], find: own },
      { table: 'file_person', key: ['file_id', 'person_id'], find: own },
      { table: 'address', key: ['id'], made: ['new_at'], find: own },
      { table: 'phone', key: ['id'], find: own },
      values('person', (query) => query.whereIn('person_id', ids).orWhereIn('person_link', ids)),
      values('client', linked),
      values('file', linked),
      {
        table: 'delivery',
        key: ['client_id', 'kind'],
        only: ['person_id', 'also_id'],
        find: (query) => query.where((some) => some.whereIn('person_id', ids).orWhereIn('also_id', ids)),
      },
      { table: 'dispatch', key: ['id'], ...moved },
      { table: 'paper_piece', key: ['id'], ...moved },
      { table: 'order_course', key: ['id'], ...moved },
      { table: 'text_message', key: ['id'], ...moved },
      { table: 'mailing_left_out', key: ['id'], find: own },
      { table: 'timeline_person', key: ['timeline_id', 'person_id'], find: own },
      { table: 'mailing_own_copy', key: ['mailing_id', 'client_id', 'person_id'], find: own },
      { table: 'selection_member', key: ['selection_id', 'person_id'], find: own },
      ...pages('person_id', ids),
      TREES,
      pairs('person', ids),
    ];
  },
};
