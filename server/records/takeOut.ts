import type { Writable } from 'node:stream';
import ExcelJS from 'exceljs';
import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { TakeOut } from '../../contract/index.ts';
import { ICAL } from '../../core/office/ical.ts';
import { factsAbout, type SelectableFact } from '../../core/selection/catalogue.ts';
import { cellWords } from '../../core/selection/cells.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { noteAudit } from '../foundation/audit.ts';
import { CSV_MARK, csvLines } from '../foundation/csv.ts';
import { fromJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy, select } from '../foundation/rows.ts';
import { refuseBroken, runningNow, selectionCatalogue } from '../selection/catalogue.ts';
import { selected, type Running } from '../selection/query.ts';
import { ordered, readCells, type Cell } from '../selection/results.ts';

/** So many records are read at a time: a large list is never whole in memory. */
const CHUNK = 1000;

/** A file about to be handed over. */
export interface TakenOut {
  type: string;
  filename: string;
  write(to: Writable): Promise<void>;
}

const TYPES: Record<TakeOut['format'], string> = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  vcf: 'text/vcard; charset=utf-8',
};

/**
 * Those of a selection as a file: RFC 4180 for spreadsheets and other programs, XLSX, or vCard 4 (RFC 6350). What a
 * spreadsheet would carry out as a formula is made harmless. Who took how many out is noted.
 * @throws Refusal when the selection is broken, or cards are wanted of files
 */
export async function takeOut(db: Knex, staffId: number, wanted: TakeOut): Promise<TakenOut> {
  const { selection, format } = wanted;
  if (format === 'vcf' && selection.subject === 'file')
    throw new Refusal(400, 'Cards are made of people: pick out clients or people.', 'format');
  await refuseBroken(db, staffId, selection, [...wanted.columns, wanted.sort]);
  const running = await runningNow(db, staffId);
  const { query } = await selected(db, selection, running);
  const order = { by: wanted.sort, order: wanted.order };
  const ids = (await ordered(query(), selection.subject, running, order).pluck(
    `${selection.subject}.id`,
  )) as number[];
  await noteAudit(db, {
    staffId,
    action: 'list taken out',
    subject: 'selection',
    id: 0,
    after: { name: wanted.name, format, records: ids.length, selection },
  });
  const known = factsAbout(await selectionCatalogue(db, staffId), selection.subject);
  const facts = wanted.columns.flatMap((key) => known.find((fact) => fact.key === key) ?? []);
  const make = { csv: writeCsv, xlsx: writeXlsx, vcf: writeCards }[format];
  const name = wanted.name.replace(/[^\p{L}\p{N} _-]+/gu, ' ').trim() || 'list';
  return {
    type: TYPES[format],
    filename: `${name}.${format}`,
    write: async (to) => {
      await make({ db, selection, ids, facts, running }, to);
      to.end();
    },
  };
}

interface Making {
  db: Knex;
  selection: Selection;
  ids: readonly number[];
  facts: readonly SelectableFact[];
  running: Running;
}

async function inChunks(
  ids: readonly number[],
  work: (some: readonly number[]) => Promise<void>,
): Promise<void> {
  for (let at = 0; at < ids.length; at += CHUNK) await work(ids.slice(at, at + CHUNK));
}

async function written(to: Writable, text: string): Promise<void> {
  if (!to.write(text)) await new Promise((resolve) => to.once('drain', resolve));
}

/** A day as other programs read it; `2026-11-26`. */
const plainDay = (zone: string) => (value: string) =>
  /^\d{4}-\d{2}-\d{2}$/.test(value) ? value : (DateTime.fromISO(value, { zone }).toISODate() ?? value);

async function writeCsv({ db, selection, ids, facts, running }: Making, to: Writable): Promise<void> {
  const day = plainDay(running.zone);
  // A number below nothing is no formula.
  const text = (value: Cell, fact: SelectableFact): string | number =>
    typeof value === 'number' && !fact.options.length && fact.kind !== 'yes or no'
      ? value
      : cellWords(value, { ...fact, unit: '' }, day);
  await written(to, `${CSV_MARK}${csvLines([facts.map(headOf)])}`);
  await inChunks(ids, async (some) => {
    const keys = facts.map(({ key }) => key);
    const rows = await readCells(db, selection.subject, some, keys, running);
    await written(
      to,
      csvLines(rows.map(({ cells }) => facts.map((fact, at) => text(cells[at] ?? null, fact)))),
    );
  });
}

const headOf = ({ label, unit }: SelectableFact) => (unit ? `${label}, ${unit}` : label);

async function writeXlsx({ db, selection, ids, facts, running }: Making, to: Writable): Promise<void> {
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ stream: to, useSharedStrings: false });
  const sheet = book.addWorksheet('List', { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = facts.map((fact) => ({
    header: headOf(fact),
    width: Math.max(12, headOf(fact).length + 2),
  }));
  sheet.getRow(1).font = { bold: true };
  const day = plainDay(running.zone);
  const value = (cell: Cell, fact: SelectableFact): string | number | Date | null => {
    if (cell === null || cell === '') return null;
    if (fact.kind === 'day' || fact.kind === 'time') return new Date(`${day(String(cell))}T00:00:00Z`);
    if (typeof cell === 'number' && (fact.kind === 'number' || fact.kind === 'money')) return cell;
    // A text is a text here, whatever it begins with.
    return cellWords(cell, { ...fact, unit: '' }, day);
  };
  await inChunks(ids, async (some) => {
    const keys = facts.map(({ key }) => key);
    for (const { cells } of await readCells(db, selection.subject, some, keys, running)) {
      const row = sheet.addRow(facts.map((fact, at) => value(cells[at] ?? null, fact)));
      facts.forEach((fact, at) => {
        if (fact.kind === 'day' || fact.kind === 'time') row.getCell(at + 1).numFmt = 'yyyy-mm-dd';
      });
      row.commit();
    }
  });
  sheet.commit();
  await book.commit();
}

/** One card a person; of clients those of all their people. */
async function writeCards({ db, selection, ids }: Making, to: Writable): Promise<void> {
  await inChunks(ids, async (some) => {
    const people = await select(
      db('person')
        .leftJoin('client_person', 'client_person.person_id', 'person.id')
        .leftJoin('client', 'client.id', 'client_person.client_id')
        .whereIn(selection.subject === 'client' ? 'client.id' : 'person.id', [...some])
        .orderBy(['client.name', 'client_person.position', 'person.id']),
      {
        id: 'person.id',
        first: 'person.first_name',
        last: 'person.last_name',
        title: 'person.title',
        role: 'client_person.role?',
        client: 'client.name?',
        postal: 'client.postal?',
        country: 'client.country?',
      },
    );
    const personIds = people.map(({ id }) => id);
    const [addresses, phones] = await Promise.all([
      db('address').whereIn('person_id', personIds).where({ current: 1 }).orderBy('position'),
      db('phone').whereIn('person_id', personIds).orderBy('position'),
    ]);
    const emailsOf = groupBy(addresses, (row) => row.person_id);
    const phonesOf = groupBy(phones, (row) => row.person_id ?? 0);
    for (const group of groupBy(people, ({ id }) => id).values()) {
      const [person] = group;
      if (!person) continue;
      const clients = [...new Set(group.flatMap(({ client }) => client ?? []))];
      const postal = person.postal === null ? [] : fromJson('client.postal', person.postal);
      await written(
        to,
        `${cardOf({
          ...person,
          clients,
          postal,
          country: person.country ?? '',
          emails: (emailsOf.get(person.id) ?? []).map(({ email }) => email),
          phones: (phonesOf.get(person.id) ?? []).map(({ number }) => number),
        })}\r\n`,
      );
    }
  });
}

interface Card {
  first: string;
  last: string;
  title: string;
  role: string | null;
  clients: readonly string[];
  postal: readonly string[];
  country: string;
  emails: readonly string[];
  phones: readonly string[];
}

/** A person as a card: vCard 4.0 (RFC 6350). */
export function cardOf({ first, last, title, role, clients, postal, country, emails, phones }: Card): string {
  const card = new ICAL.Component('vcard');
  const add = (name: string, value: string | string[], type = 'text') => {
    const property = new ICAL.Property(name, card);
    property.resetType(type);
    property.setValue(value);
    card.addProperty(property);
  };
  add('version', '4.0');
  add('fn', [title, first, last].filter(Boolean).join(' ') || clients[0] || 'No name');
  add('n', [last, first, '', title, '']);
  for (const client of clients) add('org', client);
  if (role) add('role', role);
  for (const email of emails) add('email', email);
  for (const phone of phones) add('tel', phone);
  if (postal.length) add('adr', ['', '', postal.join(', '), '', '', '', country]);
  return card.toString();
}
