import type { Knex } from 'knex';
import type { TextMessage, TextsPage, TextsQuery } from '../../contract/index.ts';
import type { LedgerKind } from '../correspondence/ledger/port.ts';
import { countOf, likePattern, select } from '../foundation/rows.ts';

/** Text messages as they are read, of a query over their table; in its order. */
async function readTexts(query: Knex.QueryBuilder): Promise<TextMessage[]> {
  const rows = await select(
    query
      .leftJoin('client', 'client.id', 'text_message.client_id')
      .leftJoin('file', 'file.id', 'text_message.file_id')
      .leftJoin('person', 'person.id', 'text_message.person_id')
      .leftJoin('staff', 'staff.id', 'text_message.staff_id')
      .leftJoin('order_course', 'order_course.id', 'text_message.course_id')
      .leftJoin('standing_order', 'standing_order.id', 'order_course.order_id'),
    {
      ...{ id: 'text_message.id', at: 'text_message.at', direction: 'text_message.direction' },
      ...{ state: 'text_message.state', number: 'text_message.number', text: 'text_message.text' },
      ...{ parts: 'text_message.parts', price: 'text_message.price', why: 'text_message.why' },
      ...{ waits: 'text_message.waits', clientId: 'text_message.client_id', fileId: 'text_message.file_id' },
      ...{ client: 'client.name?', file: 'file.number?', by: 'staff.name?' },
      order: 'standing_order.name?',
      ...{ first: 'person.first_name?', last: 'person.last_name?' },
    },
  );
  return rows.map(({ at, waits, client, fileId, file, by, order, first, last, ...rest }) => ({
    ...rest,
    at: at.toISOString(),
    waits: Boolean(waits),
    client: client ?? '',
    person: `${first ?? ''} ${last ?? ''}`.trim(),
    by: rest.direction === 'sent' ? (by ?? (order === null ? '' : `the standing order “${order}”`)) : '',
    files: fileId !== null && file !== null ? [{ id: fileId, number: file }] : [],
  }));
}

/** Text messages stand in the ledger among the mail. */
export const textEntries: LedgerKind<'text'> = {
  kind: 'text',
  parts: ['text'],

  find(db, { clientId, fileId, words }) {
    const found = db('text_message').where('text_message.client_id', clientId);
    if (fileId) found.where('text_message.file_id', fileId);
    if (words) found.where('text_message.text', 'like', likePattern(words));
    return found.select({ id: 'text_message.id', at: 'text_message.at' });
  },

  async read(db, ids) {
    const texts = await readTexts(
      db('text_message').whereIn('text_message.id', [...ids]) as Knex.QueryBuilder,
    );
    return new Map(texts.map((text) => [text.id, { text }]));
  },
};

/** A page of all text messages, the last first: those that want an answer, those of no client, or all. */
export async function listTexts(db: Knex, query: TextsQuery): Promise<TextsPage> {
  const waiting = () => db('text_message').where('text_message.waits', 1) as Knex.QueryBuilder;
  const loose = () =>
    db('text_message')
      .whereNull('text_message.client_id')
      .where('text_message.direction', 'received') as Knex.QueryBuilder;
  const prepared = () => db('text_message').where('text_message.state', 'prepared') as Knex.QueryBuilder;
  const wanted = () => {
    const all = { waits: waiting, loose, prepared, all: () => db('text_message') as Knex.QueryBuilder }[
      query.show
    ]();
    if (query.words) void all.where('text_message.text', 'like', likePattern(query.words));
    return all;
  };
  const [rows, total, waits, without, lying] = await Promise.all([
    readTexts(
      wanted()
        .orderBy([
          { column: 'text_message.at', order: 'desc' },
          { column: 'text_message.id', order: 'desc' },
        ])
        .offset(query.offset)
        .limit(query.limit),
    ),
    countOf(wanted()),
    countOf(waiting()),
    countOf(loose()),
    countOf(prepared()),
  ]);
  return { rows, total, counts: { waits, loose: without, prepared: lying } };
}

/** How many text messages want an answer of ours, a client, or somebody's word that they may go. */
export async function countTexts(db: Knex): Promise<number> {
  const [came, prepared] = await Promise.all([
    countOf(
      db('text_message')
        .where({ direction: 'received' })
        .where((any) => any.where({ waits: 1 }).orWhereNull('client_id')),
    ),
    countOf(db('text_message').where({ state: 'prepared' })),
  ]);
  return came + prepared;
}
