import type { Knex } from 'knex';
import type { StaffMember } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../foundation/sources.ts';
import { heldWording, keepVersion, wordingsFor } from './cupboard.ts';
import { addEnclosure, enclosureName, enclosureType } from './enclosures.ts';

/** As much as a mailing may carry. */
const MOST_BYTES = 10 * 1024 * 1024;
const EMPTY = { type: 'doc', content: [{ type: 'paragraph' }] };

/** What a person hands over to be kept. */
export interface Handed {
  filename: string;
  type: string;
  content: Buffer;
}

/** The columns of a wording that an enclosure's content is, kept once. @throws Refusal when it is empty or too large */
async function keptContent(trx: Transaction, { filename, type, content }: Handed) {
  if (!content.length) throw new Refusal(400, 'That file is empty.');
  if (content.length > MOST_BYTES)
    throw new Refusal(
      413,
      'That is larger than 10 MB, which is more than a message should carry. Put a link to it instead.',
    );
  const packed = await packRaw(content);
  await storeRaw(trx, [packed]);
  return { filename: enclosureName(filename), mime_type: enclosureType(type), hash: packed.hash };
}

/** Keeps a file in the cupboard, named as it is; another of that name stands beside it. @returns its number */
export async function keepEnclosure(db: Database, staff: StaffMember, file: Handed): Promise<number> {
  return transact(db, async (trx) => {
    const content = await keptContent(trx, file);
    const name = content.filename.replace(/\.[^.]{1,8}$/, '').slice(0, 110) || content.filename;
    for (let more = 1; ; more++) {
      const row = {
        kind: 'enclosure' as const,
        name: more === 1 ? name : `${name} (${more})`,
        staff_id: staff.id,
        subject: toJson('wording.subject', EMPTY),
        body: toJson('wording.body', EMPTY),
        changed_at: new Date(),
        ...content,
      };
      try {
        const [id = 0] = await trx('wording').insert(row);
        await noteAudit(trx, {
          staffId: staff.id,
          action: 'wording kept',
          subject: 'wording',
          id,
          after: { name: row.name },
        });
        return id;
      } catch (error) {
        if (!isDuplicate(error) || more >= 50) throw error;
      }
    }
  });
}

/**
 * Puts a newer file in the place of what an enclosure holds, which is kept beside it.
 * @returns its new version
 * @throws Refusal when it is none, a colleague's, or was changed meanwhile
 */
export async function replaceContent(
  db: Database,
  staff: StaffMember,
  id: number,
  version: number,
  file: Handed,
): Promise<number> {
  return transact(db, async (trx) => changeContent(trx, staff, id, version, await keptContent(trx, file)));
}

/** An earlier content again; what it holds now is kept beside it. @returns its new version @throws as {@link replaceContent} */
export async function bringContentBack(
  db: Database,
  staff: StaffMember,
  id: number,
  version: number,
  to: number,
): Promise<number> {
  return transact(db, async (trx) => {
    const before = await trx('wording_version')
      .where({ wording_id: id, version: to })
      .first('filename', 'mime_type', 'hash');
    if (!before?.hash) throw notFound('That earlier file');
    return changeContent(trx, staff, id, version, before);
  });
}

async function changeContent(
  trx: Transaction,
  staff: StaffMember,
  id: number,
  version: number,
  content: { filename: string | null; mime_type: string | null; hash: Buffer | null },
): Promise<number> {
  const row = await heldWording(trx, staff, id, version);
  if (row.kind !== 'enclosure') throw notFound('That enclosure');
  if (row.hash?.equals(content.hash ?? Buffer.alloc(0)) && row.filename === content.filename)
    throw new Refusal(409, 'That is the very file it holds already.');
  await keepVersion(trx, staff, row);
  await trx('wording')
    .where({ id })
    .update({ ...content, version: version + 1, changed_at: new Date() });
  await noteAudit(trx, {
    staffId: staff.id,
    action: 'wording changed',
    subject: 'wording',
    id,
    before: { name: row.name, filename: row.filename },
    after: { name: row.name, filename: content.filename },
  });
  return version + 1;
}

/** What an enclosure holds, or held. @param version null for now @throws Refusal when there is none, or it is a colleague's alone */
export async function readContent(db: Knex, staff: StaffMember, id: number, version: number | null) {
  const now = await wordingsFor(db, staff.id).where('wording.id', id).first('filename', 'mime_type', 'hash');
  const row =
    now && version !== null
      ? await db('wording_version').where({ wording_id: id, version }).first('filename', 'mime_type', 'hash')
      : now;
  if (!row?.hash) throw notFound('That enclosure');
  return {
    filename: row.filename ?? 'enclosure',
    type: row.mime_type ?? 'application/octet-stream',
    content: await readRaw(db, row.hash),
  };
}

/** Kept enclosures as they are put into a message, in the order asked for. @throws Refusal when one is not there for this person */
export async function keptEnclosures(db: Knex, staff: StaffMember, ids: readonly number[]) {
  const rows = await select(
    wordingsFor(db, staff.id)
      .join('raw', 'raw.hash', 'wording.hash')
      .where('wording.kind', 'enclosure')
      .whereIn('wording.id', [...ids]),
    {
      id: 'wording.id',
      filename: 'wording.filename',
      mime_type: 'wording.mime_type',
      hash: 'wording.hash',
      size: 'raw.size',
    },
  );
  return [...new Set(ids)].map((id) => {
    const row = rows.find((each) => each.id === id);
    if (!row?.hash) throw notFound('One of these enclosures');
    return {
      ...{ id, size: row.size, hash: row.hash },
      filename: row.filename ?? 'enclosure',
      mimeType: row.mime_type ?? 'application/octet-stream',
    };
  });
}

/** Encloses kept files with a draft, as they are now. @throws as {@link addEnclosure} does */
export async function encloseKept(
  db: Knex,
  staff: StaffMember,
  draftId: number,
  ids: readonly number[],
): Promise<void> {
  for (const { filename, mimeType, hash } of await keptEnclosures(db, staff, ids))
    await addEnclosure(db, staff.id, draftId, filename, mimeType, await readRaw(db, hash));
}
