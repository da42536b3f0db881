import type { Knex } from 'knex';
import { shownName } from '../../core/address/address.ts';
import { hasWords, isMeant, type Happening } from '../../core/orders/happening.ts';
import type { When } from '../../core/orders/order.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { groupBy, select } from '../foundation/rows.ts';
import { takenAmong, type Running } from '../selection/query.ts';

/** One occasion of an order: what happened, when, and to whom. */
export interface Occasion {
  /** Once for each order: what happened, by its number. */
  cause: string;
  at: Date;
  /** In words. */
  why: string;
  clientId: number;
  fileId: number | null;
  personId: number | null;
  messageId: number | null;
  feeNoteId: number | null;
  dispatchId: number | null;
  timelineId: number | null;
  /** What was asked for on a page. */
  wantedId: number | null;
  /** What an order had under way that did it. */
  byCourse: number | null;
}

/** What happened, with its number among what was appended; null where it is read of the past. */
export interface Happened extends Happening {
  happeningId: number | null;
  at: Date;
  byCourse: number | null;
}

type Told = Omit<Occasion, 'at' | 'byCourse' | 'cause'> & {
  /** Of one happening there may be several: by this beside it. */
  also?: string;
  /** What its words are looked for in. */
  text?: string;
  mailingId?: number | null;
  /** A message that a standing order, a mailing or paperwork sent. */
  machine?: boolean;
};

const NOBODY = {
  ...{ fileId: null, personId: null, messageId: null },
  ...{ feeNoteId: null, dispatchId: null, timelineId: null, wantedId: null },
};

/** Whom what happened is about, read in bulk for all orders that may hear of it. */
export type Whoms = ReadonlyMap<Happened, readonly Told[]>;

/** Reads whom what happened is about. What is about no client is about nobody. */
export async function readWhoms(db: Knex, happened: readonly Happened[]): Promise<Whoms> {
  const whoms = new Map<Happened, readonly Told[]>();
  for (const [subject, same] of groupBy(happened, (each) => each.subject)) {
    const byId = await READ[subject](db, [...new Set(same.map(({ id }) => id))]);
    for (const each of same) whoms.set(each, byId.get(each.id) ?? []);
  }
  return whoms;
}

/**
 * The occasions that what happened gives to an order, before its selection is asked.
 * @param says what the order waits for, in words
 */
export function occasionsOf(
  when: When,
  says: string,
  happened: readonly Happened[],
  whoms: Whoms,
): Occasion[] {
  return happened
    .filter((each) => isMeant(when, each))
    .flatMap((each) =>
      (whoms.get(each) ?? [])
        .filter((one) => fits(when, one))
        .map(({ also = '', text: _text, mailingId: _mailing, machine: _machine, why, ...whom }) => ({
          ...whom,
          why: each.kind === 'becomes' ? `${why}: ${says}` : `${why} ${VERBS[each.kind]}`,
          at: each.at,
          byCourse: each.byCourse,
          cause: causeOf(each, also),
        })),
    );
}

const VERBS: Record<Exclude<Happening['kind'], 'becomes'>, string> = {
  'client new': 'is new',
  'person new': 'is new',
  'file opened': 'was opened',
  'fee note entered': 'was entered',
  'fee note paid': 'was paid',
  'message comes': 'came',
  'message leaves': 'left',
  'mailing answered': 'was answered',
  'mailing opened': 'was opened',
  'document comes': 'came',
  'document shared': 'was laid out on their page',
};

/** A field may come to hold something again and again; all else happens to a record once. */
function causeOf({ kind, subject, id, happeningId }: Happened, also: string): string {
  return kind === 'becomes' ? `h${happeningId ?? 0}${also}` : `${kind} ${subject} ${id}${also}`;
}

function fits(when: When, { text, mailingId, machine }: Told): boolean {
  if (machine && when.on === 'message leaves') return false;
  if ('words' in when && when.words.trim() && !hasWords(when.words.trim(), text ?? '')) return false;
  return !('mailingId' in when && when.mailingId !== null && when.mailingId !== mailingId);
}

type Read = (db: Knex, ids: readonly number[]) => Promise<Map<number, Told[]>>;

function byNumber<R extends { id: number }>(
  rows: readonly R[],
  tell: (row: R) => Told | null,
): Map<number, Told[]> {
  return new Map(
    [...groupBy(rows, (row) => row.id)].map(([id, own]) => [id, own.flatMap((row) => tell(row) ?? [])]),
  );
}

/** Whom records of each kind are about, and what they are called. */
const READ: Record<Happening['subject'], Read> = {
  client: async (db, ids) =>
    byNumber(await db('client').whereIn('id', ids).select('id', 'name'), ({ id, name }) => ({
      ...NOBODY,
      clientId: id,
      why: name,
    })),
  person: async (db, ids) => {
    const rows = await select(
      db('person')
        .leftJoin('client_person', 'client_person.person_id', 'person.id')
        .whereIn('person.id', ids),
      {
        id: 'person.id',
        first: 'person.first_name',
        last: 'person.last_name',
        clientId: 'client_person.client_id?',
      },
    );
    return byNumber(rows, ({ id, first, last, clientId }) =>
      clientId === null
        ? null
        : { ...NOBODY, clientId, personId: id, why: `${first} ${last}`.trim(), also: ` of ${clientId}` },
    );
  },
  file: async (db, ids) =>
    byNumber(await db('file').whereIn('id', ids).select('id', 'client_id', 'number', 'title'), (row) => ({
      ...NOBODY,
      clientId: row.client_id,
      fileId: row.id,
      why: `File ${row.number}, ${row.title}`,
    })),
  'fee note': async (db, ids) =>
    byNumber(
      await db('fee_note').whereIn('id', ids).select('id', 'client_id', 'file_id', 'number'),
      (row) => ({
        ...NOBODY,
        clientId: row.client_id,
        fileId: row.file_id,
        feeNoteId: row.id,
        why: `Fee note ${row.number}`,
      }),
    ),
  message: readMessages,
  item: readItems,
  dispatch: async (db, ids) => {
    const rows = await select(
      db('dispatch').join('mailing', 'mailing.id', 'dispatch.mailing_id').whereIn('dispatch.id', ids),
      {
        id: 'dispatch.id',
        clientId: 'dispatch.client_id',
        personId: 'dispatch.person_id',
        to: 'dispatch.to_name',
        fileId: 'dispatch.file_id',
        mailingId: 'mailing.id',
        name: 'mailing.name',
      },
    );
    return byNumber(rows, ({ id, clientId, personId, fileId, mailingId, name }) =>
      clientId === null
        ? null
        : { ...NOBODY, clientId, personId, fileId, dispatchId: id, mailingId, why: `“${name}”` },
    );
  },
  document: async (db, ids) => {
    const rows = await select(
      db('document')
        .leftJoin('filing', 'filing.message_id', 'document.message_id')
        .whereIn('document.id', ids),
      {
        id: 'document.id',
        filename: 'document.filename',
        own_client: 'document.client_id',
        own_file: 'document.file_id',
        messageId: 'document.message_id',
        client: 'filing.client_id?',
        file: 'filing.file_id?',
      },
    );
    return byNumber(rows, (row) => {
      const clientId = row.own_client ?? row.client;
      if (clientId === null) return null;
      const { messageId, filename } = row;
      const fileId = row.own_file ?? row.file;
      return {
        ...NOBODY,
        clientId,
        fileId,
        messageId,
        text: filename,
        why: `“${filename}”`,
        also: ` of ${clientId}`,
      };
    });
  },
};

/** What was laid out on somebody's page. */
async function readItems(db: Knex, ids: readonly number[]): Promise<Map<number, Told[]>> {
  const rows = await select(
    db('collection_item')
      .join('collection_page', 'collection_page.id', 'collection_item.page_id')
      .whereIn('collection_item.id', [...ids]),
    {
      id: 'collection_item.id',
      filename: 'collection_item.filename',
      fileId: 'collection_item.file_id',
      clientId: 'collection_page.client_id',
      personId: 'collection_page.person_id',
    },
  );
  return byNumber(rows, ({ id: _id, filename, ...whose }) => ({
    ...NOBODY,
    ...whose,
    text: filename,
    why: `“${filename}”`,
  }));
}

/** Messages on the files of each client, once for each client; the person is who wrote, where the records know them. */
async function readMessages(db: Knex, ids: readonly number[]): Promise<Map<number, Told[]>> {
  const [rows, writers, words, ours] = await Promise.all([
    select(
      db('message')
        .join('filing', 'filing.message_id', 'message.id')
        .whereIn('message.id', ids)
        .where('message.state', 'logged')
        .orderBy(['message.id', 'filing.client_id', 'filing.file_id']),
      {
        id: 'message.id',
        subject: 'message.subject',
        snippet: 'message.snippet',
        name: 'message.from_name',
        address: 'message.from_address',
        raw: 'message.raw_hash',
        clientId: 'filing.client_id',
        fileId: 'filing.file_id',
      },
    ),
    select(
      db('message_party')
        .join('address', 'address.email_key', 'message_party.email_key')
        .join('client_person', 'client_person.person_id', 'address.person_id')
        .whereIn('message_party.message_id', ids)
        .where('message_party.role', 'from'),
      { id: 'message_party.message_id', personId: 'address.person_id', clientId: 'client_person.client_id' },
    ),
    select(db('message').join('raw_words', 'raw_words.hash', 'message.raw_hash').whereIn('message.id', ids), {
      id: 'message.id',
      words: 'raw_words.words',
    }),
    select(
      db('dispatch')
        .leftJoin('draft', 'draft.id', 'dispatch.draft_id')
        .whereIn('dispatch.logged_message_id', ids),
      { id: 'dispatch.logged_message_id', draft: 'dispatch.draft_id', course: 'draft.course_id?' },
    ),
  ]);
  const wordsOf = new Map(words.map((row) => [row.id, row.words]));
  const machines = new Set(
    ours.flatMap(({ id, draft, course }) => (draft === null || course !== null ? (id ?? []) : [])),
  );
  const seen = new Set<string>();
  return byNumber(rows, (row) => {
    const key = `${row.id} ${row.clientId}`;
    if (seen.has(key)) return null;
    seen.add(key);
    const writer = writers.find((each) => each.id === row.id && each.clientId === row.clientId);
    return {
      ...NOBODY,
      ...{
        clientId: row.clientId,
        fileId: row.fileId,
        messageId: row.id,
        personId: writer?.personId ?? null,
      },
      why: `“${row.subject || 'no subject'}” from ${shownName(row.name, row.address)}`,
      also: ` of ${row.clientId}`,
      text: `${row.subject} ${row.snippet} ${wordsOf.get(row.id) ?? ''}`,
      machine: machines.has(row.id),
    };
  });
}

/** The record of an occasion that a selection of a subject asks about. */
export function recordOf(
  subject: Selection['subject'],
  occasion: Pick<Occasion, 'clientId' | 'fileId' | 'personId'>,
): number | null {
  return { client: occasion.clientId, file: occasion.fileId, person: occasion.personId }[subject];
}

/** Those occasions whose record a selection takes; all where there is none. */
export async function chosen<O extends Pick<Occasion, 'clientId' | 'fileId' | 'personId'>>(
  db: Knex,
  selection: Selection | null,
  running: Running,
  occasions: readonly O[],
): Promise<O[]> {
  if (!selection) return [...occasions];
  const { subject } = selection;
  const asked = occasions.flatMap((each) => recordOf(subject, each) ?? []);
  const taken = await takenAmong(db, selection, running, [...new Set(asked)]);
  return occasions.filter((each) => taken.has(recordOf(subject, each) ?? 0));
}
