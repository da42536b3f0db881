import { expect } from 'chai';
import fc from 'fast-check';
import { DateTime } from 'luxon';
import { ClientQuery, Selection } from '../../contract/index.ts';
import {
  factsAbout,
  OPERATORS,
  RELATIONS,
  relationOf,
  type Among,
  type Catalogue,
  type RelationKey,
  type SelectableFact,
  type SelectableKey,
} from '../../core/selection/catalogue.ts';
import { selects, type SelectableRecord, type Value } from '../../core/selection/evaluate.ts';
import { explain, problemsOf } from '../../core/selection/explain.ts';
import {
  selectionOf,
  SUBJECTS,
  UNITS,
  type Line,
  type Operator,
  type Subject,
  type Test,
} from '../../core/selection/tree.ts';
import { listRecipients } from '../../server/mailing/recipients.ts';
import { listClients } from '../../server/records/clients.ts';
import { search } from '../../server/records/search.ts';
import { refuseBroken, runningNow, selectionCatalogue } from '../../server/selection/catalogue.ts';
import { keepColumns, readColumns } from '../../server/selection/columns.ts';
import { compareKept } from '../../server/selection/compare.ts';
import { changeKept, dropKept, keepSelection, listKept, readKept } from '../../server/selection/kept.ts';
import { columnOf, selected, type Running } from '../../server/selection/query.ts';
import { resultPage } from '../../server/selection/results.ts';
import { filingRegister } from '../../server/records/filingRegister.ts';
import { MANAGER, openFirm, type TestFirm } from './helpers.ts';

type Row = Record<string, unknown>;
/** Rows of the tables, as the driver gives them. */
type Tables = Record<string, Row[]>;

const TABLES = [
  'client',
  'person',
  'file',
  'address',
  'client_person',
  'file_person',
  'client_tag',
  'client_interest',
  'service',
  'delivery',
  'opt_out',
  'topic_opt_out',
  'phone',
  'fee_note',
  'dispatch',
  'mailing',
  'message',
  'filing',
  'timeline',
  'timeline_person',
  'timeline_staff',
  'selection_member',
  'field',
  'client_field_value',
  'person_field_value',
  'file_field_value',
];

/**
 * The records as core sees them, made of whole tables by plain loops: nothing of it is shared with the SQL that is
 * held to the same answer.
 */
class Memory {
  constructor(
    private readonly tables: Tables,
    private readonly today: string,
    private readonly zone: string,
  ) {}

  of(subject: Subject): SelectableRecord[] {
    return this.rows(subject).map((row) => ({
      id: Number(row.id),
      past: this.isPast(subject, row),
      ...this.asked(subject, row),
    }));
  }

  private rows = (table: string) => this.tables[table] ?? [];
  private where = (table: string, column: string, value: unknown) =>
    this.rows(table).filter((row) => row[column] === value);
  private byId = (table: string, id: unknown) => this.rows(table).find((row) => row.id === id);
  private day = (at: unknown) =>
    at instanceof Date ? DateTime.fromJSDate(at).setZone(this.zone).toISODate() : null;

  private isPast(subject: Subject, row: Row): boolean {
    if (subject === 'client') return row.status === 'past';
    if (subject === 'file') return this.byId('client', row.client_id)?.status === 'past';
    const theirs = this.where('client_person', 'person_id', row.id);
    return (
      theirs.length > 0 && theirs.every(({ client_id }) => this.byId('client', client_id)?.status === 'past')
    );
  }

  private asked(among: Among, row: Row, tie?: Row): Pick<SelectableRecord, 'valueOf' | 'related'> {
    return {
      valueOf: (fact) => {
        if (fact === 'role') return (tie?.role ?? null) as Value;
        if (fact.startsWith('field:')) return this.own(among as Subject, row, Number(fact.slice(6)));
        return this.values[fact as SelectableKey](row);
      },
      related: (through) => {
        const { to } = RELATIONS[through as RelationKey];
        return this.ways[through as RelationKey](row).map(({ found, by }) => this.asked(to, found, by));
      },
    };
  }

  private own(of: Subject, row: Row, fieldId: number): Value {
    const field = this.byId('field', fieldId);
    const values = this.where(`${of}_field_value`, `${of}_id`, row.id).filter(
      (value) => value.field_id === fieldId,
    );
    const [first] = values;
    switch (field?.kind) {
      case 'number':
      case 'money':
        return (first?.number_value ?? null) as Value;
      case 'yes or no':
        return first ? first.number_value === 1 : null;
      case 'date':
        return (first?.date_value ?? null) as Value;
      case 'choice':
        return (first?.choice_id ?? null) as Value;
      case 'choices':
        return values.map((value) => value.choice_id as number);
      case 'person':
        return (first?.person_link ?? null) as Value;
      case 'client':
        return (first?.client_link ?? null) as Value;
      default:
        return (first?.text_value ?? null) as Value;
    }
  }

  private addressesOf = (personIds: readonly unknown[]) =>
    this.rows('address').filter((row) => personIds.includes(row.person_id));
  private peopleOf = (clientId: unknown) =>
    this.where('client_person', 'client_id', clientId).map((row) => row.person_id);
  private optedOut(personIds: readonly unknown[]): Value {
    const keys = this.addressesOf(personIds).map((row) => row.email_key);
    const all = this.rows('opt_out').some((row) => keys.includes(row.email_key));
    const topics = this.rows('topic_opt_out').filter((row) => keys.includes(row.email_key));
    return [...(all ? ['all'] : []), ...topics.map((row) => row.topic_id as number)];
  }
  private last(owner: string, id: unknown, spoken: string): Value {
    const times = this.where('filing', owner, id)
      .filter((row) => row.spoken === spoken)
      .map((row) => (row.at as Date).getTime());
    return times.length ? this.day(new Date(Math.max(...times))) : null;
  }
  private owes(clientId: unknown, who: string): Value {
    const from = DateTime.fromISO(this.today, { zone: 'utc' }).minus({ days: 120 }).toMillis();
    return this.where('filing', 'client_id', clientId).some(({ message_id }) => {
      const message = this.byId('message', message_id);
      return message?.waits === who && message.state === 'logged' && (message.at as Date).getTime() > from;
    });
  }
  private unpaid = (clientId: unknown) =>
    this.where('fee_note', 'client_id', clientId).filter((row) => row.paid_on === null);
  private way = (clientId: unknown, kind: string) =>
    (this.where('delivery', 'client_id', clientId).find((row) => row.kind === kind)?.way ?? 'email') as Value;
  private lists = (column: string) => (row: Row) =>
    this.where('selection_member', column, row.id).map(({ selection_id }) => selection_id as number);

  private readonly values: { [K in SelectableKey]: (row: Row) => Value } = {
    'client.name': (row) => row.name as Value,
    'client.words': (row) => {
      const people = this.peopleOf(row.id);
      return [
        row.name as string,
        row.place as string,
        ...people.map((id) => {
          const person = this.byId('person', id);
          return `${person?.first_name} ${person?.last_name}`;
        }),
        ...this.addressesOf(people).map(({ email }) => email as string),
      ];
    },
    'client.status': (row) => row.status as Value,
    'client.adviser': (row) => row.adviser_id as Value,
    'client.service': (row) =>
      (this.rows('service').find(({ name }) => name === row.service)?.id ?? null) as Value,
    'client.kind': (row) => row.kind as Value,
    'client.tags': (row) =>
      this.where('client_tag', 'client_id', row.id).map(({ tag_id }) => tag_id as number),
    'client.interests': (row) =>
      this.where('client_interest', 'client_id', row.id).map(({ interest_id }) => interest_id as number),
    'client.since': (row) => row.since as Value,
    'client.place': (row) => row.place as Value,
    'client.postcode': (row) => row.postcode as Value,
    'client.country': (row) => (row.country as string) || null,
    'client.note': (row) => row.note as Value,
    'client.email': (row) => {
      const writing = this.where('client_person', 'client_id', row.id).filter(({ writes }) => writes === 1);
      return this.addressesOf(writing.map(({ person_id }) => person_id)).some(({ current }) => current === 1);
    },
    'client.letters': (row) => this.way(row.id, 'letters'),
    'client.statements': (row) => this.way(row.id, 'statements'),
    'client.mailings': (row) => this.way(row.id, 'mailings'),
    'client.optedOut': (row) => this.optedOut(this.peopleOf(row.id)),
    'client.fileNumbers': (row) =>
      this.where('file', 'client_id', row.id).map(({ number }) => number as string),
    'client.openFiles': (row) =>
      this.where('file', 'client_id', row.id).filter(({ closed }) => closed === null).length,
    'client.spoken': (row) => {
      const times = this.where('filing', 'client_id', row.id).map(({ at }) => (at as Date).getTime());
      return times.length ? this.day(new Date(Math.max(...times))) : null;
    },
    'client.heard': (row) => this.last('client_id', row.id, 'client'),
    'client.written': (row) => this.last('client_id', row.id, 'us'),
    'client.met': (row) => this.met(row.id, 'done').at(-1) ?? null,
    'client.planned': (row) => this.met(row.id, 'planned')[0] ?? null,
    'client.weOwe': (row) => this.owes(row.id, 'we'),
    'client.theyOwe': (row) => this.owes(row.id, 'they'),
    'client.open': (row) =>
      Math.round(this.unpaid(row.id).reduce((sum, { amount }) => sum + 100 * (amount as number), 0)) / 100,
    'client.overdue': (row) => {
      const late = this.unpaid(row.id)
        .map(({ due_on }) => due_on as string)
        .filter((due) => due < this.today)
        .sort();
      return late[0] ? (Date.parse(this.today) - Date.parse(late[0])) / (24 * 3600 * 1000) : null;
    },
    'client.lists': this.lists('client_id'),
    'person.firstName': (row) => row.first_name as Value,
    'person.lastName': (row) => row.last_name as Value,
    'person.title': (row) => row.title as Value,
    'person.note': (row) => row.note as Value,
    'person.addresses': (row) => this.addressesOf([row.id]).map(({ email }) => email as string),
    'person.email': (row) => this.addressesOf([row.id]).some(({ current }) => current === 1),
    'person.returned': (row) => this.addressesOf([row.id]).some(({ returned_at }) => returned_at !== null),
    'person.phone': (row) => this.where('phone', 'person_id', row.id).length > 0,
    'person.optedOut': (row) => this.optedOut([row.id]),
    'person.lists': this.lists('person_id'),
    'file.number': (row) => row.number as Value,
    'file.title': (row) => row.title as Value,
    'file.adviser': (row) => row.adviser_id as Value,
    'file.stage': (row) => row.stage_id as Value,
    'file.opened': (row) => row.opened as Value,
    'file.closed': (row) => row.closed as Value,
    'file.isOpen': (row) => row.closed === null,
    'file.general': (row) => row.general === 1,
    'file.heard': (row) => this.last('file_id', row.id, 'client'),
    'file.written': (row) => this.last('file_id', row.id, 'us'),
    'file.lists': this.lists('file_id'),
    'fee note.number': (row) => row.number as Value,
    'fee note.issued': (row) => row.issued_on as Value,
    'fee note.due': (row) => row.due_on as Value,
    'fee note.paid': (row) => row.paid_on as Value,
    'fee note.amount': (row) => row.amount as Value,
    'fee note.words': (row) => row.words as Value,
    'mailing.which': (row) => row.mailing_id as Value,
    'mailing.topic': (row) => (this.byId('mailing', row.mailing_id)?.topic_id ?? null) as Value,
    'mailing.sent': (row) => this.day(row.sent_at),
    'mailing.answered': (row) => row.answered_message_id !== null,
    'mailing.opened': (row) => row.opened_at !== null,
    'mailing.followed': (row) => row.followed_at !== null,
    'mailing.returned': (row) => row.state === 'returned',
    'message.from': (row) => row.spoken as Value,
    'message.at': (row) => this.day(row.at),
    'message.subject': (row) => (this.byId('message', row.message_id)?.subject ?? null) as Value,
    'entry.kind': (row) => row.kind as Value,
    'entry.at': (row) => this.day(row.at),
    'entry.state': (row) => row.state as Value,
    'entry.staff': (row) =>
      this.where('timeline_staff', 'timeline_id', row.id)
        .filter(({ tie }) => tie === 'took part')
        .map(({ staff_id }) => staff_id as number),
    'entry.by': (row) => row.staff_id as Value,
    'entry.words': (row) => row.words as Value,
    'entry.outcome': (row) => row.outcome as Value,
  };

  private readonly ways: { [K in RelationKey]: (row: Row) => { found: Row; by?: Row }[] } = {
    'client.people': (row) => this.over('client_person', 'client_id', row, 'person', 'person_id'),
    'client.files': (row) => this.owned('file', 'client_id', row),
    'client.fees': (row) => this.owned('fee_note', 'client_id', row),
    'client.mailed': (row) => this.mailed('client_id', row),
    'client.messages': (row) => this.owned('filing', 'client_id', row),
    'client.entries': (row) => this.there(this.owned('timeline', 'client_id', row)),
    'person.entries': (row) =>
      this.there(this.over('timeline_person', 'person_id', row, 'timeline', 'timeline_id')),
    'file.entries': (row) => this.there(this.owned('timeline', 'file_id', row)),
    'person.clients': (row) => this.over('client_person', 'person_id', row, 'client', 'client_id'),
    'person.files': (row) => this.over('file_person', 'person_id', row, 'file', 'file_id'),
    'person.mailed': (row) => this.mailed('person_id', row),
    'file.client': (row) => this.where('client', 'id', row.client_id).map((found) => ({ found })),
    'file.people': (row) => this.over('file_person', 'file_id', row, 'person', 'person_id'),
    'file.fees': (row) => this.owned('fee_note', 'file_id', row),
    'file.messages': (row) => this.owned('filing', 'file_id', row),
  };
  private there = (entries: { found: Row; by?: Row }[]) =>
    entries.filter(({ found }) => (found as Row).gone_at === null);
  /** Days of calls and meetings, in their order. */
  private met = (clientId: unknown, state: string) =>
    this.where('timeline', 'client_id', clientId)
      .filter((row) => row.kind !== 'note' && row.state === state && row.gone_at === null)
      .map((row) => row.at as Date)
      .sort((a, b) => a.getTime() - b.getTime())
      .map((at) => this.day(at));
  private owned = (table: string, column: string, row: Row) =>
    this.where(table, column, row.id).map((found) => ({ found }));
  private over = (ties: string, owner: string, row: Row, table: string, key: string) =>
    this.where(ties, owner, row.id).flatMap((by) =>
      this.where(table, 'id', by[key]).map((found) => ({ found, by })),
    );
  private mailed = (column: string, row: Row) =>
    this.owned('dispatch', column, row).filter(
      ({ found }) => found.mailing_id !== null && ['sent', 'returned'].includes(String((found as Row).state)),
    );
}

async function readTables({ db }: TestFirm): Promise<Tables> {
  const all = await Promise.all(TABLES.map(async (table) => [table, await db(table).select()] as const));
  return Object.fromEntries(all) as Tables;
}

const TEXTS = ['farrant', 'MILL', 'ran', 'QL-2', 'clerk@', '%', 'é', 'owner', 'nobody at all'];
const day = (today: string) =>
  fc
    .integer({ min: -900, max: 300 })
    .map((days) => DateTime.fromISO(today).plus({ days }).toISODate() ?? today);

/** Any test that fits a fact. */
function anyTest(fact: SelectableFact, today: string): fc.Arbitrary<Test> {
  const options = [
    ...fact.options.map(({ value }) => value),
    ...(fact.kind === 'person' || fact.kind === 'client' ? [1, 2, 3, 9999] : []),
  ];
  const values = fc.subarray(options);
  const number = fc.integer({ min: -20, max: 800 }).map((n) => n / 2);
  const of: Record<Operator, () => fc.Arbitrary<Test>> = {
    contains: () => fc.record({ op: fc.constant('contains' as const), text: fc.constantFrom(...TEXTS, ' ') }),
    lacks: () => fc.record({ op: fc.constant('lacks' as const), text: fc.constantFrom(...TEXTS) }),
    is: () =>
      fc.record({ op: fc.constant('is' as const), text: fc.constantFrom('owner', 'Annual Estate', 'Bóx') }),
    'begins with': () =>
      fc.record({ op: fc.constant('begins with' as const), text: fc.constantFrom('QL-240', 'b', 'A') }),
    within: () =>
      fc.record({
        op: fc.constant('within' as const),
        text: fc.constantFrom('q', 'Q1', 'Q12', 'q4 2', '10115', '101', '!!', 'QX'),
      }),
    'at least': () => fc.record({ op: fc.constant('at least' as const), value: number }),
    'at most': () => fc.record({ op: fc.constant('at most' as const), value: number }),
    between: () =>
      fc.record({ op: fc.constant('between' as const), from: number, to: number.map((n) => n + 1000) }),
    'one of': () => fc.record({ op: fc.constant('one of' as const), values }),
    'none of': () => fc.record({ op: fc.constant('none of' as const), values }),
    'all of': () => fc.record({ op: fc.constant('all of' as const), values }),
    from: () => fc.record({ op: fc.constant('from' as const), day: day(today) }),
    until: () => fc.record({ op: fc.constant('until' as const), day: day(today) }),
    'from until': () =>
      fc.record({ op: fc.constant('from until' as const), from: day(today), to: fc.constant('2028-05-01') }),
    'in the last': () => counted('in the last'),
    'in the next': () => counted('in the next'),
    'longer ago than': () => counted('longer ago than'),
    'further ahead than': () => counted('further ahead than'),
    yes: () => fc.constant({ op: 'yes' }),
    no: () => fc.constant({ op: 'no' }),
    empty: () => fc.constant({ op: 'empty' }),
    filled: () => fc.constant({ op: 'filled' }),
  };
  return fc.oneof(...OPERATORS[fact.kind].map((op) => of[op]()));
}

function counted(
  op: 'in the last' | 'in the next' | 'longer ago than' | 'further ahead than',
): fc.Arbitrary<Test> {
  return fc.record({
    op: fc.constant(op),
    count: fc.integer({ min: 0, max: 30 }),
    unit: fc.constantFrom(...UNITS),
  });
}

/** Any line that can be said of such records. @param depth how deep it may go on */
function anyLine(
  catalogue: Catalogue,
  among: Among,
  today: string,
  depth: number,
  through?: string,
): fc.Arbitrary<Line> {
  const facts = factsAbout(catalogue, among, through).filter(({ gone }) => !gone);
  const criterion = fc
    .constantFrom(...facts)
    .chain((fact) => anyTest(fact, today).map((test): Line => ({ fact: fact.key, test })));
  if (!depth) return criterion;
  const inner = (of: Among, by?: string) =>
    fc.array(anyLine(catalogue, of, today, depth - 1, by), { maxLength: 3 });
  const group = fc.record({
    match: fc.constantFrom('all' as const, 'any' as const, 'none' as const),
    of: inner(among, through),
  });
  const ways = Object.keys(RELATIONS).filter((key) => relationOf(key)?.of === among);
  if (!ways.length) return fc.oneof({ weight: 3, arbitrary: criterion }, group);
  const related = fc.constantFrom(...ways).chain((way) =>
    fc.record({
      through: fc.constant(way),
      has: fc.boolean(),
      of: inner(relationOf(way)?.to ?? among, way),
    }),
  );
  return fc.oneof({ weight: 3, arbitrary: criterion }, group, related);
}

/** Notes which facts and tests were asked for. */
function note(lines: readonly Line[], told: Set<string>): void {
  for (const line of lines) {
    if ('of' in line) note(line.of, told);
    else told.add(`${line.fact} ${line.test.op}`);
  }
}

/** Fills what the demo leaves empty, a little of everything, with nothing in some. */
async function fillIn({ db }: TestFirm): Promise<void> {
  await db('client').where('id', '>', 40).update({ adviser_id: null, service: null });
  await db('client')
    .where('id', 7)
    .update({ postal: '["Unter den Buchen 3","10115 Berlin"]', country: 'DE' });
  await db('client').where('id', 8).update({ name: 'Bóx & Söhne', country: 'DE', note: 'owner of the mill' });
  await db('client').whereIn('id', [3, 9, 21]).update({ status: 'past' });
  await db('person').where('id', 5).update({ title: 'Dr', note: 'é' });
  await db('tag').insert([{ name: 'Board' }, { name: 'Old friends' }, { name: 'Bóx' }]);
  await db('client_tag').insert([1, 2, 3, 4, 5, 6].map((id) => ({ client_id: id, tag_id: 1 + (id % 3) })));
  await db('client_tag').insert({ client_id: 1, tag_id: 1 });
  const keys: string[] = await db('address').orderBy('id').limit(6).pluck('email_key');
  await db('opt_out').insert({ email_key: keys[0] ?? '', at: new Date(), how: 'by letter' });
  await db('topic_opt_out').insert(
    keys
      .slice(1)
      .map((email_key, at) => ({ email_key, topic_id: 1 + (at % 2), at: new Date(), how: 'asked' })),
  );
  await db('address').whereIn('id', [3, 11]).update({ returned_at: new Date(), returned_why: 'gone' });
  await db('address').whereIn('id', [4, 12]).update({ current: 0 });
  await db('delivery').insert([
    { client_id: 1, kind: 'mailings', way: 'post' },
    { client_id: 2, kind: 'mailings', way: 'none' },
    { client_id: 3, kind: 'letters', way: 'both' },
    { client_id: 4, kind: 'statements', way: 'post' },
  ]);
  const files = await db('file').orderBy('id').limit(24).select('id', 'client_id');
  await db('fee_note').delete();
  const near = (days: number) => DateTime.utc().plus({ days }).toISODate() ?? '';
  await db('fee_note').insert(
    files.map(({ id, client_id }, at) => ({
      client_id,
      file_id: at % 3 ? id : null,
      number: `N${at}`,
      issued_on: near(-60 + at),
      due_on: near(-30 + 3 * at),
      amount: 100.1 + at * 10.7,
      paid_on: at % 4 ? null : near(-at),
      words: at % 2 ? 'For the mill' : '',
    })),
  );
  await db('file').whereIn('id', [2, 5, 8]).update({ stage_id: 1 });
  await db('timeline').whereRaw('id % 6 = 0').update({ gone_at: new Date() });
  await db('timeline').whereRaw('id % 5 = 0').update({ state: 'off', words: 'Looked at the mill' });
  await db('timeline_staff')
    .insert(
      [1, 2, 3, 4, 5, 6].map((id) => ({
        timeline_id: id,
        staff_id: 1 + (id % 3),
        tie: id % 4 ? ('took part' as const) : ('told' as const),
      })),
    )
    .onConflict()
    .ignore();
  await fillFields(db);
  await db('filing')
    .whereRaw('message_id % 3 = 0')
    .update({ at: db.raw('at - INTERVAL 400 DAY') });
  // The last moment of a day in the firm's zone, and the first of the next: in summer not UTC's.
  await db('filing')
    .whereRaw('message_id % 7 = 1')
    .update({ at: new Date('2026-07-14T23:30:00Z') });
  await db('filing')
    .whereRaw('message_id % 7 = 2')
    .update({ at: new Date('2026-07-14T22:30:00Z') });
  const mailings: number[] = await db('mailing').pluck('id');
  await db('mailing')
    .where({ id: mailings[0] ?? 0 })
    .update({ topic_id: 1, released_at: new Date() });
  const sent = await db('message').where({ state: 'logged' }).first('id');
  const box = await db('mailbox').first('id');
  await db('dispatch')
    .insert(
      files.slice(0, 12).map(({ id, client_id }, at) => ({
        kind: 'mailing',
        mailing_id: mailings[at < 6 ? 0 : 1] ?? 1,
        client_id,
        person_id: at + 1,
        mailbox_id: box?.id ?? 1,
        file_id: id,
        to_name: '',
        to_address: '',
        message_id: `m${at}@x`,
        facts: '{}',
        state: (['sent', 'returned', 'waiting'] as const)[at % 3] ?? 'sent',
        next_at: new Date(),
        sent_at: at % 5 ? new Date(Date.now() - at * 10 * 24 * 3600 * 1000) : null,
        answered_message_id: at % 2 ? null : (sent?.id ?? null),
      })),
    )
    .onConflict()
    .ignore();
}

/** A field of each kind for each of clients, people and files, filled in some. */
async function fillFields(db: TestFirm['db']): Promise<void> {
  const kinds = ['text', 'number', 'date', 'yes or no', 'choice', 'choices', 'person', 'client'] as const;
  for (const of of SUBJECTS)
    for (const [at, kind] of kinds.entries()) {
      const [field = 0] = await db('field').insert({ of, kind, label: `${of} ${kind}`, position: 50 + at });
      const choices: number[] = [];
      if (kind.startsWith('choice'))
        for (const label of ['red', 'green', 'blue'])
          choices.push((await db('field_choice').insert({ field_id: field, label }))[0] ?? 0);
      for (let id = 1; id <= 20; id += 1 + (at % 3)) {
        const value = {
          text: { text_value: ['The mill', '', 'owner', 'Bóx'][id % 4] ?? '' },
          number: { number_value: id * 17 },
          date: {
            date_value:
              DateTime.utc()
                .plus({ days: id * 20 - 200 })
                .toISODate() ?? '',
          },
          'yes or no': { number_value: id % 2 },
          choice: { choice_id: choices[id % 3] ?? null },
          choices: { choice_id: choices[id % 3] ?? null },
          person: { person_link: 1 + (id % 4) },
          client: { client_link: 1 + (id % 4) },
        }[kind];
        const row = { [`${of}_id`]: id, field_id: field, item: 0, ...value };
        await db(`${of}_field_value`).insert(row);
        if (kind === 'choices' && id % 2)
          await db(`${of}_field_value`).insert({ ...row, item: 1, choice_id: choices[(id + 1) % 3] ?? null });
      }
    }
}

/** Ids of those whom SQL takes. */
async function picked({ db }: TestFirm, selection: Selection, running: Running): Promise<number[]> {
  return (await (
    await selected(db, selection, running)
  )
    .query()
    .pluck(`${selection.subject}.id`)) as number[];
}

describe('selections', () => {
  let firm: TestFirm;
  let catalogue: Catalogue;
  let running: Running;
  let memory: Memory;
  before(async () => {
    firm = await openFirm({ clients: 50, files: 70, conversationsPerClient: 0.6 });
    await firm.sync();
    await fillIn(firm);
    const all: Line = { fact: 'client.status', test: { op: 'one of', values: ['active'] } };
    await keepSelection(firm.db, MANAGER, {
      name: 'Board',
      selection: { ...selectionOf(all), added: [3], removed: [1] },
      fixed: true,
      shared: true,
    });
    catalogue = await selectionCatalogue(firm.db, 2);
    running = await runningNow(firm.db, 2);
    memory = new Memory(await readTables(firm), running.today, running.zone);
  });
  after(() => firm.close());

  it('SQL and core select the same records, by any fact, test and group, through what hangs on them', async function () {
    this.timeout(180_000);
    const told = new Set<string>();
    const anySelection = fc.constantFrom(...SUBJECTS).chain((subject) =>
      fc
        .record({
          version: fc.constant(2 as const),
          subject: fc.constant(subject),
          past: fc.boolean(),
          of: fc.array(anyLine(catalogue, subject, running.today, 3), { maxLength: 3 }),
          added: fc.array(fc.integer({ min: 1, max: 60 }), { maxLength: 2 }),
          removed: fc.array(fc.integer({ min: 1, max: 60 }), { maxLength: 2 }),
        })
        .chain((selection) =>
          // One in three is of those alone that were ticked.
          fc
            .option(fc.array(fc.integer({ min: 1, max: 60 }), { maxLength: 12 }), { freq: 3 })
            .map((only) => ({
              ...selection,
              ...(only?.length ? { only } : {}),
            })),
        ),
    );
    await fc.assert(
      fc.asyncProperty(anySelection, async (selection) => {
        expect(Selection.parse(JSON.parse(JSON.stringify(selection)))).to.deep.equal(selection);
        expect(problemsOf(selection, catalogue)).to.deep.equal([]);
        const bySql = await picked(firm, selection, running);
        const byCore = memory
          .of(selection.subject)
          .filter((record) => selects(selection, record, running))
          .map(({ id }) => id);
        expect(bySql.sort((a, b) => a - b)).to.deep.equal(byCore.sort((a, b) => a - b));
        note(selection.of, told);
      }),
      { numRuns: 500 },
    );
    expect(told.size).to.be.greaterThan(60);
  });

  it('SQL and core agree on each fact and each test of it alone', async function () {
    this.timeout(180_000);
    const ways: [Among, Subject, string | null][] = [
      ...SUBJECTS.map((subject): [Among, Subject, string | null] => [subject, subject, null]),
      ['fee note', 'client', 'client.fees'],
      ['mailing', 'client', 'client.mailed'],
      ['message', 'client', 'client.messages'],
      ['entry', 'client', 'client.entries'],
    ];
    for (const [among, subject, through] of ways)
      for (const fact of factsAbout(catalogue, among, through ?? undefined))
        for (const op of OPERATORS[fact.kind]) {
          const tests = fc.sample(
            anyTest(fact, running.today).filter((test) => test.op === op),
            2,
          );
          for (const test of tests) {
            const line: Line = { fact: fact.key, test };
            const selection = {
              ...selectionOf(through ? { through, has: true, of: [line] } : line),
              subject,
            };
            const bySql = await picked(firm, selection, running);
            const byCore = memory
              .of(subject)
              .filter((record) => selects(selection, record, running))
              .map(({ id }) => id);
            expect(
              bySql.sort((a, b) => a - b),
              JSON.stringify(line),
            ).to.deep.equal(byCore.sort((a, b) => a - b));
          }
        }
  });

  it('every fact told of can be shown in a column and sorted by', async () => {
    for (const subject of SUBJECTS) {
      const shown = factsAbout(catalogue, subject).filter(({ key, gone }) => key !== 'client.words' && !gone);
      const columns = shown.map(({ key }) => key);
      for (const by of columns) {
        const order = { by, order: 'desc' as const };
        const page = { offset: 0, limit: 5 };
        const { rows, total } = await resultPage(
          firm.db,
          { ...selectionOf(), subject },
          columns,
          order,
          page,
          running,
        );
        expect(rows).to.have.length(5);
        expect(total).to.be.greaterThan(49);
      }
    }
  });

  it('reckons like an account: what each line takes away, what remains, and what was done by hand', async () => {
    const lines: Line[] = [
      { fact: 'client.status', test: { op: 'one of', values: ['active'] } },
      { fact: 'client.service', test: { op: 'one of', values: [] } },
      {
        match: 'any',
        of: [
          { fact: 'client.adviser', test: { op: 'one of', values: ['me'] } },
          { fact: 'client.interests', test: { op: 'one of', values: [1, 2] } },
        ],
      },
      { through: 'client.files', has: true, of: [{ fact: 'file.general', test: { op: 'no' } }] },
    ];
    const base: Selection = { ...selectionOf(), subject: 'client', past: false };
    const count = (of: Line[], more = {}) =>
      memory.of('client').filter((record) => selects({ ...base, of, ...more }, record, running)).length;
    const outside = memory.of('client').find((record) => !selects({ ...base, of: lines }, record, running));
    const inside = memory.of('client').find((record) => selects({ ...base, of: lines }, record, running));
    const byHand = { added: [outside?.id ?? 0], removed: [inside?.id ?? 0] };
    const column = await columnOf(firm.db, { ...base, of: lines, ...byHand }, running);
    expect(column.base).to.equal(count([]));
    expect(column.past).to.equal(memory.of('client').filter(({ past }) => past).length);
    expect(column.lines.map(({ left }) => left)).to.deep.equal([
      count(lines.slice(0, 1)),
      null,
      count(lines.slice(0, 3)),
      count(lines),
    ]);
    const [status, , either] = lines;
    expect(column.lines[2]?.inner).to.deep.equal(
      either && 'of' in either && status ? either.of.map((line) => count([status, line])) : [],
    );
    expect([column.added, column.removed, column.total]).to.deep.equal([1, 1, count(lines, byHand)]);
    const all = memory
      .of('client')
      .filter((record) => selects({ ...base, of: lines, ...byHand }, record, running));
    const only = [...all.slice(0, 2).map(({ id }) => id), inside?.id ?? 0];
    const ticked = await columnOf(firm.db, { ...base, of: lines, ...byHand, only }, running);
    expect(ticked).to.deep.equal({ ...column, unticked: all.length - 2, total: 2 });
  });

  it('are kept as they run, or as a list; shared or one’s own; and never overwritten unseen', async () => {
    const tobias = { id: 2, name: 'Tobias Fenn', email: 't@x.example', role: 'adviser' as const };
    const keep = (staff: typeof tobias | typeof MANAGER, name: string, fixed: boolean, shared: boolean) =>
      keepSelection(firm.db, staff, {
        ...{ name, fixed, shared },
        selection: selectionOf({ fact: 'client.adviser', test: { op: 'one of', values: ['me'] } }),
      });
    const refused = (work: Promise<unknown>) =>
      work.then(() => 'done').catch((error: Error) => error.message);
    const own = await keep(tobias, 'Mine', false, false);
    const list = await keep(tobias, 'Mine today', true, true);
    const mine = await picked(
      firm,
      selectionOf({ fact: 'client.adviser', test: { op: 'one of', values: [2] } }),
      running,
    );
    // A list stays what it was, whatever becomes of the records.
    await firm
      .db('client')
      .where({ id: mine[0] ?? 0 })
      .update({ adviser_id: 3 });
    const kept = await readKept(firm.db, MANAGER.id, list);
    expect([kept.members, kept.mine, kept.owner]).to.deep.equal([mine.length, false, 'Tobias Fenn']);
    expect((await picked(firm, kept.selection, running)).sort()).to.deep.equal([...mine].sort());
    expect(await picked(firm, (await readKept(firm.db, 2, own)).selection, running)).to.have.length(
      mine.length - 1,
    );
    await firm
      .db('client')
      .where({ id: mine[0] ?? 0 })
      .update({ adviser_id: 2 });

    expect(await refused(readKept(firm.db, MANAGER.id, own))).to.contain('not here any more');
    const names = async (id: number) =>
      (await listKept(firm.db, id, { offset: 0, limit: 50 })).rows.map(({ name }) => name);
    expect(await names(MANAGER.id))
      .to.include('Mine today')
      .and.not.include('Mine');
    const ines = { ...tobias, id: 3, name: 'Ines Calder' };
    // A list kept to oneself is nobody else's to select by.
    const hidden = await keep(tobias, 'For my eyes', true, false);
    const byList = selectionOf({ fact: 'client.lists', test: { op: 'one of', values: [hidden] } });
    await refuseBroken(firm.db, 2, byList);
    expect(await refused(refuseBroken(firm.db, 3, byList))).to.contain('no longer there');
    await dropKept(firm.db, tobias, hidden);
    const change = { name: 'Ours', shared: true, version: kept.version };
    const removed = { ...kept.selection, removed: mine.slice(0, 1) };
    expect(await refused(changeKept(firm.db, ines, list, { ...change, selection: removed }))).to.contain(
      'Only Tobias Fenn or an office manager',
    );
    await changeKept(firm.db, tobias, list, { ...change, selection: removed });
    expect((await readKept(firm.db, 2, list)).members).to.equal(mine.length - 1);
    expect(await refused(changeKept(firm.db, MANAGER, list, { ...change, selection: removed }))).to.contain(
      'changed this selection meanwhile',
    );
    const found = await compareKept(firm.db, 2, {
      ...{ a: own, b: list, which: 'a', columns: ['client.name'], offset: 0, limit: 10 },
    });
    expect([found.both, found.a, found.b]).to.deep.equal([mine.length - 1, 1, 0]);
    expect(found.rows.map(({ id }) => id)).to.deep.equal(mine.slice(0, 1));
    await dropKept(firm.db, tobias, own);
    expect(await names(2)).to.not.include('Mine');
  });

  it('survive a field that is renamed, and say so when it is gone', async () => {
    const selection = selectionOf({ fact: 'field:2', test: { op: 'at least', value: 10 } });
    const id = await keepSelection(firm.db, MANAGER, {
      ...{ name: 'Woods', fixed: false, shared: true, selection },
    });
    const before = await picked(firm, (await readKept(firm.db, 1, id)).selection, running);
    await firm.db('field').where({ id: 2 }).update({ label: 'Trees' });
    expect(explain(selection, await selectionCatalogue(firm.db, 2))).to.contain(
      'whose trees is at least 10 ha',
    );
    expect(await picked(firm, (await readKept(firm.db, 1, id)).selection, running)).to.deep.equal(before);
    await firm.db('field').where({ id: 2 }).update({ gone_at: new Date() });
    const refused = await refuseBroken(firm.db, 2, selection).catch((error: Error) => error.message);
    expect(refused).to.contain('The field “Trees” has been taken away');
    await firm.db('field').where({ id: 2 }).update({ label: 'Woodland area', gone_at: null });
    await refuseBroken(firm.db, 2, selection, ['client.name', 'field:2']);
    for (const column of ['file.number', 'field:999', 'password'])
      expect(
        await refuseBroken(firm.db, 2, selection, [column]).catch((error: Error) => error.message),
      ).to.contain('Choose the columns again');
  });

  it('are not taken in when they are nested without end, or in a form nobody knows', () => {
    let deep: unknown = { match: 'all', of: [] };
    for (let depth = 0; depth < 20_000; depth++) deep = { match: 'any', of: [deep] };
    expect(Selection.safeParse({ ...selectionOf(), of: [deep] }).success).to.equal(false);
    expect(Selection.safeParse({ ...selectionOf(), version: 99 }).success).to.equal(false);
    expect(
      Selection.safeParse({ ...selectionOf(), of: [{ fact: 'x', test: { op: 'eval' } }] }).success,
    ).to.equal(false);
    expect(Selection.safeParse(selectionOf()).success).to.equal(true);
  });

  it('remember for each person which columns a list shows', async () => {
    expect(await readColumns(firm.db, 2, 'clients')).to.equal(null);
    await keepColumns(firm.db, 2, 'clients', ['client.name', 'field:2']);
    await keepColumns(firm.db, 2, 'clients', ['client.name', 'field:1']);
    expect(await readColumns(firm.db, 2, 'clients')).to.deep.equal(['client.name', 'field:1']);
    expect(await readColumns(firm.db, 1, 'clients')).to.equal(null);
    await keepColumns(firm.db, 2, 'clients', null);
    expect(await readColumns(firm.db, 2, 'clients')).to.equal(null);
  });

  it('leave out of a mailing those who take none by email, or opted out of what it is about', async () => {
    await firm.db('delivery').delete();
    const ask = (topicId: number | null) =>
      listRecipients(firm.db, {
        ...{ mailingId: 1, topicId, selection: { ...selectionOf(), past: true } },
        ...{
          channel: 'email',
          senderId: null,
          eachOf: 'client',
          roles: [],
          colleagues: null,
          fileChoice: 'general',
          offset: 0,
          limit: 200,
        },
      });
    const whole = await ask(null);
    const [first, second, third, fourth] = whole.rows;
    await firm.db('delivery').insert([
      { client_id: first?.clientId ?? 0, kind: 'mailings', way: 'post' },
      { client_id: second?.clientId ?? 0, kind: 'mailings', way: 'none' },
      // Letters are another matter.
      { client_id: third?.clientId ?? 0, kind: 'letters', way: 'none' },
    ]);
    const theirs = await firm
      .db('address')
      .where({ email: fourth?.address ?? '' })
      .first('email_key');
    await firm
      .db('topic_opt_out')
      .where({ email_key: theirs?.email_key ?? '' })
      .delete();
    const before = (await ask(2)).rows.map(({ clientId }) => clientId);
    await firm.db('topic_opt_out').insert({
      ...{ email_key: theirs?.email_key ?? '', topic_id: 2, at: new Date(), how: 'asked us' },
    });
    expect(before).to.include(fourth?.clientId);
    const found = await ask(2);
    const why = (id: number | undefined) =>
      found.leftOut.find(({ clients }) => clients.some((client) => client.id === id))?.why;
    expect([why(first?.clientId), why(second?.clientId), why(third?.clientId)]).to.deep.equal([
      'takes mailings by post',
      'takes no mailings',
      undefined,
    ]);
    expect(found.rows.find(({ clientId }) => clientId === fourth?.clientId)?.address).to.not.equal(
      fourth?.address,
    );
    await firm.db('delivery').delete();
  });

  it('counts after each line and says who is left out, and why', async () => {
    await firm.db('opt_out').delete();
    const rows = await firm
      .db('client_person')
      .join('address', 'address.person_id', 'client_person.person_id')
      .where({ writes: 1, current: 1 })
      .where('client_person.position', 0)
      .where('client_id', '<', 40)
      .orderBy('client_id')
      .limit(4)
      .select('address.*', 'client_id');
    const [optedOut, returned, first, second] = rows;
    const others = (row: { client_id: number; person_id: number }) =>
      firm
        .db('client_person')
        .where({ client_id: row.client_id })
        .whereNot({ person_id: row.person_id })
        .delete();
    for (const row of rows) await others(row);
    await firm.db('opt_out').insert({ email_key: optedOut.email_key, at: new Date(), how: 'by letter' });
    await firm
      .db('address')
      .where({ id: returned.id })
      .update({ returned_at: new Date(), returned_why: 'the address does not exist' });
    await firm.db('address').where({ person_id: second.person_id }).delete();
    await firm.db('address').insert({
      person_id: second.person_id,
      email: first.email.toUpperCase(),
      email_key: first.email_key,
      current: 1,
    });
    await firm.db('delivery').delete();
    const found = await listRecipients(firm.db, {
      mailingId: 1,
      topicId: null,
      selection: { ...selectionOf(), removed: [first.client_id] },
      channel: 'email',
      senderId: null,
      eachOf: 'client',
      roles: [],
      colleagues: null,
      fileChoice: 'general',
      offset: 0,
      limit: 200,
    });
    const why = (clientId: number) =>
      found.leftOut.find((group) => group.clients.some((client) => client.id === clientId))?.why;
    expect(why(optedOut.client_id)).to.equal('opted out');
    expect(why(returned.client_id)).to.equal('email returned undelivered');
    expect([why(first.client_id), why(second.client_id)]).to.include.members([
      'same address as another recipient',
    ]);
    expect(why(45)).to.be.oneOf(['nobody to send as', 'no email address']);
    const everybody =
      found.total +
      found.leftOut
        .filter((group) => group.why !== 'taken out by hand')
        .reduce((sum, group) => sum + group.clients.length, 0);
    expect(everybody).to.equal(50);
    expect(found.rows.find((row) => row.client === 'Cosmo & Bryony Farrant')?.greeting ?? 'Cosmo').to.match(
      /^Cosmo/,
    );
  });

  it('finds clients and files by any word, and treats wildcards as letters', async () => {
    const register = await filingRegister(firm.context);
    expect((await search(firm.db, register, 'farrant mill')).files.map((file) => file.title)).to.include(
      'River bank repair, Farrant Mill',
    );
    expect((await search(firm.db, register, 'Idris Pe')).clients.map((client) => client.name)).to.deep.equal([
      'Pell Family Trust',
    ]);
    expect(await search(firm.db, register, '%_%')).to.deep.equal({ files: [], clients: [] });
    const running = await runningNow(firm.db, 2);
    const list = (query: object) => listClients(firm.db, ClientQuery.parse(query), running);
    const page = await list({ q: 'clerk@ashgill', limit: 10 });
    expect(page.rows.map((row) => row.name)).to.deep.equal(['Ashgill Parish Council']);
    const asked = {
      sort: 'client.openFiles',
      order: 'desc',
      columns: 'client.openFiles,client.place,nonsense',
    };
    const all = await list({ ...asked, offset: 30, limit: 30 });
    expect([all.total, all.rows.length]).to.deep.equal([50, 20]);
    const open = all.rows.map(({ cells }) => Number(cells[0]));
    expect(open).to.deep.equal([...open].sort((a, b) => b - a));
    expect(all.rows.every(({ cells }) => cells.length === 3 && cells[2] === null)).to.equal(true);
    // By the names of advisers, as told by the staff; by what is no column, by name.
    const byAdviser = await list({ sort: 'client.adviser', columns: 'client.adviser', limit: 50 });
    const advisers = byAdviser.rows.map(({ cells }) => String(cells[0] ?? ''));
    expect(advisers).to.deep.equal([...advisers].sort((a, b) => a.localeCompare(b)));
    const byNonsense = await list({ sort: 'nonsense', limit: 50 });
    expect(byNonsense.rows).to.deep.equal((await list({ limit: 50 })).rows);
  });

  it('asks growing tables through their indexes', async () => {
    const used = async (sql: string, bindings: unknown[] = []) => {
      const [rows] = (await firm.db.raw(`EXPLAIN ${sql}`, bindings as string[])) as [
        { table: string; key: string | null }[],
      ];
      return Object.fromEntries(rows.map((row) => [row.table, row.key]));
    };
    expect(
      (await used("SELECT id FROM message WHERE state = 'suggested' ORDER BY at DESC LIMIT 50")).message,
    ).to.equal('message_sorting');
    expect(
      (await used('SELECT id FROM message WHERE message_key IN (UNHEX(SHA2(1, 256)), UNHEX(SHA2(2, 256)))'))
        .message,
    ).to.equal('message_key');
    expect(
      (await used('SELECT message_id FROM message_link WHERE link_key = UNHEX(SHA2(1, 256))')).message_link,
    ).to.equal('message_link_key');
    expect(
      (await used('SELECT message_id FROM filing WHERE file_id = 3 ORDER BY at DESC LIMIT 20')).filing,
    ).to.equal('filing_file');
    expect(
      (
        await used(
          "SELECT id FROM dispatch WHERE state IN ('waiting', 'delayed') AND next_at <= NOW() ORDER BY next_at LIMIT 40",
        )
      ).dispatch,
    ).to.be.oneOf(['dispatch_due', 'dispatch_lease', 'dispatch_log', 'dispatch_copy']);
    expect((await used('SELECT DISTINCT country FROM client')).client).to.equal('client_country');
    expect((await used("SELECT person_id FROM address WHERE email_key = 'x'")).address).to.equal(
      'address_key',
    );
  });
});
