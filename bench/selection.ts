import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Knex } from 'knex';
import { ClientQuery } from '../contract/index.ts';
import { selectionOf, type Line } from '../core/selection/tree.ts';
import { startMariaDB } from '../scripts/mariadb.ts';
import { ensureDatabase, openDatabase, type Database } from '../server/foundation/database.ts';
import { writeFirm } from '../server/foundation/firm.ts';
import { migrate } from '../server/foundation/migrate.ts';
import { listClients } from '../server/records/clients.ts';
import { columnOf, runningFor, selected, type Running } from '../server/selection/query.ts';
import { resultPage } from '../server/selection/results.ts';
import { countOf } from '../server/foundation/rows.ts';
import { quantile, result, row } from './ground.ts';

const CLIENTS = 100_000;
const ROUNDS = 15;
const ZONE = 'Europe/London';

/** A share of a hundred by which a row is told apart from the others: the same in every run. */
const dice = (salt: string, of = 'seq') => `(CRC32(CONCAT('${salt}', ${of})) % 100)`;

/** A large firm, made within the database. @param clients everything else follows from how many there are */
export async function load(db: Database, clients: number): Promise<void> {
  const people = 2.5 * clients;
  const files = 4 * clients;
  const messages = 20 * clients;
  const of = (rows: number) => `seq_1_to_${rows}`;
  const mod = (n: number, by = 'seq') => `(1 + MOD(${by}, ${n}))`;
  await writeFirm(db, {
    name: 'Bench',
    domains: ['firm.example'],
    fileNumberPattern: '',
    zone: ZONE,
    notice: '',
  });
  const steps = [
    `INSERT INTO staff (id, name, email, phone, title, role, password_hash) SELECT seq, CONCAT('Adviser ', seq), CONCAT('a', seq, '@firm.example'), '', '', 'adviser', '' FROM ${of(20)}`,
    `INSERT INTO service (id, name) VALUES (1, 'Retainer'), (2, 'Project'), (3, 'Hourly'), (4, 'None yet')`,
    `INSERT INTO stage (id, name) SELECT seq, CONCAT('Stage ', seq) FROM ${of(6)}`,
    `INSERT INTO interest (id, name) SELECT seq, CONCAT('Interest ', seq) FROM ${of(6)}`,
    `INSERT INTO topic (id, name) SELECT seq, CONCAT('Topic ', seq) FROM ${of(4)}`,
    `INSERT INTO field (id, of, label, kind, position) VALUES (1, 'client', 'Holding', 'number', 1), (2, 'client', 'Woodland', 'number', 2),
      (3, 'client', 'Plan due', 'date', 3), (4, 'client', 'Region', 'choice', 4), (5, 'file', 'Budget', 'money', 1), (6, 'person', 'Born', 'date', 1)`,
    `INSERT INTO field_choice (id, field_id, label) SELECT seq, 4, CONCAT('Region ', seq) FROM ${of(8)}`,
    `INSERT INTO client (id, name, kind, status, service, place, postal, adviser_id)
      SELECT seq, CONCAT(ELT(${mod(6)}, 'Farrant', 'Pell', 'Oake', 'Wray', 'Ashgill', 'Hartsmere'), ' ', ELT(${mod(4, 'seq DIV 7')}, 'Estate', 'Farm', 'Trust', 'Council'), ' ', seq),
        'estate', IF(${dice('status')} < 80, 'active', IF(${dice('status')} < 92, 'past', 'prospect')),
        ELT(${mod(4, "CRC32(CONCAT('service', seq))")}, 'Retainer', 'Project', 'Hourly', 'None yet'), CONCAT('Place ', MOD(seq, 5000)),
        CONCAT('["The House","Q', MOD(seq, 20), ' ', MOD(seq, 9), 'AB"]'), ${mod(20, "CRC32(CONCAT('adviser', seq))")} FROM ${of(clients)}`,
    `INSERT INTO person (id, first_name, last_name) SELECT seq, ELT(${mod(5)}, 'Idris', 'Odile', 'Cosmo', 'Bryony', 'Dunstan'), CONCAT('Name', seq) FROM ${of(people)}`,
    `INSERT INTO address (person_id, email, email_key, current) SELECT seq, CONCAT('p', seq, '@mail.example'), CONCAT('p', seq, '@mail.example'), ${dice('current')} < 90 FROM ${of(people)}`,
    `INSERT INTO client_person (client_id, person_id, role, position, writes) SELECT ${mod(clients)}, seq, ELT(${mod(4, "CRC32(CONCAT('role', seq))")}, 'owner', 'agent', 'solicitor', ''), 0, seq <= ${clients} FROM ${of(people)}`,
    `INSERT INTO file (id, number, title, client_id, adviser_id, stage_id, general, opened, closed)
      SELECT seq, CONCAT('F', seq), CONCAT('Work ', seq), ${mod(clients)}, ${mod(20, "CRC32(CONCAT('fa', seq))")}, ${mod(6, "CRC32(CONCAT('stage', seq))")}, seq <= ${clients},
        '2024-01-01' + INTERVAL MOD(seq, 900) DAY, IF(${dice('closed')} < 60 AND seq > ${clients}, '2026-01-01', NULL) FROM ${of(files)}`,
    `INSERT INTO client_interest (client_id, interest_id) SELECT seq, i FROM ${of(clients)}, (SELECT seq AS i FROM seq_1_to_6) x WHERE (CRC32(CONCAT(i, 'likes', seq)) % 100) < 25`,
    `INSERT INTO delivery (client_id, kind, way) SELECT seq, 'mailings', ELT(${mod(4, "CRC32(CONCAT('way', seq))")}, 'email', 'post', 'both', 'none') FROM ${of(clients)} WHERE ${dice('said')} < 40`,
    `INSERT INTO client_field_value (client_id, field_id, number_value) SELECT seq, 1, MOD(CRC32(CONCAT('h', seq)), 5000) / 10 FROM ${of(clients)}`,
    `INSERT INTO client_field_value (client_id, field_id, number_value) SELECT seq, 2, MOD(CRC32(CONCAT('w', seq)), 300) / 10 FROM ${of(clients)} WHERE ${dice('wood')} < 80`,
    `INSERT INTO client_field_value (client_id, field_id, date_value) SELECT seq, 3, '2026-06-01' + INTERVAL MOD(CRC32(CONCAT('d', seq)), 730) DAY FROM ${of(clients)}`,
    `INSERT INTO client_field_value (client_id, field_id, choice_id) SELECT seq, 4, ${mod(8, "CRC32(CONCAT('r', seq))")} FROM ${of(clients)}`,
    `INSERT INTO file_field_value (file_id, field_id, number_value) SELECT seq, 5, MOD(CRC32(CONCAT('b', seq)), 9000) FROM ${of(files)}`,
    `INSERT INTO person_field_value (person_id, field_id, date_value) SELECT seq, 6, '1950-01-01' + INTERVAL MOD(seq, 20000) DAY FROM ${of(people)}`,
    `INSERT INTO fee_note (client_id, number, issued_on, due_on, amount, paid_on) SELECT ${mod(clients)}, CONCAT('N', seq), '2026-01-01' + INTERVAL MOD(seq, 300) DAY, '2026-02-01' + INTERVAL MOD(seq, 300) DAY, 100 + MOD(seq, 900), IF(${dice('paid')} < 85, '2026-06-01', NULL) FROM ${of(2 * clients)}`,
    `INSERT INTO conversation (id) SELECT seq FROM ${of(messages / 4)}`,
    `INSERT INTO raw (hash, size, packed) VALUES (UNHEX(SHA2('bench', 256)), 1, '')`,
    `INSERT INTO message (id, identity, family, raw_hash, conversation_id, direction, at, from_name, from_address, to_words, subject, base_subject, snippet, state, decided_at, evidence, candidates, taken_in_at, waits)
      SELECT seq, UNHEX(SHA2(seq, 256)), UNHEX(SHA2(seq, 256)), UNHEX(SHA2('bench', 256)), 1 + seq DIV 4, IF(MOD(seq, 2), 'received', 'sent'),
        '2026-11-26' - INTERVAL MOD(seq * 7919, 1500) DAY, '', 'p@mail.example', '', CONCAT('Subject ', MOD(seq, 1000)), '', '', 'logged', '2026-11-26', '[]', '[]', '2026-11-26',
        IF(MOD(seq, 97) = 0, 'we', NULL) FROM ${of(messages)}`,
    `INSERT INTO filing (message_id, file_id, at, client_id, spoken)
      SELECT seq, ${mod(files)}, '2026-11-26' - INTERVAL MOD(seq * 7919, 1500) DAY, 1 + MOD(MOD(seq, ${files}), ${clients}), IF(MOD(seq, 2), 'client', 'us') FROM ${of(messages)}`,
    `UPDATE filing JOIN file ON file.id = filing.file_id SET filing.client_id = file.client_id WHERE filing.client_id <> file.client_id`,
    `INSERT INTO mailbox (id, staff_id, address, name, imap_host, imap_port, smtp_host, smtp_port, user, sealed_password) VALUES (1, 1, 'a@firm.example', '', '', 1, '', 1, '', '')`,
    `INSERT INTO selection (id, owner_id, tree, saved_at) SELECT seq, 1, '{}', NOW() FROM ${of(8)}`,
    `INSERT INTO mailing (id, name, owner_id, topic_id, selection_id, subject, body, file_choice, state, saved_at) SELECT seq, CONCAT('Mailing ', seq), 1, ${mod(4)}, seq, '{}', '{}', 'general', 'finished', NOW() FROM ${of(8)}`,
    `INSERT INTO dispatch (kind, mailing_id, client_id, person_id, mailbox_id, file_id, to_name, to_address, message_id, facts, state, next_at, sent_at)
      SELECT 'mailing', m, seq, seq, 1, seq, '', '', CONCAT('m', m, '-', seq), '{}', 'sent', NOW(), '2026-03-01' + INTERVAL m MONTH FROM ${of(clients)}, (SELECT seq AS m FROM seq_1_to_8) x WHERE (CRC32(CONCAT('mailed', m, seq)) % 100) < 20`,
    'ANALYZE TABLE client, person, address, client_person, file, client_interest, delivery, client_field_value, file_field_value, fee_note, message, filing, mailing, dispatch',
  ];
  await db.transaction(async (trx) => {
    await trx.raw('SET foreign_key_checks = 0, unique_checks = 0');
    for (const step of steps) await trx.raw(step);
    await trx.raw('SET foreign_key_checks = 1, unique_checks = 1');
  });
}

/** The question of the office manager's morning, eight lines, two of them through what hangs on the client. */
const EIGHT: Line[] = [
  { fact: 'client.status', test: { op: 'one of', values: ['active'] } },
  { fact: 'field:2', test: { op: 'at least', value: 10 } },
  { fact: 'client.service', test: { op: 'one of', values: [1, 2] } },
  { fact: 'field:3', test: { op: 'from until', from: '2026-12-01', to: '2027-02-28' } },
  { fact: 'client.interests', test: { op: 'one of', values: [2] } },
  { fact: 'client.mailings', test: { op: 'one of', values: ['email', 'both'] } },
  {
    through: 'client.files',
    has: true,
    of: [
      { fact: 'file.isOpen', test: { op: 'yes' } },
      { fact: 'file.stage', test: { op: 'one of', values: [3, 4] } },
    ],
  },
  {
    through: 'client.mailed',
    has: false,
    of: [
      { fact: 'mailing.topic', test: { op: 'one of', values: [2] } },
      { fact: 'mailing.sent', test: { op: 'from', day: '2026-09-01' } },
    ],
  },
];

/** The same by hand, as the best of a dozen ways we tried: from the narrowest index on, in the order of the clients. */
const BY_HAND = `FROM (SELECT client_id FROM client_field_value WHERE field_id = 3 AND date_value BETWEEN '2026-12-01' AND '2027-02-28'
    ORDER BY client_id LIMIT 10000000) due
  STRAIGHT_JOIN client_interest likes ON likes.client_id = due.client_id AND likes.interest_id = 2
  STRAIGHT_JOIN client ON client.id = due.client_id AND client.status = 'active' AND client.service IN ('Retainer', 'Project')
  STRAIGHT_JOIN client_field_value wood ON wood.client_id = client.id AND wood.field_id = 2 AND wood.number_value >= 10
  LEFT JOIN delivery ON delivery.client_id = client.id AND delivery.kind = 'mailings'
  WHERE (delivery.way IS NULL OR delivery.way IN ('email', 'both'))
    AND (SELECT 1 FROM file WHERE file.client_id = client.id AND file.closed IS NULL AND file.stage_id IN (3, 4) LIMIT 1) IS NOT NULL
    AND (SELECT 1 FROM dispatch JOIN mailing ON mailing.id = dispatch.mailing_id AND mailing.topic_id = 2
      WHERE dispatch.client_id = client.id AND dispatch.state IN ('sent', 'returned') AND dispatch.sent_at >= '2026-08-31 23:00:00' LIMIT 1) IS NULL`;

const PAGE = { offset: 0, limit: 50 };
const COLUMNS = ['client.name', 'client.adviser', 'client.service', 'field:2', 'field:3'];

async function timed(rounds: number, work: () => Promise<unknown>): Promise<number[]> {
  const times: number[] = [];
  await work();
  for (let at = 0; at < rounds; at++) {
    const began = performance.now();
    await work();
    times.push(performance.now() - began);
  }
  return times;
}

/** Selecting among the records of a large firm, beside the best SQL by hand for the same question. */
export async function benchSelection(clients = CLIENTS): Promise<void> {
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-bench-'));
  const mariadb = await startMariaDB(join(dir, 'mariadb'));
  const url = mariadb.url('bench');
  await ensureDatabase(url);
  const db = openDatabase(url, { patience: 0 });
  try {
    await migrate(db);
    console.log(`Making ${clients.toLocaleString('en-GB')} clients and what hangs on them …`);
    await load(db, clients);
    const today = '2026-11-26';
    const running = await runningFor(db, { zone: ZONE, me: 3, today });
    await eight(db, running, clients);
    await lines(db, running);
    await lists(db, running, clients);
  } finally {
    await db.destroy();
    await mariadb.stop();
    rmSync(dir, { recursive: true, force: true });
  }
}

async function eight(db: Database, running: Running, clients: number): Promise<void> {
  const selection = { ...selectionOf(...EIGHT), past: false };
  const hand = async () => {
    const [[count]] = (await db.raw(`SELECT COUNT(*) AS n ${BY_HAND}`)) as [[{ n: number }]];
    await db.raw(`SELECT client.id, client.name ${BY_HAND} ORDER BY client.name LIMIT 50`);
    return count.n;
  };
  const ours = async () => {
    const order = { by: 'client.name', order: 'asc' as const };
    return (await resultPage(db, selection, COLUMNS, order, PAGE, running)).total;
  };
  const [byHand, byUs] = [await hand(), await ours()];
  if (byHand !== byUs) throw new Error(`by hand ${byHand}, by us ${byUs}`);
  console.log(`The eight lines leave ${byUs} clients.`);
  const limit = await timed(ROUNDS, hand);
  const taken = await timed(ROUNDS, ours);
  const column = await timed(ROUNDS, () => columnOf(db, selection, running));
  row('limit: count and first page, by hand', limit);
  row('count and first page', taken);
  row('all running counts', column);
  await explain(db, (await selected(db, selection, running)).query().select('client.id'), 'the eight lines');
  result('selection', {
    clients,
    limit: quantile(limit, 0.5),
    ours: quantile(taken, 0.5),
    slowest: quantile(taken, 0.99),
    ratio: quantile(taken, 0.5) / quantile(limit, 0.5),
    column: quantile(column, 0.5),
  });
}

/** Lines that are dear by themselves: each alone over all clients. */
const DEAR: Record<string, Line> = {
  'not heard from for a year': {
    fact: 'client.heard',
    test: { op: 'longer ago than', count: 1, unit: 'years' },
  },
  'heard from in the last month': {
    fact: 'client.heard',
    test: { op: 'in the last', count: 1, unit: 'months' },
  },
  'we owe an answer': { fact: 'client.weOwe', test: { op: 'yes' } },
  'more than 500 open': { fact: 'client.open', test: { op: 'at least', value: 500 } },
  'overdue for 60 days': { fact: 'client.overdue', test: { op: 'at least', value: 60 } },
  'words anywhere': { fact: 'client.words', test: { op: 'contains', text: 'name2499' } },
  'an agent with an address': {
    through: 'client.people',
    has: true,
    of: [
      { fact: 'role', test: { op: 'is', text: 'agent' } },
      { fact: 'person.email', test: { op: 'yes' } },
    ],
  },
  'no message from them since June': {
    through: 'client.messages',
    has: false,
    of: [
      { fact: 'message.from', test: { op: 'one of', values: ['client'] } },
      { fact: 'message.at', test: { op: 'from', day: '2026-06-01' } },
    ],
  },
  'none of three': { match: 'none', of: EIGHT.slice(1, 4) },
  'within a district': { fact: 'client.postcode', test: { op: 'within', text: 'Q1' } },
};

async function lines(db: Database, running: Running): Promise<void> {
  let slowest = { name: '', time: 0, selection: selectionOf() };
  for (const [name, line] of Object.entries(DEAR)) {
    const selection = selectionOf(line);
    const times = await timed(5, async () => countOf((await selected(db, selection, running)).query()));
    row(`${name}: count over all`, times);
    const time = quantile(times, 0.5);
    if (time > slowest.time) slowest = { name, time, selection };
  }
  await explain(
    db,
    (await selected(db, slowest.selection, running)).query().select('client.id'),
    slowest.name,
  );
  result('selection-lines', { slowest: slowest.time });
}

/** The columns that the list of clients shows to whoever has not chosen. */
const CLIENTS_LIST = {
  columns: 'client.place,client.adviser,client.service,client.openFiles,client.spoken',
};

async function lists(db: Database, running: Running, clients: number): Promise<void> {
  const first = await timed(ROUNDS, () => listClients(db, ClientQuery.parse(CLIENTS_LIST), running));
  const words = await timed(ROUNDS, () =>
    listClients(db, ClientQuery.parse({ ...CLIENTS_LIST, q: 'Pell Trust 40' }), running),
  );
  const deep = await timed(ROUNDS, () =>
    listClients(
      db,
      ClientQuery.parse({ ...CLIENTS_LIST, sort: 'client.adviser', offset: 50 * Math.floor(clients / 55) }),
      running,
    ),
  );
  row('the list of clients, first page', first);
  row('the list of clients, by words', words);
  row('the list of clients, far on, by adviser', deep);
  result('selection-lists', {
    first: quantile(first, 0.5),
    words: quantile(words, 0.5),
    deep: quantile(deep, 0.5),
  });
}

async function explain(db: Database, query: Knex.QueryBuilder, what: string): Promise<void> {
  const { sql, bindings } = query.toSQL();
  const [plan] = (await db.raw(`EXPLAIN ${sql}`, bindings as Knex.RawBinding[])) as [
    {
      id: number;
      select_type: string;
      table: string;
      type: string;
      key: string;
      rows: number;
      Extra: string;
    }[],
  ];
  console.log(`EXPLAIN of ${what}:`);
  for (const each of plan)
    console.log(
      `  ${each.id} ${each.select_type.padEnd(20)} ${String(each.table).padEnd(14)} ${String(each.type).padEnd(8)} ${String(each.key).padEnd(26)} ${String(each.rows).padStart(8)}  ${each.Extra}`,
    );
}
