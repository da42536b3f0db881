import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type {
  FactInfo,
  FieldMatching,
  StaffMember,
  TemplateChange,
  TemplateRow,
  TemplatesPage,
  TemplateTry,
  TemplateView,
} from '../../contract/index.ts';
import type { z } from 'zod';
import type { WantedFields } from '../../contract/index.ts';
import { nameKey, rowsOfFact } from '../../core/docx/names.ts';
import { NOTE_FACTS, type Known, type RowsOf } from '../../core/facts/catalogue.ts';
import { factCatalogue, gatherFacts } from '../facts/gather.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf } from '../foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { hasOffice, pdfsOf, WITHOUT_OFFICE } from '../reading/office.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import { reach } from './reach.ts';
import { selectionOf } from '../../core/selection/tree.ts';

/** No document that is handed in may be larger, in bytes. */
export const MOST_DOCX = 20 * 1024 * 1024;
/** Filling one in may take so much longer than reading a message, in milliseconds. */
const PATIENCE = 20_000;
const DAMAGED = 'It cannot be read: it may be damaged. Save it anew with your word processor.';

type Fields = z.output<typeof WantedFields>;
type Record_ = Rows['docx_template'] & { owner: string };

/** What cannot be done here without LibreOffice; empty where it is installed. */
const without = () => (hasOffice() ? '' : WITHOUT_OFFICE);

function records(db: Knex) {
  return db('docx_template')
    .join('staff', 'staff.id', 'docx_template.owner_id')
    .whereNull('docx_template.gone_at')
    .select<Record_[]>('docx_template.*', 'staff.name as owner');
}

/** A page of the firm's templates, by their titles. */
export async function listTemplates(
  db: Knex,
  { offset, limit }: { offset: number; limit: number },
): Promise<TemplatesPage> {
  const [rows, total] = await Promise.all([
    records(db).orderBy(['docx_template.title', 'docx_template.id']).offset(offset).limit(limit),
    countOf(db('docx_template').whereNull('gone_at')),
  ]);
  return { total, rows: rows.map(asRow), without: without() };
}

function asRow(row: Record_): TemplateRow {
  const wanted = fromJson('docx_template.fields', row.fields);
  const { id, title, filename, size, owner } = row;
  return {
    ...{ id, title, filename, size, owner },
    savedAt: row.saved_at.toISOString(),
    fields: wanted.fields.length,
    unmatched: unmatchedOf(wanted, fromJson('docx_template.matching', row.matching)).length,
  };
}

/** Fields of which nobody has said what stands for them. */
export function unmatchedOf({ fields }: Fields, matching: FieldMatching): string[] {
  return fields.flatMap(({ name }) => {
    const match = matching[nameKey(name)];
    return match && (match.fact !== null || match.instead.trim()) ? [] : [name];
  });
}

/** One template with its fields. @throws Refusal when there is none of that number */
export async function viewTemplate(db: Knex, id: number): Promise<TemplateView> {
  const row = await readTemplate(db, id);
  return {
    ...asRow(row),
    wanted: fromJson('docx_template.fields', row.fields),
    matching: fromJson('docx_template.matching', row.matching),
    version: row.version,
    without: without(),
  };
}

/** @throws Refusal when there is none of that number */
export async function readTemplate(db: Knex, id: number): Promise<Record_> {
  const row = await records(db).where('docx_template.id', id).first();
  if (!row) throw notFound('That template');
  return row;
}

/**
 * The fields of a document that somebody hands in.
 * @throws Refusal in words: no document, damaged, too large, with macros, or with what cannot be filled in
 */
export async function readFields(content: Uint8Array): Promise<Fields> {
  if (!content.length) throw new Refusal(400, 'It is empty.', 'file');
  if (content.length > MOST_DOCX) throw new Refusal(413, 'It is larger than 20 MB.', 'file');
  const read = await pool.run('docxFields', [content], { time: PATIENCE }).catch((error: unknown) => {
    if (error instanceof CouldNotBeRead) return { refused: DAMAGED };
    throw error;
  });
  if ('refused' in read) throw new Refusal(400, read.refused, 'file');
  return read;
}

/** Takes a template in; what its fields stand for is guessed from their names. @returns its number */
export async function addTemplate(
  db: Database,
  staff: StaffMember,
  filename: string,
  content: Uint8Array,
): Promise<number> {
  const wanted = await readFields(content);
  const facts = await offeredFacts(db);
  const packed = await packRaw(content);
  return transact(db, async (trx) => {
    await storeRaw(trx, [packed]);
    const [id = 0] = await trx('docx_template').insert({
      title: filename.replace(/\.docx$/i, '').slice(0, 200) || 'Template',
      owner_id: staff.id,
      filename: filename.slice(0, 255),
      hash: packed.hash,
      size: content.length,
      fields: toJson('docx_template.fields', wanted),
      matching: toJson('docx_template.matching', guessed(wanted, facts, {})),
      saved_at: new Date(),
    });
    await noted(trx, staff, 'taken in', id, { filename });
    return id;
  });
}

/** Puts another document in the place of a template's; what was matched stays matched by its name. */
export async function replaceTemplate(
  db: Database,
  staff: StaffMember,
  id: number,
  filename: string,
  content: Uint8Array,
): Promise<void> {
  const wanted = await readFields(content);
  const facts = await offeredFacts(db);
  const packed = await packRaw(content);
  await transact(db, async (trx) => {
    const row = await held(trx, id);
    await storeRaw(trx, [packed]);
    const kept = fromJson('docx_template.matching', row.matching);
    await trx('docx_template')
      .where({ id })
      .update({
        filename: filename.slice(0, 255),
        hash: packed.hash,
        size: content.length,
        fields: toJson('docx_template.fields', wanted),
        matching: toJson('docx_template.matching', guessed(wanted, facts, kept)),
        version: row.version + 1,
        saved_at: new Date(),
      });
    await noted(trx, staff, 'replaced', id, { filename });
  });
}

/** Says what its fields stand for. @throws Refusal when somebody else changed it meanwhile, or a fact is unknown */
export async function changeTemplate(
  db: Database,
  staff: StaffMember,
  id: number,
  { version, title, matching }: TemplateChange,
): Promise<void> {
  const facts = new Set((await offeredFacts(db)).map(({ key }) => key));
  await transact(db, async (trx) => {
    const row = await held(trx, id);
    if (row.version !== version)
      throw new Refusal(409, 'Somebody else changed it meanwhile. Read it again before you go on.');
    const wanted = fromJson('docx_template.fields', row.fields);
    refuseMatching(wanted, matching, facts);
    await trx('docx_template')
      .where({ id })
      .update({
        title,
        matching: toJson('docx_template.matching', matching),
        version: version + 1,
        saved_at: new Date(),
      });
    await noted(trx, staff, 'matched', id, { title });
  });
}

/** @throws Refusal */
function refuseMatching({ fields }: Fields, matching: FieldMatching, facts: ReadonlySet<string>): void {
  for (const { name, inRow } of fields) {
    const fact = matching[nameKey(name)]?.fact ?? null;
    if (fact !== null && !facts.has(fact))
      throw new Refusal(400, `What stands for “${name}” is not known any more: choose another.`);
    if (rowsOfFact(fact) && !inRow)
      throw new Refusal(
        400,
        `There are several of what stands for “${name}”: it has to stand in a row of a table, which then repeats.`,
      );
  }
}

/** Takes a template out of the list; what was made of it stays. */
export async function dropTemplate(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await held(trx, id);
    const draft = await trx('paper_run').where({ template_id: id, state: 'draft' }).first('name');
    if (draft)
      throw new Refusal(409, `“${draft.name}” is being written with it. Choose other words there first.`);
    await trx('docx_template').where({ id }).update({ gone_at: new Date() });
    await noted(trx, staff, 'taken out', id);
  });
}

async function held(trx: Transaction, id: number): Promise<Rows['docx_template']> {
  const row = await trx('docx_template').where({ id }).whereNull('gone_at').forUpdate().first();
  if (!row) throw notFound('That template');
  return row;
}

async function noted(trx: Transaction, staff: StaffMember, action: string, id: number, after?: object) {
  await noteAudit(trx, { staffId: staff.id, action, subject: 'word-processor template', id, after });
  await noteChange(trx, 'paperwork');
}

/** What can stand for a field. */
export async function offeredFacts(db: Knex): Promise<FactInfo[]> {
  return [...(await factCatalogue(db)), ...NOTE_FACTS];
}

const letters = (words: string) => words.toLowerCase().replace(/[^\p{L}\d]/gu, '');

/** What fields stand for by their names: a fact that is called so, in whatever way it is written. */
function guessed({ fields }: Fields, facts: readonly FactInfo[], kept: FieldMatching): FieldMatching {
  return Object.fromEntries(
    fields.map(({ name, inRow }) => {
      const own = kept[nameKey(name)];
      const called = letters(name);
      const may = facts.filter(({ key }) => rowsOfFact(key) === null || inRow);
      // What repeats before what stands once, a label before the end of a key.
      const likely = inRow ? [may.filter(({ key }) => rowsOfFact(key)), may] : [may];
      const by = (words: (fact: FactInfo) => string) =>
        likely.flatMap((some) => some.filter((each) => letters(words(each)) === called));
      const [fact] = [
        ...by(({ label }) => label),
        ...by(({ key }) => key),
        ...by(({ key, source }) => (source === 'fee note' ? '' : (key.split('.').at(-1) ?? ''))),
      ];
      return [nameKey(name), own ?? { fact: fact?.key ?? null, instead: '' }];
    }),
  );
}

/** What a matching repeats rows for. */
export function rowsOfMatching(matching: FieldMatching): RowsOf[] {
  return [...new Set(Object.values(matching).flatMap(({ fact }) => rowsOfFact(fact) ?? []))];
}

/** The document itself, as it was handed in. */
export async function templateContent(db: Knex, id: number) {
  const row = await readTemplate(db, id);
  return { filename: row.filename, content: await readRaw(db, row.hash) };
}

/**
 * A template filled in for one client, or the first there is, as it would be made.
 * @throws Refusal when there is no client, or it cannot be filled in
 */
export async function tryTemplate(
  db: Database,
  staff: StaffMember,
  id: number,
  { clientId, matching, as }: TemplateTry,
): Promise<{ filename: string; content: Buffer; client: string }> {
  const row = await readTemplate(db, id);
  const [known, client] = await factsOfOne(db, staff, clientId, rowsOfMatching(matching));
  const [made] = await fillIn(await readRaw(db, row.hash), [known], matching);
  if (!made) throw new Refusal(500, DAMAGED);
  if (as === 'docx') return { filename: row.filename, content: Buffer.from(made.docx), client };
  if (!hasOffice()) throw new Refusal(400, WITHOUT_OFFICE);
  const [pdf] = await pdfsOf([made.docx]);
  if (!pdf) throw new Refusal(400, 'LibreOffice could not print it. Look at it as .docx.');
  return { filename: row.filename.replace(/\.docx$/i, '.pdf'), content: pdf, client };
}

async function factsOfOne(
  db: Database,
  staff: StaffMember,
  clientId: number | null,
  rows: readonly RowsOf[],
): Promise<[Known, string]> {
  const { zone } = await readFirm(db);
  const day = DateTime.now().setZone(zone).toISODate() ?? '';
  const id = clientId ?? (await db('client').where({ status: 'active' }).orderBy('name').first('id'))?.id;
  if (id === undefined) throw new Refusal(400, 'There is no client yet whose facts could be put in.');
  const asking = { kind: 'letter' as const, tone: null, id: 0, owner_id: staff.id };
  const [wanted] = await reach(db, asking, { selection: { ...selectionOf(), only: [id] }, day });
  if (!wanted) throw notFound('That client');
  const { fileId, adviserId, person, greeting, client } = wanted;
  const [known] = await gatherFacts(db, [{ clientId: id, fileId, adviserId, person, greeting }], rows);
  return [known ?? { words: {} }, client];
}

/**
 * A template filled in for each of some, in threads.
 * @throws Refusal when it cannot be
 */
export async function fillIn(
  template: Uint8Array,
  each: readonly Known[],
  matching: FieldMatching,
): Promise<{ docx: Uint8Array; missing: string[] }[]> {
  const made = await pool.run('mergeDocx', [template, each, matching], {
    urgent: false,
    time: PATIENCE + each.length * 500,
  });
  if ('refused' in made) throw new Refusal(400, made.refused);
  return made;
}
