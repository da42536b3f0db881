import type { Knex } from 'knex';
import type {
  ClientPages,
  CollectionItem,
  CollectionList,
  CollectionPage,
  CollectionQuery,
  CollectionUpload,
  CollectionWanted,
  PageLink,
} from '../../contract/index.ts';
import type { z } from 'zod';
import { lookOf } from '../../core/documents/look.ts';
import type { AppContext } from '../foundation/context.ts';
import { readFirm, webBase } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, groupBy, likePattern, select } from '../foundation/rows.ts';
import { filesByIds } from '../records/files.ts';
import { readEntries } from './ledger.ts';
import { linkTo, pageOf, readerOf, todayOf, type Whose } from './pages.ts';

/** Of one page so many lines of each kind are shown, the last first. */
const SHOWN = 200;

const WHOSE = {
  clientId: 'client.id',
  client: 'client.name',
  personId: 'person.id',
  first: 'person.first_name',
  last: 'person.last_name',
} as const;

type Named = { clientId: number; client: string; first: string; last: string };
const named = ({ clientId, client, first, last }: Named) => ({
  client: { id: clientId, name: client },
  person: `${first} ${last}`.trim(),
});

/** Rows of a table that hangs on pages, with whose page it is and on which file they lie. */
function withPage(query: Knex.QueryBuilder, table: string): Knex.QueryBuilder {
  return query
    .join('collection_page', 'collection_page.id', `${table}.page_id`)
    .join('client', 'client.id', 'collection_page.client_id')
    .join('person', 'person.id', 'collection_page.person_id')
    .join('file', 'file.id', `${table}.file_id`);
}

/** What lies or lay on pages, of a query over its table; in its order. */
async function readItems(db: Knex, query: Knex.QueryBuilder, today: string) {
  const rows = await select(
    withPage(query, 'collection_item')
      .leftJoin('staff', 'staff.id', 'collection_item.laid_by')
      .leftJoin('dispatch', 'dispatch.id', 'collection_item.dispatch_id')
      .leftJoin('mailing', 'mailing.id', 'dispatch.mailing_id'),
    {
      ...WHOSE,
      ...{ id: 'collection_item.id', filename: 'collection_item.filename', size: 'collection_item.size' },
      ...{ version: 'collection_item.version', laidAt: 'collection_item.laid_at' },
      ...{ until: 'collection_item.until', withdrawn: 'collection_item.withdrawn_at' },
      ...{ replaced: 'collection_item.replaced_by', pageId: 'collection_item.page_id' },
      ...{ fileId: 'file.id', number: 'file.number', by: 'staff.name?', mailing: 'mailing.name?' },
    },
  );
  const taken = rows.length
    ? await select(
        db('collection_taken')
          .whereIn(
            'item_id',
            rows.map(({ id }) => id),
          )
          .groupBy('item_id'),
        {
          id: 'collection_taken.item_id',
          first: db.raw<Date>('MIN(at)'),
          count: db.raw<number>('COUNT(*)'),
        },
      )
    : [];
  const takenOf = new Map(taken.map((row) => [row.id, row]));
  return rows.map((row) => {
    const item: CollectionItem = {
      ...{ id: row.id, filename: row.filename, size: row.size, version: row.version, until: row.until },
      laidAt: row.laidAt.toISOString(),
      file: { id: row.fileId, number: row.number },
      by: row.by ?? (row.mailing === null ? '' : `the mailing “${row.mailing}”`),
      state: stateOf(row, today),
      collectedAt: takenOf.get(row.id)?.first.toISOString() ?? null,
      collected: Number(takenOf.get(row.id)?.count ?? 0),
    };
    return { pageId: row.pageId, item, whose: named(row) };
  });
}

function stateOf(
  row: { withdrawn: Date | null; replaced: number | null; until: string },
  today: string,
): CollectionItem['state'] {
  if (row.replaced !== null) return 'replaced';
  if (row.withdrawn !== null) return 'withdrawn';
  return row.until < today ? 'its time is over' : 'lies there';
}

/** What is or was asked for, of a query over its table; in its order. */
async function readWanted(db: Knex, query: Knex.QueryBuilder, today: string) {
  const rows = await select(
    withPage(query, 'collection_wanted').leftJoin('staff', 'staff.id', 'collection_wanted.asked_by'),
    {
      ...WHOSE,
      ...{ id: 'collection_wanted.id', name: 'collection_wanted.name', note: 'collection_wanted.note' },
      ...{ askedAt: 'collection_wanted.asked_at', byDay: 'collection_wanted.by_day' },
      ...{ came: 'collection_wanted.came_at', closed: 'collection_wanted.closed_at' },
      ...{ pageId: 'collection_wanted.page_id', fileId: 'file.id', number: 'file.number', by: 'staff.name?' },
    },
  );
  const looked: (number | null)[] = rows.length
    ? await db('collection_upload')
        .where({ state: 'waiting' })
        .whereIn(
          'wanted_id',
          rows.map(({ id }) => id),
        )
        .pluck('wanted_id')
    : [];
  return rows.map((row) => {
    const open = row.came === null && row.closed === null;
    const wanted: CollectionWanted = {
      ...{ id: row.id, name: row.name, note: row.note, byDay: row.byDay, by: row.by ?? '' },
      askedAt: row.askedAt.toISOString(),
      file: { id: row.fileId, number: row.number },
      late: open && row.byDay !== null && row.byDay < today,
      state: row.came
        ? 'came'
        : row.closed
          ? 'wanted no more'
          : looked.includes(row.id)
            ? 'to look at'
            : 'wanted',
    };
    return { pageId: row.pageId, wanted, whose: named(row) };
  });
}

/** What clients put on their pages, of a query over its table; in its order. */
async function readUploads(query: Knex.QueryBuilder) {
  const rows = await select(
    withPage(query, 'collection_upload').leftJoin(
      'collection_wanted',
      'collection_wanted.id',
      'collection_upload.wanted_id',
    ),
    {
      ...WHOSE,
      ...{ id: 'collection_upload.id', filename: 'collection_upload.filename' },
      ...{ mimeType: 'collection_upload.mime_type', size: 'collection_upload.size' },
      ...{ at: 'collection_upload.at', state: 'collection_upload.state', why: 'collection_upload.why' },
      ...{ wanted: 'collection_wanted.name?', pageId: 'collection_upload.page_id' },
      ...{ fileId: 'file.id', number: 'file.number' },
    },
  );
  return rows.map((row) => {
    const upload: CollectionUpload = {
      ...{ id: row.id, filename: row.filename, mimeType: row.mimeType, size: row.size },
      ...{ state: row.state, why: row.why, wanted: row.wanted, at: row.at.toISOString() },
      ...named(row),
      file: { id: row.fileId, number: row.number },
      look: row.state === 'waiting' ? lookOf(row.mimeType, row.filename) : null,
    };
    return { pageId: row.pageId, upload };
  });
}

/** The pages of a client's people, with all that lies on them. @throws Refusal when there is no such client */
export async function clientPages({ db }: AppContext, clientId: number): Promise<ClientPages> {
  if (!(await db('client').where({ id: clientId }).first('id'))) throw notFound('That client');
  const firm = await readFirm(db);
  const today = todayOf(firm);
  const [people, pages, fileIds] = await Promise.all([
    db('client_person')
      .where({ client_id: clientId })
      .orderBy(['position', 'person_id'])
      .pluck('person_id') as Promise<number[]>,
    db('collection_page').where({ client_id: clientId }),
    db('file')
      .where({ client_id: clientId })
      .orderByRaw('general DESC, closed, number')
      .pluck('id') as Promise<number[]>,
  ]);
  const ids = pages.map(({ id }) => id);
  const of = (table: 'collection_item' | 'collection_wanted' | 'collection_upload', at: string) =>
    (db(table as 'collection_item') as Knex.QueryBuilder)
      .whereIn(`${table}.page_id`, ids)
      .orderBy(`${table}.${at}`, 'desc')
      .orderBy(`${table}.id`, 'desc')
      .limit(SHOWN);
  const [items, wanted, uploads, readers, files] = await Promise.all([
    readItems(db, of('collection_item', 'laid_at'), today),
    readWanted(db, of('collection_wanted', 'asked_at'), today),
    readUploads(of('collection_upload', 'at').whereNot('collection_upload.state', 'taken back')),
    Promise.all(people.map((personId) => readerOf(db, { client_id: clientId, person_id: personId }))),
    filesByIds(db, fileIds),
  ]);
  const [itemsOf, wantedOf, uploadsOf] = [items, wanted, uploads].map((all) =>
    groupBy(all as { pageId: number }[], ({ pageId }) => pageId),
  ) as [Map<number, typeof items>, Map<number, typeof wanted>, Map<number, typeof uploads>];
  return {
    reached: webBase(firm) !== '',
    days: firm.pageDays,
    files: fileIds.flatMap((id) => files.get(id) ?? []),
    pages: people.map((personId, index): CollectionPage => {
      const page = pages.find((each) => each.person_id === personId);
      const used = page && (itemsOf.has(page.id) || wantedOf.has(page.id) || page.opened_at !== null);
      return {
        personId,
        name: readers[index]?.name ?? '',
        email: readers[index]?.email ?? '',
        state: page?.withdrawn_at ? 'withdrawn' : used ? 'open' : 'never used',
        openedAt: page?.opened_at?.toISOString() ?? null,
        items: (itemsOf.get(page?.id ?? 0) ?? []).map(({ item }) => item),
        wanted: (wantedOf.get(page?.id ?? 0) ?? []).map((each) => each.wanted),
        uploads: (uploadsOf.get(page?.id ?? 0) ?? []).map(({ upload }) => upload),
      };
    }),
  };
}

/** A fresh link to somebody's page, to be handed over by whoever asks. @throws Refusal when it is withdrawn */
export async function linkFor({ db, config }: AppContext, whose: Whose): Promise<z.output<typeof PageLink>> {
  const page = await pageOf(db, whose);
  if (page.withdrawn_at) throw new Refusal(409, 'Their page is withdrawn. Open it again first.');
  return linkTo(config.key, await readFirm(db), page);
}

/** What waits to be looked at, wants an answer, or is asked for and has not come. */
export async function countWaiting(db: Knex): Promise<CollectionList['counts']> {
  const [uploads, lines, wanted] = await Promise.all([
    countOf(db('collection_upload').where({ state: 'waiting' })),
    countOf(db('collection_entry').where({ waits: 1 })),
    countOf(db('collection_wanted').whereNull('came_at').whereNull('closed_at')),
  ]);
  return { uploads, lines, wanted };
}

/** One of the lists of what is on all clients' pages, a page of it. */
export async function listCollection(db: Knex, query: CollectionQuery): Promise<CollectionList> {
  const { show, words, offset, limit } = query;
  const today = todayOf(await readFirm(db));
  const like = likePattern(words);
  const found = {
    uploads: () => db('collection_upload').where('collection_upload.state', 'waiting') as Knex.QueryBuilder,
    lines: () => db('collection_entry').where('collection_entry.waits', 1) as Knex.QueryBuilder,
    wanted: () =>
      db('collection_wanted')
        .whereNull('collection_wanted.came_at')
        .whereNull('collection_wanted.closed_at') as Knex.QueryBuilder,
    items: () =>
      db('collection_item')
        .whereNull('collection_item.replaced_by')
        .whereNull('collection_item.withdrawn_at') as Knex.QueryBuilder,
  };
  const column = { uploads: 'filename', lines: 'words', wanted: 'name', items: 'filename' }[show];
  const table = { uploads: 'upload', lines: 'entry', wanted: 'wanted', items: 'item' }[show];
  const asked = () =>
    words ? found[show]().where(`collection_${table}.${column}`, 'like', like) : found[show]();
  const orders = {
    uploads: 'collection_upload.at, collection_upload.id',
    lines: 'collection_entry.at, collection_entry.id',
    wanted: 'collection_wanted.asked_at, collection_wanted.id',
    items: 'collection_item.laid_at DESC, collection_item.id DESC',
  };
  const page = () => asked().orderByRaw(orders[show]).offset(offset).limit(limit);
  const [total, counts] = await Promise.all([countOf(asked()), countWaiting(db)]);
  return {
    ...{ total, counts },
    uploads: show === 'uploads' ? (await readUploads(page())).map(({ upload }) => upload) : [],
    lines: show === 'lines' ? await readEntries(db, page()) : [],
    wanted:
      show === 'wanted'
        ? (await readWanted(db, page(), today)).map(({ wanted, whose }) => ({ ...wanted, ...whose }))
        : [],
    items:
      show === 'items'
        ? (await readItems(db, page(), today)).map(({ item, whose }) => ({ ...item, ...whose }))
        : [],
  };
}
