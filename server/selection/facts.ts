import type { SelectableFact, SelectableKey } from '../../core/selection/catalogue.ts';
import { SELECTABLE, KIND_OF_FIELD, type RelationKey } from '../../core/selection/catalogue.ts';
import type { FactKind } from '../../core/facts/catalogue.ts';
import type { Subject, Test } from '../../core/selection/tree.ts';
import {
  columnIs,
  contraryOf,
  exists,
  joined,
  not,
  present,
  sql,
  valuesOf,
  type Sql,
  type SqlAsking,
} from './sql.ts';

/** A fact in SQL. */
export interface FactSql {
  /** Whether the record of that alias is as the test asks: true or false, never unknown. */
  is(at: string, test: Test, asking: SqlAsking): Sql;
  /** What stands there, as one expression, for showing and sorting. */
  shown?(at: string): string;
  /** A query for the ids, as `id`, of all that are so, where an index gives them; null where none does. */
  among?(test: Test, asking: SqlAsking): Sql | null;
}

const kindOf = (key: SelectableKey) => SELECTABLE[key].kind;

/** What stands in a column of the record's own table. @param shown what is shown of it, where it is not itself */
const column = (key: SelectableKey, name: string, shown?: (at: string) => string): FactSql => ({
  is: (at, test, asking) => columnIs(`${at}.${name}`, kindOf(key), test, asking),
  shown: shown ?? ((at) => `${at}.${name}`),
});

/** What is worked out of the record's own table. */
const worked = (key: SelectableKey, expression: (at: string) => string): FactSql => ({
  is: (at, test, asking) => columnIs(expression(at), kindOf(key), test, asking),
  shown: expression,
});

/** Rows that hang on records: there may be none for one, or several. */
interface Hanging {
  /** With the alias `x`. */
  table: string;
  /** The column that says whose they are. */
  owner: string;
  /** The column tested. */
  value: string;
  /** Which of them count. */
  where?: string;
}

/** What stands in rows that hang on the record. */
const hanging = (
  { table, owner, value, where = 'TRUE' }: Hanging,
  kind: SelectableFact['kind'],
  shown: (at: string) => string,
): FactSql => ({
  is: (at, test, asking) =>
    anyRow(`${table} x`, `x.${owner} = ${at}.id AND ${where}`, `x.${value}`, kind, test, asking),
  shown,
  among: (test, asking) => {
    if (contraryOf(test) || test.op === 'all of') return null;
    const there = present(`x.${value}`, kind, test, asking);
    return {
      sql: `SELECT DISTINCT x.${owner} AS id FROM ${table} x WHERE ${where} AND ${there.sql}`,
      with: there.with,
    };
  },
});
const rows = (key: SelectableKey, of: Hanging, shown: (at: string) => string) =>
  hanging(of, kindOf(key), shown);

function anyRow(
  from: string,
  on: string,
  value: string,
  kind: SelectableFact['kind'],
  test: Test,
  asking: SqlAsking,
): Sql {
  const contrary = contraryOf(test);
  if (contrary) return not(anyRow(from, on, value, kind, contrary, asking));
  if (test.op === 'all of')
    return joined(
      valuesOf(test, asking).map((each) => exists(from, sql(`${on} AND ${value} = ?`, each))),
      'AND',
    );
  const there = present(value, kind, test, asking);
  return exists(from, { sql: `${on} AND ${there.sql}`, with: there.with });
}

/** Names of what a table of ties leads to, one after the other. */
const named = (ties: string, list: string, owner: string) => (at: string) =>
  `(SELECT GROUP_CONCAT(l.name ORDER BY l.name SEPARATOR ', ') FROM ${ties} x JOIN ${list} l ON l.id = x.${list}_id WHERE x.${owner} = ${at}.id)`;

const staffName = (at: string) => `(SELECT s.name FROM staff s WHERE s.id = ${at}.adviser_id)`;

/** How a kind of communication goes; where nobody has said, by email. */
const delivery = (key: SelectableKey, kind: string) =>
  worked(
    key,
    (at) =>
      `COALESCE((SELECT d.way FROM delivery d WHERE d.client_id = ${at}.id AND d.kind = '${kind}'), 'email')`,
  );

/** The last time that one side spoke. */
const lastSpoken = (key: SelectableKey, owner: string, who: 'client' | 'us'): FactSql =>
  worked(
    key,
    (at) =>
      `(SELECT x.at FROM filing x WHERE x.${owner} = ${at}.id AND x.spoken = '${who}' ORDER BY x.at DESC LIMIT 1)`,
  );

/** The last call or meeting that took place, or the next that is planned. */
const met = (key: SelectableKey, state: 'done' | 'planned', order: 'ASC' | 'DESC'): FactSql =>
  worked(
    key,
    (at) =>
      `(SELECT x.at FROM timeline x WHERE x.client_id = ${at}.id AND x.kind IN ('call', 'meeting') AND x.state = '${state}' AND x.gone_at IS NULL ORDER BY x.at ${order} LIMIT 1)`,
  );

const OWING_DAYS = 120;
const owes = (who: 'we' | 'they'): FactSql => {
  const among = (today: string) =>
    sql(
      `SELECT DISTINCT x.client_id AS id FROM message m JOIN filing x ON x.message_id = m.id
        WHERE m.waits = '${who}' AND m.state = 'logged' AND m.at > ? - INTERVAL ${OWING_DAYS} DAY`,
      today,
    );
  return {
    is: (at, test, { today }) => {
      const found = isAmong(at, among(today));
      return test.op === 'yes' ? found : not(found);
    },
    shown: (at) =>
      `IF((SELECT 1 FROM message m JOIN filing x ON x.message_id = m.id WHERE m.waits = '${who}'
        AND m.state = 'logged' AND x.client_id = ${at}.id LIMIT 1) IS NULL, 0, 1)`,
    among: (test, { today }) => (test.op === 'yes' ? among(today) : null),
  };
};
const isAmong = (at: string, ids: Sql): Sql => ({ sql: `${at}.id IN (${ids.sql})`, with: ids.with });

/** Fees not paid by client: nobody without any is among them. */
const OPEN_FEES = 'SELECT x.client_id AS id FROM fee_note x WHERE x.paid_on IS NULL';

const openFees: FactSql = {
  is: (at, test, asking) => {
    // Whoever has nothing open has 0 open: either those who fit are among the rest, or those who do not.
    const sum = columnIs('SUM(x.amount)', 'money', test, asking);
    return holdsForZero(test) ? not(isAmong(at, haveOpen(not(sum)))) : isAmong(at, haveOpen(sum));
  },
  shown: (at) =>
    `(SELECT COALESCE(SUM(x.amount), 0) FROM fee_note x WHERE x.client_id = ${at}.id AND x.paid_on IS NULL)`,
  among: (test, asking) =>
    holdsForZero(test) ? null : haveOpen(columnIs('SUM(x.amount)', 'money', test, asking)),
};
const haveOpen = (sum: Sql): Sql => ({
  sql: `${OPEN_FEES} GROUP BY x.client_id HAVING ${sum.sql}`,
  with: sum.with,
});

function holdsForZero(test: Test): boolean {
  if (test.op === 'between') return test.from <= 0 && test.to >= 0;
  if ('value' in test) return test.op === 'at least' ? test.value <= 0 : test.value >= 0;
  return test.op === 'filled';
}

const overdue: FactSql = {
  is: (at, test, asking) => {
    const contrary = contraryOf(test);
    if (contrary) return not(overdue.is(at, contrary, asking));
    return isAmong(at, overdueFor(test, asking));
  },
  shown: (at) =>
    `(SELECT NULLIF(GREATEST(DATEDIFF(UTC_DATE(), MIN(x.due_on)), 0), 0) FROM fee_note x WHERE x.client_id = ${at}.id AND x.paid_on IS NULL)`,
  among: (test, asking) => (contraryOf(test) ? null : overdueFor(test, asking)),
};
function overdueFor(test: Test, asking: SqlAsking): Sql {
  const late = `${OPEN_FEES} AND x.due_on < ?`;
  if (test.op === 'filled') return sql(late, asking.today);
  const days = present('DATEDIFF(?, MIN(x.due_on))', 'number', test, asking);
  return {
    sql: `${late} GROUP BY x.client_id HAVING ${days.sql}`,
    with: [asking.today, asking.today, ...days.with],
  };
}

/** Of everything, told by `all`; or of a topic, told by its number. */
const optedOut = (people: (at: string) => string): FactSql => {
  const from = (table: string) => `address a JOIN ${table} o ON o.email_key = a.email_key`;
  const all = (at: string) => exists(from('opt_out'), sql(people(at)));
  const topic = (at: string, id?: string | number): Sql =>
    exists(
      from('topic_opt_out'),
      id === undefined ? sql(people(at)) : sql(`${people(at)} AND o.topic_id = ?`, id),
    );
  const of = (at: string, value: string | number) => (value === ALL_TOPICS ? all(at) : topic(at, value));
  const fact: FactSql = {
    is: (at, test, asking) => {
      const contrary = contraryOf(test);
      if (contrary) return not(fact.is(at, contrary, asking));
      if (!('values' in test)) return joined([all(at), topic(at)], 'OR');
      return joined(
        test.values.map((value) => of(at, value)),
        test.op === 'all of' ? 'AND' : 'OR',
      );
    },
    shown: (at) =>
      `CONCAT_WS(', ', (SELECT 'everything' FROM ${from('opt_out')} WHERE ${people(at)} LIMIT 1),
        (SELECT GROUP_CONCAT(DISTINCT t.name ORDER BY t.name SEPARATOR ', ') FROM address a
          JOIN topic_opt_out o ON o.email_key = a.email_key JOIN topic t ON t.id = o.topic_id WHERE ${people(at)}))`,
  };
  return fact;
};
/** The choice that means opted out of everything. */
export const ALL_TOPICS = 'all';

const OF_CLIENT = 'client_person y JOIN address a ON a.person_id = y.person_id';
const CLIENT_ADDRESSES = (at: string) =>
  `a.person_id IN (SELECT y.person_id FROM client_person y WHERE y.client_id = ${at}.id)`;

/** One of the places words are looked for in. */
interface Source {
  text: string;
  /** What it means that the text is as it should be. */
  holds(inner: string): string;
}

/** The record's own column. */
const own = (name: string) => (at: string) => ({
  text: `${at}.${name}`,
  holds: (inner: string) => `(${inner}) IS TRUE`,
});

/**
 * Those who bear a text elsewhere. DISTINCT has them gathered once and looked up; else a query for each record asks
 * again, wherever the line stands beside an `or`.
 * @param id whose they are @param from tables that hold the text
 */
const bearers = (id: string, from: string, text: string) => (at: string) => ({
  text,
  holds: (inner: string) =>
    `${at}.id IN (SELECT b.id FROM (SELECT DISTINCT ${id} AS id FROM ${from} WHERE ${inner}) b)`,
});

/** Any of several texts. */
const words = (...sources: ((at: string) => Source)[]): FactSql => {
  const fact: FactSql = {
    is: (at, test, asking) => {
      const contrary = contraryOf(test);
      if (contrary) return not(fact.is(at, contrary, asking));
      return joined(
        sources.map((source) => {
          const { text, holds } = source(at);
          const inner = present(text, 'text', test, asking);
          return { sql: holds(inner.sql), with: inner.with };
        }),
        'OR',
      );
    },
  };
  return fact;
};

const lists = (subject: Subject): FactSql =>
  rows(
    `${subject}.lists`,
    { table: 'selection_member', owner: `${subject}_id`, value: 'selection_id' },
    (at) =>
      `(SELECT GROUP_CONCAT(l.name ORDER BY l.name SEPARATOR ', ') FROM selection_member x JOIN selection l ON l.id = x.selection_id AND l.shared = 1 WHERE x.${subject}_id = ${at}.id)`,
  );

/** Each built-in fact in SQL: one without does not compile. A property test holds them to what core says. */
export const FACTS: { [K in SelectableKey]: FactSql } = {
  'client.name': column('client.name', 'name'),
  'client.words': words(
    own('name'),
    own('place'),
    bearers(
      'y.client_id',
      'person p JOIN client_person y ON y.person_id = p.id',
      "CONCAT(p.first_name, ' ', p.last_name)",
    ),
    bearers('y.client_id', 'address a JOIN client_person y ON y.person_id = a.person_id', 'a.email'),
  ),
  'client.status': column('client.status', 'status'),
  'client.adviser': column('client.adviser', 'adviser_id', staffName),
  'client.service': {
    is: (at, test, asking) => {
      const contrary = contraryOf(test);
      if (contrary) return not(FACTS['client.service'].is(at, contrary, asking));
      if (!('values' in test)) return sql(`${at}.service IS NOT NULL`);
      const values = valuesOf(test, asking);
      return sql(
        `(${at}.service IN (SELECT v.name FROM service v WHERE v.id IN (${values.map(() => '?').join(', ')}))) IS TRUE`,
        ...values,
      );
    },
    shown: (at) => `${at}.service`,
  },
  'client.kind': column('client.kind', 'kind'),
  'client.tags': rows(
    'client.tags',
    { table: 'client_tag', owner: 'client_id', value: 'tag_id' },
    named('client_tag', 'tag', 'client_id'),
  ),
  'client.interests': rows(
    'client.interests',
    { table: 'client_interest', owner: 'client_id', value: 'interest_id' },
    named('client_interest', 'interest', 'client_id'),
  ),
  'client.since': column('client.since', 'since'),
  'client.place': column('client.place', 'place'),
  'client.postcode': column('client.postcode', 'postcode'),
  // Of the office's own country nothing is said.
  'client.country': worked('client.country', (at) => `NULLIF(${at}.country, '')`),
  'client.note': column('client.note', 'note'),
  'client.email': {
    is: (at, test) => {
      const has = exists(OF_CLIENT, sql(`y.client_id = ${at}.id AND y.writes = 1 AND a.current = 1`));
      return test.op === 'yes' ? has : not(has);
    },
    shown: (at) =>
      `(SELECT a.email FROM ${OF_CLIENT} WHERE y.client_id = ${at}.id AND y.writes = 1 AND a.current = 1 ORDER BY y.position, a.position LIMIT 1)`,
  },
  'client.letters': delivery('client.letters', 'letters'),
  'client.statements': delivery('client.statements', 'statements'),
  'client.mailings': delivery('client.mailings', 'mailings'),
  'client.optedOut': optedOut(CLIENT_ADDRESSES),
  'client.fileNumbers': {
    ...words(bearers('f.client_id', 'file f', 'f.number')),
    shown: (at) =>
      `(SELECT GROUP_CONCAT(f.number ORDER BY f.number SEPARATOR ', ') FROM file f WHERE f.client_id = ${at}.id AND f.closed IS NULL)`,
  },
  'client.openFiles': worked(
    'client.openFiles',
    (at) => `(SELECT COUNT(*) FROM file x WHERE x.client_id = ${at}.id AND x.closed IS NULL)`,
  ),
  'client.spoken': worked(
    'client.spoken',
    (at) => `(SELECT MAX(x.at) FROM filing x WHERE x.client_id = ${at}.id)`,
  ),
  'client.heard': lastSpoken('client.heard', 'client_id', 'client'),
  'client.written': lastSpoken('client.written', 'client_id', 'us'),
  'client.met': met('client.met', 'done', 'DESC'),
  'client.planned': met('client.planned', 'planned', 'ASC'),
  'client.weOwe': owes('we'),
  'client.theyOwe': owes('they'),
  'client.open': openFees,
  'client.overdue': overdue,
  'client.lists': lists('client'),

  'person.firstName': column('person.firstName', 'first_name'),
  'person.lastName': column('person.lastName', 'last_name'),
  'person.title': column('person.title', 'title'),
  'person.note': column('person.note', 'note'),
  'person.addresses': {
    ...words(bearers('a.person_id', 'address a', 'a.email')),
    shown: (at) =>
      `(SELECT GROUP_CONCAT(a.email ORDER BY a.position SEPARATOR ', ') FROM address a WHERE a.person_id = ${at}.id AND a.current = 1)`,
  },
  'person.email': ofPerson('address', 'x.current = 1'),
  'person.returned': ofPerson('address', 'x.returned_at IS NOT NULL'),
  'person.phone': ofPerson('phone', 'TRUE'),
  'person.optedOut': optedOut((at) => `a.person_id = ${at}.id`),
  'person.lists': lists('person'),

  'file.number': column('file.number', 'number'),
  'file.title': column('file.title', 'title'),
  'file.adviser': column('file.adviser', 'adviser_id', staffName),
  'file.stage': column(
    'file.stage',
    'stage_id',
    (at) => `(SELECT g.name FROM stage g WHERE g.id = ${at}.stage_id)`,
  ),
  'file.opened': column('file.opened', 'opened'),
  'file.closed': column('file.closed', 'closed'),
  'file.isOpen': worked('file.isOpen', (at) => `(${at}.closed IS NULL)`),
  'file.general': column('file.general', 'general'),
  'file.heard': lastSpoken('file.heard', 'file_id', 'client'),
  'file.written': lastSpoken('file.written', 'file_id', 'us'),
  'file.lists': lists('file'),

  'fee note.number': column('fee note.number', 'number'),
  'fee note.issued': column('fee note.issued', 'issued_on'),
  'fee note.due': column('fee note.due', 'due_on'),
  'fee note.paid': column('fee note.paid', 'paid_on'),
  'fee note.amount': column('fee note.amount', 'amount'),
  'fee note.words': column('fee note.words', 'words'),

  'mailing.which': column('mailing.which', 'mailing_id'),
  'mailing.topic': worked(
    'mailing.topic',
    (at) => `(SELECT g.topic_id FROM mailing g WHERE g.id = ${at}.mailing_id)`,
  ),
  'mailing.sent': column('mailing.sent', 'sent_at'),
  'mailing.answered': worked(
    'mailing.answered',
    (at) => `(COALESCE(${at}.answered_message_id, ${at}.answered_text_id) IS NOT NULL)`,
  ),
  'mailing.opened': worked('mailing.opened', (at) => `(${at}.opened_at IS NOT NULL)`),
  'mailing.followed': worked('mailing.followed', (at) => `(${at}.followed_at IS NOT NULL)`),
  'mailing.returned': worked('mailing.returned', (at) => `(${at}.state = 'returned')`),

  'message.from': column('message.from', 'spoken'),
  'message.at': column('message.at', 'at'),
  'message.subject': worked(
    'message.subject',
    (at) => `(SELECT m.subject FROM message m WHERE m.id = ${at}.message_id)`,
  ),

  'entry.kind': column('entry.kind', 'kind'),
  'entry.at': column('entry.at', 'at'),
  'entry.state': column('entry.state', 'state'),
  'entry.staff': rows(
    'entry.staff',
    { table: 'timeline_staff', owner: 'timeline_id', value: 'staff_id', where: "x.tie = 'took part'" },
    (at) =>
      `(SELECT GROUP_CONCAT(s.name ORDER BY s.name SEPARATOR ', ') FROM timeline_staff x JOIN staff s ON s.id = x.staff_id WHERE x.timeline_id = ${at}.id AND x.tie = 'took part')`,
  ),
  'entry.by': column('entry.by', 'staff_id'),
  'entry.words': column('entry.words', 'words'),
  'entry.outcome': column('entry.outcome', 'outcome'),
};

function ofPerson(table: 'address' | 'phone', where: string): FactSql {
  const has = (at: string) => exists(`${table} x`, sql(`x.person_id = ${at}.id AND ${where}`));
  return {
    is: (at, test) => (test.op === 'yes' ? has(at) : not(has(at))),
    shown: (at) => `IF(${has(at).sql}, 1, 0)`,
  };
}

/** A way to what hangs on a record. @param to the alias of what is reached @param tie that of the tie */
interface RelationSql {
  from(to: string, tie: string): string;
  on(at: string, to: string, tie: string): string;
}

const owned = (table: string, key: string): RelationSql => ({
  from: (to) => `${table} ${to}`,
  on: (at, to) => `${to}.${key} = ${at}.id`,
});
const tied = (ties: string, owner: string, table: string, key: string): RelationSql => ({
  from: (to, tie) => `${ties} ${tie} JOIN ${table} ${to} ON ${to}.id = ${tie}.${key}`,
  on: (at, _to, tie) => `${tie}.${owner} = ${at}.id`,
});
const mailed = (key: string): RelationSql => ({
  from: (to) => `dispatch ${to}`,
  on: (at, to) =>
    `${to}.${key} = ${at}.id AND ${to}.mailing_id IS NOT NULL AND ${to}.state IN ('sent', 'returned')`,
});

/** Notes, calls and meetings that were not taken away. */
const entries = (key: string): RelationSql => ({
  from: (to) => `timeline ${to}`,
  on: (at, to) => `${to}.${key} = ${at}.id AND ${to}.gone_at IS NULL`,
});
const tookPart = tied('timeline_person', 'person_id', 'timeline', 'timeline_id');

/** Each way in SQL: one without does not compile. */
export const RELATIONS_SQL: { [K in RelationKey]: RelationSql } = {
  'client.people': tied('client_person', 'client_id', 'person', 'person_id'),
  'client.files': owned('file', 'client_id'),
  'client.fees': owned('fee_note', 'client_id'),
  'client.mailed': mailed('client_id'),
  'client.messages': owned('filing', 'client_id'),
  'client.entries': entries('client_id'),
  'person.clients': tied('client_person', 'person_id', 'client', 'client_id'),
  'person.files': tied('file_person', 'person_id', 'file', 'file_id'),
  'person.mailed': mailed('person_id'),
  'person.entries': {
    ...tookPart,
    on: (at, to, tie) => `${tookPart.on(at, to, tie)} AND ${to}.gone_at IS NULL`,
  },
  'file.client': { from: (to) => `client ${to}`, on: (at, to) => `${to}.id = ${at}.client_id` },
  'file.people': tied('file_person', 'file_id', 'person', 'person_id'),
  'file.fees': owned('fee_note', 'file_id'),
  'file.messages': owned('filing', 'file_id'),
  'file.entries': entries('file_id'),
};

/** Which column of the values holds those of each kind. */
const VALUE_COLUMN: Record<FactKind, string> = {
  text: 'text_value',
  'long text': 'text_value',
  number: 'number_value',
  money: 'number_value',
  date: 'date_value',
  'yes or no': 'number_value',
  choice: 'choice_id',
  choices: 'choice_id',
  person: 'person_link',
  client: 'client_link',
};

/** What a field of the firm's own shows, where it is not the value itself. */
const VALUE_SHOWN: Partial<Record<FactKind, string>> = {
  choice: '(SELECT c.label FROM field_choice c WHERE c.id = x.choice_id)',
  choices: '(SELECT c.label FROM field_choice c WHERE c.id = x.choice_id)',
  person: "(SELECT TRIM(CONCAT(p.first_name, ' ', p.last_name)) FROM person p WHERE p.id = x.person_link)",
  client: '(SELECT k.name FROM client k WHERE k.id = x.client_link)',
};

/** A field of the firm's own in SQL. @param id its number, from the office's own list of fields */
export function fieldSql(of: Subject, id: number, kind: FactKind): FactSql {
  const table = `${of}_field_value`;
  const shown = VALUE_SHOWN[kind] ?? `x.${VALUE_COLUMN[kind]}`;
  const found = (at: string) => `FROM ${table} x WHERE x.${of}_id = ${at}.id AND x.field_id = ${Number(id)}`;
  return hanging(
    { table, owner: `${of}_id`, value: VALUE_COLUMN[kind], where: `x.field_id = ${Number(id)}` },
    KIND_OF_FIELD[kind],
    (at) =>
      kind === 'choices'
        ? `(SELECT GROUP_CONCAT(${shown} ORDER BY x.item SEPARATOR ', ') ${found(at)})`
        : `(SELECT ${shown} ${found(at)} LIMIT 1)`,
  );
}
