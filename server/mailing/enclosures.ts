import type { Knex } from 'knex';
import type { MailingEnclosure, StaffMember } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { select, selectFirst } from '../foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import { enclosureName, enclosureType } from '../writing/enclosures.ts';
import { keptEnclosures } from '../writing/keptEnclosures.ts';

/** So much may go with every copy; more is turned away by some servers, and fills every mailbox (common practice). */
export const MOST_BYTES = 10 * 1024 * 1024;

/** What goes with every copy of a mailing, in the order in which it was added. */
export async function listEnclosures(db: Knex, mailingId: number): Promise<MailingEnclosure[]> {
  const own = db('mailing_enclosure')
    .join('raw', 'raw.hash', 'mailing_enclosure.hash')
    .leftJoin('wording', 'wording.id', 'mailing_enclosure.wording_id')
    .where('mailing_enclosure.mailing_id', mailingId)
    .orderBy('mailing_enclosure.id');
  const rows = await select(own, {
    id: 'mailing_enclosure.id',
    filename: 'mailing_enclosure.filename',
    size: 'raw.size',
    hash: 'mailing_enclosure.hash',
    now: 'wording.hash?',
  });
  return rows.map(({ hash, now, ...row }) => ({ ...row, newer: now !== null && !now.equals(hash) }));
}

/** The same with its bytes. */
export async function enclosuresFor(db: Knex, mailingId: number) {
  const rows = await db('mailing_enclosure').where({ mailing_id: mailingId }).orderBy('id');
  return Promise.all(
    rows.map(async (row) => ({
      filename: row.filename,
      contentType: row.mime_type,
      content: await readRaw(db, row.hash),
    })),
  );
}

/** Encloses a file with every copy. @throws Refusal when the mailing is no draft, or it would be too much */
export async function enclose(
  db: Knex,
  mailingId: number,
  file: { filename: string; type: string; content: Buffer },
): Promise<void> {
  if (!file.content.length) throw new Refusal(400, 'That file is empty.');
  const packed = await packRaw(file.content);
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    await storeRaw(trx, [packed]);
    await trx('mailing_enclosure').insert({
      mailing_id: mailingId,
      filename: enclosureName(file.filename),
      mime_type: enclosureType(file.type),
      hash: packed.hash,
    });
    await refuseTooMuch(trx, mailingId);
    await touched(trx, mailingId);
  });
}

/**
 * Encloses kept files with every copy, as they are now; those that go with it already stay as they are.
 * @throws Refusal when the mailing is no draft, it would be too much, or one is not there for this person
 */
export async function encloseKeptWithAll(
  db: Knex,
  staff: StaffMember,
  mailingId: number,
  wordingIds: readonly number[],
): Promise<void> {
  const kept = await keptEnclosures(db, staff, wordingIds);
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    const there = new Set(
      await trx('mailing_enclosure').where({ mailing_id: mailingId }).pluck('wording_id'),
    );
    const rows = kept.flatMap(({ id, filename, mimeType, hash }) =>
      there.has(id) ? [] : [{ mailing_id: mailingId, filename, mime_type: mimeType, hash, wording_id: id }],
    );
    if (!rows.length) return;
    await trx('mailing_enclosure').insert(rows);
    await refuseTooMuch(trx, mailingId);
    await touched(trx, mailingId);
  });
}

/** Takes the content that a kept enclosure has now. @throws as {@link encloseKeptWithAll} */
export async function renewEnclosure(
  db: Knex,
  staff: StaffMember,
  mailingId: number,
  id: number,
): Promise<void> {
  const row = await db('mailing_enclosure').where({ id, mailing_id: mailingId }).first('wording_id');
  if (!row?.wording_id) throw notFound('That enclosure');
  const [kept] = await keptEnclosures(db, staff, [row.wording_id]);
  if (!kept) throw notFound('That enclosure');
  const { filename, mimeType: mime_type, hash } = kept;
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    await trx('mailing_enclosure').where({ id }).update({ filename, mime_type, hash });
    await refuseTooMuch(trx, mailingId);
    await touched(trx, mailingId);
  });
}

/** @throws Refusal when a mailing carries too much: what was just added is not kept then */
async function refuseTooMuch(trx: Transaction, mailingId: number): Promise<void> {
  const all = await selectFirst(
    trx('mailing_enclosure')
      .join('raw', 'raw.hash', 'mailing_enclosure.hash')
      .where('mailing_enclosure.mailing_id', mailingId),
    { bytes: trx.raw<number | null>('SUM(raw.size)') },
  );
  if (Number(all?.bytes ?? 0) > MOST_BYTES)
    throw new Refusal(
      413,
      'Together the enclosures would be larger than 10 MB, which is more than a mailing should carry. Put a link to it instead.',
    );
}

/** Takes an enclosure off. @throws Refusal when the mailing is no draft, or has no such enclosure */
export async function takeOff(db: Knex, mailingId: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    if (!(await trx('mailing_enclosure').where({ id, mailing_id: mailingId }).delete()))
      throw notFound('That enclosure');
    await touched(trx, mailingId);
  });
}

/** Holds a draft while something of it is changed. @throws Refusal when there is none, or it is no draft any more */
export async function heldDraft(trx: Transaction, id: number): Promise<void> {
  const row = await trx('mailing').where({ id }).forUpdate().first('state');
  if (!row) throw notFound('That mailing');
  if (row.state !== 'draft')
    throw new Refusal(409, 'Only a draft can be changed: take the mailing back first.');
}

/** What somebody had as a test copy was the message as it was before. */
export async function touched(trx: Transaction, id: number): Promise<void> {
  await trx('mailing').where({ id }).update({ tested_at: null, saved_at: new Date() });
  await noteChange(trx, 'mailings', 'mailing', [id]);
}
