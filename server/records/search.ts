import type { Knex } from 'knex';
import type { SearchHits } from '../../contract/index.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import { fold, stem } from '../../core/filing/words.ts';
import { asFileRef, readFiles, type FileRow } from './files.ts';
import { idsOf, likePattern } from '../foundation/rows.ts';

const HITS = 8;
/** So many rows are weighed for each kind of match. */
const WEIGHED = 60;
/** The database keeps no shorter words in its full-text keys (its own default). */
const SHORTEST = 3;
/** A word more clients bear than this is no way in: the database would have to gather them all. */
const TOO_COMMON = 2000;

/**
 * Files and clients that fit all the words, for choosing from the keyboard: by number, title, client, place,
 * person or address, each word from its beginning. What begins with the words is found by the ordered keys;
 * only when that is too little are words looked for within names and titles, by the rarest of them.
 */
export async function search(db: Knex, register: FilingRegister, words: string): Promise<SearchHits> {
  const wanted = words.trim();
  if (!wanted) return { files: [], clients: [] };
  const [beginning, titled] = await Promise.all([clientsBeginning(db, wanted), filesBeginning(db, wanted)]);
  const terms = partsOf(wanted).filter((term) => term.length >= SHORTEST);
  const [within, filesWithin] =
    terms.length && (beginning.length < HITS || titled.length < HITS)
      ? await Promise.all([
          beginning.length < HITS ? clientsWithin(db, register, terms) : [],
          titled.length < HITS ? filesWithinWords(db, register, terms) : [],
        ])
      : [[], []];
  const clientIds = [...new Set([...beginning, ...within])].slice(0, WEIGHED);
  const ofClients =
    clientIds.length && titled.length < HITS
      ? await readFiles(db, (files) => files.whereIn('file.client_id', clientIds).limit(WEIGHED * 4))
      : [];
  return {
    files: ranked(titled, [...filesWithin, ...ofClients], clientIds),
    clients: await readClients(db, wanted, clientIds),
  };
}

/** Clients whose name, or whose people’s name or address, begins with the words; of two names in either order. */
async function clientsBeginning(db: Knex, wanted: string): Promise<number[]> {
  const begins = likePattern(wanted, false);
  const [first = '', ...rest] = wanted.split(/\s+/);
  const [named, people, addressed] = await Promise.all([
    idsOf(db('client').where('name', 'like', begins).orderBy('name').limit(WEIGHED), 'client.id'),
    idsOf(
      (rest.length
        ? db('person')
            .where('last_name', 'like', likePattern(rest.join(' '), false))
            .where('first_name', 'like', likePattern(first, false))
        : db('person').where('last_name', 'like', begins)
      ).limit(WEIGHED),
      'person.id',
    ),
    rest.length || wanted.length < SHORTEST
      ? []
      : idsOf(
          db('address').where('email_key', 'like', begins.toLowerCase()).limit(WEIGHED),
          'address.person_id',
        ),
  ]);
  return [...new Set([...named, ...(await clientsOf(db, [...people, ...addressed]))])];
}

async function clientsOf(db: Knex, personIds: readonly number[]): Promise<number[]> {
  if (!personIds.length) return [];
  return idsOf(db('client_person').whereIn('person_id', personIds).limit(WEIGHED), 'client_person.client_id');
}

async function filesBeginning(db: Knex, wanted: string): Promise<FileRow[]> {
  const begins = likePattern(wanted, false);
  const [numbers, titles] = await Promise.all([
    readFiles(db, (files) => files.where('file.number', 'like', begins).orderBy('file.number').limit(HITS)),
    readFiles(db, (files) => files.where('file.title', 'like', begins).limit(HITS)),
  ]);
  return [...numbers, ...titles];
}

/** The term that fewest clients bear, as a full-text query; null when even that one is too common. */
function wayIn(register: FilingRegister, terms: readonly string[]): string | null {
  const counted = terms
    .map((term) => ({ term, count: register.bearing(stem(term)) }))
    // A word half typed is borne by nobody: among known words the rarest is the surer way in.
    .sort(
      (a, b) => Number(!a.count) - Number(!b.count) || a.count - b.count || b.term.length - a.term.length,
    );
  const best = counted[0];
  return best && best.count <= TOO_COMMON ? `+${best.term}*` : null;
}

/** Words and numbers, folded. */
const partsOf = (text: string): string[] => fold(text).match(/[\p{L}\p{N}]+/gu) ?? [];

const fits = (terms: readonly string[], text: string) => {
  const parts = partsOf(text);
  return terms.every((term) => parts.some((part) => part.startsWith(term)));
};

async function clientsWithin(
  db: Knex,
  register: FilingRegister,
  terms: readonly string[],
): Promise<number[]> {
  const query = wayIn(register, terms);
  if (!query) return [];
  const rows = await db('client')
    .whereRaw('MATCH(name, place) AGAINST(? IN BOOLEAN MODE)', [query])
    .limit(WEIGHED * 10)
    .select('id', 'name', 'place');
  const people =
    terms.length > 1
      ? []
      : await db('person')
          .whereRaw('MATCH(first_name, last_name) AGAINST(? IN BOOLEAN MODE)', [query])
          .limit(WEIGHED)
          .select('id', 'first_name', 'last_name');
  const named = rows.filter((row) => fits(terms, `${row.name} ${row.place}`)).map((row) => row.id);
  return [
    ...named,
    ...(await clientsOf(
      db,
      people.map((person) => person.id),
    )),
  ];
}

/** Files with the words in number, title or the client's name: "farrant river". */
async function filesWithinWords(
  db: Knex,
  register: FilingRegister,
  terms: readonly string[],
): Promise<FileRow[]> {
  const query = wayIn(register, terms);
  if (!query) return [];
  const bearing = (columns: string) =>
    readFiles(db, (files) =>
      files.whereRaw(`MATCH(${columns}) AGAINST(? IN BOOLEAN MODE)`, [query]).limit(WEIGHED * 10),
    );
  const [byTitle, byClient] = await Promise.all([
    bearing('file.number, file.title'),
    terms.length > 1 ? bearing('client.name, client.place') : [],
  ]);
  return [...byTitle, ...byClient].filter((row) =>
    fits(terms, `${row.number} ${row.title} ${row.client_name}`),
  );
}

/** Numbers and titles that begin with the words first; then open files, those of the clients found, General ones last. */
function ranked(
  first: readonly FileRow[],
  others: readonly FileRow[],
  clientIds: readonly number[],
): SearchHits['files'] {
  const place = new Map(clientIds.map((id, index) => [id, index]));
  const order = (row: FileRow) => [
    row.closed === null ? 0 : 1,
    place.get(row.client_id) ?? WEIGHED,
    row.general ? 1 : 0,
  ];
  const sorted = [...others].sort((a, b) => {
    const left = order(a);
    const right = order(b);
    const at = left.findIndex((value, index) => value !== right[index]);
    return at < 0 ? b.number.localeCompare(a.number) : (left[at] ?? 0) - (right[at] ?? 0);
  });
  const unique = new Map([...first, ...sorted].map((row) => [row.id, row]));
  return [...unique.values()].slice(0, HITS).map(asFileRef);
}

async function readClients(db: Knex, wanted: string, ids: readonly number[]): Promise<SearchHits['clients']> {
  if (!ids.length) return [];
  const rows = await db('client').whereIn('id', ids).select('id', 'name', 'place');
  const begins = (name: string) => (name.toLowerCase().startsWith(wanted.toLowerCase()) ? 0 : 1);
  return rows.sort((a, b) => begins(a.name) - begins(b.name) || a.name.localeCompare(b.name)).slice(0, HITS);
}
