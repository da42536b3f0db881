import type { Knex } from 'knex';
import type { SearchHits } from '../../contract/index.ts';
import { asFileRef, fileRefs, likePattern, type FileRow } from './files.ts';

const HITS = 8;
/** So many rows are weighed for each kind of match. */
const WEIGHED = 60;
/** The database keeps no shorter words in its full-text keys (its own default). */
const SHORTEST = 3;

/**
 * Files and clients that fit all the words, for choosing from the keyboard: by number, title, client, place,
 * person or address, each word from its beginning; what begins with the words goes first.
 */
export async function search(db: Knex, words: string): Promise<SearchHits> {
  const wanted = words.trim();
  if (!wanted) return { files: [], clients: [] };
  const clientIds = await clientsFor(db, wanted);
  const [files, clients] = await Promise.all([
    filesFor(db, wanted, clientIds),
    readClients(db, wanted, clientIds),
  ]);
  return { files, clients };
}

/** The words as a full-text query: all of them, each from its beginning. Null when all are too short. */
function allOf(wanted: string, join = '+'): string | null {
  const terms = (wanted.match(/[\p{L}\p{N}]+/gu) ?? []).filter((term) => term.length >= SHORTEST);
  return terms.length ? terms.map((term) => `${join}${term}*`).join(' ') : null;
}

/** Clients by name and place, by their people, by an address; those whose name begins with the words first. */
async function clientsFor(db: Knex, wanted: string): Promise<number[]> {
  const query = allOf(wanted);
  const begins = likePattern(wanted, false);
  const ofPeople = (people: Knex.QueryBuilder) =>
    db('client_person').whereIn('person_id', people).limit(WEIGHED).pluck('client_id') as unknown as Promise<
      number[]
    >;
  const none = Promise.resolve<number[]>([]);
  const lists = await Promise.all([
    db('client')
      .where('name', 'like', begins)
      .orderBy('name')
      .limit(WEIGHED)
      .pluck('id') as unknown as Promise<number[]>,
    query
      ? (db('client')
          .whereRaw('MATCH(name, place) AGAINST(? IN BOOLEAN MODE)', [query])
          .limit(WEIGHED)
          .pluck('id') as unknown as Promise<number[]>)
      : none,
    query
      ? matchingPeople(db, query).then((ids) =>
          ids.length ? ofPeople(db('person').whereIn('id', ids).select('id')) : none,
        )
      : none,
    wanted.length >= SHORTEST && !/\s/.test(wanted)
      ? addressPeople(db, begins).then((ids) =>
          ids.length ? ofPeople(db('person').whereIn('id', ids).select('id')) : none,
        )
      : none,
  ]);
  return [...new Set(lists.flat())].slice(0, WEIGHED);
}

function matchingPeople(db: Knex, query: string): Promise<number[]> {
  return db('person')
    .whereRaw('MATCH(first_name, last_name) AGAINST(? IN BOOLEAN MODE)', [query])
    .limit(WEIGHED)
    .pluck('id') as unknown as Promise<number[]>;
}

function addressPeople(db: Knex, begins: string): Promise<number[]> {
  return db('address')
    .where('email_key', 'like', begins.toLowerCase())
    .limit(WEIGHED)
    .pluck('person_id') as unknown as Promise<number[]>;
}

/** Files by number or title, and those of the clients found; open ones first, General ones last. */
async function filesFor(
  db: Knex,
  wanted: string,
  clientIds: readonly number[],
): Promise<SearchHits['files']> {
  const query = allOf(wanted);
  const [byNumber, byWords, byClient] = await Promise.all([
    fileRefs(db).where('file.number', 'like', likePattern(wanted, false)).orderBy('file.number').limit(HITS),
    query
      ? fileRefs(db)
          .whereRaw('MATCH(file.number, file.title) AGAINST(? IN BOOLEAN MODE)', [query])
          .limit(WEIGHED)
      : [],
    clientIds.length
      ? fileRefs(db)
          .whereIn('file.client_id', clientIds)
          .limit(WEIGHED * 4)
      : mixed(db, wanted),
  ]);
  const place = new Map(clientIds.map((id, index) => [id, index]));
  const order = (row: FileRow) => [
    row.closed === null ? 0 : 1,
    place.get(row.client_id) ?? WEIGHED,
    row.general ? 1 : 0,
  ];
  const others = [...(byWords as FileRow[]), ...(byClient as FileRow[])].sort((a, b) => {
    const left = order(a);
    const right = order(b);
    const at = left.findIndex((value, index) => value !== right[index]);
    return at < 0 ? b.number.localeCompare(a.number) : (left[at] ?? 0) - (right[at] ?? 0);
  });
  const unique = new Map([...(byNumber as FileRow[]), ...others].map((row) => [row.id, row]));
  return [...unique.values()].slice(0, HITS).map(asFileRef);
}

/** Some words of the client's name, some of the title: "farrant river". */
async function mixed(db: Knex, wanted: string): Promise<FileRow[]> {
  const any = allOf(wanted, '');
  const terms = (wanted.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? []).filter(
    (term) => term.length >= SHORTEST,
  );
  if (!any || terms.length < 2) return [];
  const rows: FileRow[] = await fileRefs(db)
    .whereRaw('MATCH(file.number, file.title) AGAINST(? IN BOOLEAN MODE)', [any])
    .whereIn(
      'file.client_id',
      db('client').whereRaw('MATCH(name, place) AGAINST(? IN BOOLEAN MODE)', [any]).select('id'),
    )
    .limit(WEIGHED * 4);
  return rows.filter((row) => {
    const text = `${row.number} ${row.title} ${row.client_name}`.toLowerCase();
    return terms.every((term) => text.includes(term));
  });
}

async function readClients(db: Knex, wanted: string, ids: readonly number[]): Promise<SearchHits['clients']> {
  if (!ids.length) return [];
  const rows: { id: number; name: string; place: string }[] = await db('client')
    .whereIn('id', ids)
    .select('id', 'name', 'place');
  const begins = (name: string) => (name.toLowerCase().startsWith(wanted.toLowerCase()) ? 0 : 1);
  return rows.sort((a, b) => begins(a.name) - begins(b.name) || a.name.localeCompare(b.name)).slice(0, HITS);
}
