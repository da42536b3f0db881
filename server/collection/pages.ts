import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm, webBase, type Firm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { insertAll, selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { claimedNumber, readLink, signLink } from '../security/links.ts';

export type PageRow = Rows['collection_page'];

/** Whose page it is. */
export interface Whose {
  clientId: number;
  personId: number;
}

/** A link holds the number of its page and its last day, counted from here: sixteen bits of days. */
const FIRST_DAY = DateTime.utc(2020, 1, 1);
const DAY_BITS = 65_536;

/** Today in the firm's zone, as `2026-05-03`. */
export function todayOf({ zone }: Pick<Firm, 'zone'>): string {
  return DateTime.now().setZone(zone).toISODate() ?? '';
}

/** The last day of what is laid out today, if nothing else is said. */
export function lastDay(firm: Pick<Firm, 'zone' | 'pageDays'>): string {
  return DateTime.now().setZone(firm.zone).plus({ days: firm.pageDays }).toISODate() ?? '';
}

const dayNumber = (day: string) =>
  Math.round(DateTime.fromISO(day, { zone: 'utc' }).diff(FIRST_DAY, 'days').days);

/**
 * The pages of some of the clients' people, made where there are none yet.
 * @returns by `client-person`; those who are none of the client's have none
 */
export async function pagesOf(db: Knex, whose: readonly Whose[]): Promise<Map<string, PageRow>> {
  const pairs = [...new Map(whose.map((each) => [keyOf(each), each])).values()];
  if (!pairs.length) return new Map();
  const wanted = pairs.map(({ clientId, personId }) => [clientId, personId]);
  const read = () => db('collection_page').whereIn(['client_id', 'person_id'], wanted);
  const there = new Set((await read()).map((row) => rowKey(row)));
  const missing = pairs.filter((each) => !there.has(keyOf(each)));
  const tied = missing.length
    ? await db('client_person')
        .whereIn(
          ['client_id', 'person_id'],
          missing.map(({ clientId, personId }) => [clientId, personId]),
        )
        .select('client_id', 'person_id')
    : [];
  await insertAll(db, 'collection_page', tied, { ignore: true });
  return new Map((await read()).map((row) => [rowKey(row), row]));
}

/** Under which a page is found among {@link pagesOf}. */
export const keyOf = ({ clientId, personId }: Whose): string => `${clientId}-${personId}`;
const rowKey = (row: Pick<PageRow, 'client_id' | 'person_id'>): string =>
  keyOf({ clientId: row.client_id, personId: row.person_id });

/** One page. @throws Refusal when the person is none of the client's */
export async function pageOf(db: Knex, whose: Whose): Promise<PageRow> {
  const page = (await pagesOf(db, [whose])).get(keyOf(whose));
  if (!page) throw notFound('That person of this client');
  return page;
}

/**
 * The link that opens a page, together with a code: it says nothing that could be read, and ends by itself.
 * @throws Refusal when nobody has said where the office is reached on the web
 */
export function linkTo(key: Buffer, firm: Firm, page: Pick<PageRow, 'id' | 'serial'>) {
  const base = webBase(firm);
  if (!base)
    throw new Refusal(
      409,
      'Patient Clerk does not know yet where it is reached on the web. An office manager says so in Settings.',
    );
  const until = lastDay(firm);
  const number = page.id * DAY_BITS + dayNumber(until);
  return { url: `${base}/client/${signLink(key, `page ${page.serial}`, number)}`, until };
}

/** A page that a link leads to, and who is to read it. */
export interface Opened {
  page: PageRow;
  name: string;
  /** Where their codes go. */
  email: string;
}

/**
 * The page a link leads to. One that was not made here, has ended, was withdrawn or leads to somebody who is gone
 * opens nothing, all alike.
 */
export async function openLink({ db, config }: AppContext, token: string): Promise<Opened | null> {
  const number = claimedNumber(token);
  const id = Math.floor((number ?? 0) / DAY_BITS);
  const [firm, row] = await Promise.all([readFirm(db), readPage(db, id)]);
  // Of a page that is not there the proof is made all the same: nothing is told by the time it takes.
  const proven = readLink(config.key, `page ${row?.page.serial ?? 0}`, token);
  if (number === null || proven !== number || !row) return null;
  const over = dayNumber(todayOf(firm)) > number % DAY_BITS;
  return over || row.page.withdrawn_at || !row.email ? null : row;
}

async function readPage(db: Knex, id: number): Promise<Opened | null> {
  const page = await db('collection_page').where({ id }).first();
  const who = page && (await readerOf(db, page));
  return page && who ? { page, ...who } : null;
}

/** Whose eyes a page is for; null when they are none of the client's any more. */
export async function readerOf(
  db: Knex,
  page: Pick<PageRow, 'client_id' | 'person_id'>,
): Promise<{ name: string; email: string } | null> {
  const row = await selectFirst(
    db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .leftJoin('address', (own) =>
        own.on('address.person_id', 'person.id').andOn('address.current', db.raw('1')),
      )
      .where('client_person.client_id', page.client_id)
      .where('client_person.person_id', page.person_id)
      .orderBy(['address.position', 'address.id']),
    { first: 'person.first_name', last: 'person.last_name', email: 'address.email?' },
  );
  return row ? { name: `${row.first} ${row.last}`.trim(), email: row.email ?? '' } : null;
}

/** Withdraws a page, with all links that were made of it, or opens it again for links that are made from now on. */
export async function settlePage(
  db: Database,
  staffId: number,
  whose: Whose,
  withdrawn: boolean,
): Promise<void> {
  await transact(db, async (trx) => {
    const { id } = await pageOf(trx, whose);
    const row = await trx('collection_page').where({ id }).forUpdate().first();
    if (!row || (row.withdrawn_at !== null) === withdrawn) return;
    await trx('collection_page')
      .where({ id })
      .update({
        withdrawn_at: withdrawn ? new Date() : null,
        serial: row.serial + (withdrawn ? 1 : 0),
        code_until: null,
      });
    await trx('collection_visit').where({ page_id: id }).delete();
    const action = withdrawn ? 'page withdrawn' : 'page opened again';
    const after = { personId: whose.personId };
    await noteAudit(trx, { staffId, action, subject: 'client', id: whose.clientId, after });
    await tellOf(trx, whose.clientId);
  });
}

/** Tells the screens that show a client's pages, and what waits on all of them. */
export async function tellOf(trx: Transaction, clientId: number): Promise<void> {
  await noteChange(trx, 'collection', 'client', [clientId]);
}

/** The file of a client's that something lies on. @throws Refusal when it is another's */
export async function fileOfClient(trx: Knex, clientId: number, fileId: number): Promise<void> {
  if (!(await trx('file').where({ id: fileId, client_id: clientId }).first('id')))
    throw new Refusal(400, 'That file is another client’s.', 'fileId');
}
