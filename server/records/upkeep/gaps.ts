import type { Knex } from 'knex';
import { BROKEN_ADDRESS, ODD_FIRST_NAME, POSTCODES } from '../../../core/upkeep/patterns.ts';
import type { Gap, RecordSubject } from '../../../contract/index.ts';

/** A list of records in which something is missing or looks wrong. */
export interface GapSource {
  subject: RecordSubject;
  /** The records, under the name of their own table. @param country the office's own */
  find(db: Knex, country: string): Knex.QueryBuilder;
  /** What stands there, as one expression. */
  mark: string;
}

const clients = (db: Knex): Knex.QueryBuilder => db('client').where('client.status', 'active');
const people = (db: Knex): Knex.QueryBuilder => db('person');
const exists = (what: string) => `(SELECT 1 FROM ${what} LIMIT 1) IS NOT NULL`;
const lacks = (what: string) => `(SELECT 1 FROM ${what} LIMIT 1) IS NULL`;

/** Letters as they are written, small and capital told apart. */
const EXACT = 'COLLATE utf8mb4_bin';
const THEIR_PEOPLE =
  'client_person y JOIN person p ON p.id = y.person_id WHERE y.client_id = client.id AND y.writes = 1';
const names = (text: string, first: string, last: string) =>
  `(${first} <> '' AND LOCATE(${first}, ${text}) > 0 OR ${last} <> '' AND LOCATE(${last}, ${text}) > 0)`;

/** Each of the lists: one without its source does not compile. */
export const GAPS: { [G in Gap]: GapSource } = {
  'odd names': {
    subject: 'person',
    find: (db) => people(db).whereRaw(`person.first_name ${EXACT} REGEXP ?`, [ODD_FIRST_NAME]),
    mark: "CONCAT_WS(' ', person.first_name, person.last_name)",
  },
  greetings: {
    subject: 'client',
    find: (db) =>
      clients(db)
        .whereRaw("client.greeting <> ''")
        .whereRaw(exists(THEIR_PEOPLE))
        .whereRaw(lacks(`${THEIR_PEOPLE} AND ${names('client.greeting', 'p.first_name', 'p.last_name')}`)),
    mark: 'client.greeting',
  },
  addresses: {
    subject: 'person',
    find: (db) =>
      // Gathered once: an address looked at for each person by itself takes four times as long.
      people(db).whereIn(
        'person.id',
        db('address')
          .where({ current: 1 })
          .whereRaw('(returned_at IS NOT NULL OR email REGEXP ?)', [BROKEN_ADDRESS])
          .select('person_id'),
      ),
    mark: `(SELECT GROUP_CONCAT(CONCAT(a.email, IF(a.returned_at IS NULL, '', CONCAT(': ', COALESCE(a.returned_why, 'returned')))) ORDER BY a.position SEPARATOR '; ')
      FROM address a WHERE a.person_id = person.id AND a.current = 1)`,
  },
  postcodes: {
    subject: 'client',
    find: (db, country) =>
      clients(db)
        .where('client.postal', '<>', '[]')
        .where((any) => {
          for (const [code, pattern] of Object.entries(POSTCODES)) {
            const codes = code === country ? [code, ''] : [code];
            any.orWhere((wrong) =>
              wrong.whereIn('client.country', codes).whereRaw('NOT UPPER(client.postal) REGEXP ?', [pattern]),
            );
          }
        }),
    mark: 'client.postal',
  },
  'no postal address': {
    subject: 'client',
    find: (db) => clients(db).where('client.postal', '[]'),
    mark: "''",
  },
  'nobody written to': {
    subject: 'client',
    find: (db) =>
      clients(db)
        .whereRaw(exists('client_person y WHERE y.client_id = client.id'))
        .whereRaw(
          lacks(
            'client_person y JOIN address a ON a.person_id = y.person_id WHERE y.client_id = client.id AND y.writes = 1 AND a.current = 1',
          ),
        )
        .whereRaw(
          lacks(
            "delivery d WHERE d.client_id = client.id AND d.kind = 'mailings' AND d.way IN ('post', 'none')",
          ),
        ),
    mark: "''",
  },
  'nobody named': {
    subject: 'client',
    find: (db) => clients(db).whereRaw(lacks('client_person y WHERE y.client_id = client.id')),
    mark: "''",
  },
  'of no client': {
    subject: 'person',
    find: (db) => people(db).whereRaw(lacks('client_person y WHERE y.person_id = person.id')),
    mark: "''",
  },
  'no adviser': {
    subject: 'client',
    find: (db) => clients(db).whereNull('client.adviser_id'),
    mark: "''",
  },
  'file without adviser': {
    subject: 'file',
    find: (db) =>
      (db('file') as Knex.QueryBuilder)
        .whereNull('file.adviser_id')
        .whereNull('file.closed')
        .where('file.general', 0),
    mark: "''",
  },
};
