import type { Knex } from 'knex';
import type { z } from 'zod';
import type {
  CupboardQuery,
  Enclosed,
  KeptWording,
  StaffMember,
  WordingDraft,
  WordingLook,
  WordingTried,
  WordingVersion,
  WordingsPage,
} from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { ROWS } from '../../core/facts/catalogue.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { noteAudit } from '../foundation/audit.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notAllowed, notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, insertAll, likePattern, select, selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { frameOf, readFirm } from '../foundation/firm.ts';
import { factCatalogue, gatherFacts } from '../facts/gather.ts';
import { aboutFile } from './facts.ts';
import { picturesFor, withPictures } from './pictures.ts';

/** Those that a person may use: the firm's, and their own. */
export function wordingsFor(db: Knex, staffId: number): Knex.QueryBuilder {
  return db('wording').where((any) => any.where('wording.own', 0).orWhere('wording.staff_id', staffId));
}

/** A page of the cupboard, by name. */
export async function listCupboard(
  db: Knex,
  staff: StaffMember,
  { kind, words, offset, limit }: z.output<typeof CupboardQuery>,
): Promise<WordingsPage> {
  const found = () => {
    const some = wordingsFor(db, staff.id).whereNot('wording.kind', 'note');
    if (kind) some.where('wording.kind', kind);
    if (words.trim()) {
      const pattern = likePattern(words.trim());
      some.where((any) =>
        any.where('wording.name', 'like', pattern).orWhere('wording.description', 'like', pattern),
      );
    }
    return some;
  };
  const [total, rows] = await Promise.all([
    countOf(found()),
    select(
      found()
        .leftJoin('staff', 'staff.id', 'wording.staff_id')
        .leftJoin('raw', 'raw.hash', 'wording.hash')
        .orderBy(['wording.kind', 'wording.name', 'wording.id'])
        .offset(offset)
        .limit(limit),
      {
        id: 'wording.id',
        kind: 'wording.kind',
        name: 'wording.name',
        description: 'wording.description',
        own: 'wording.own',
        letters: 'wording.letters',
        occasion: 'wording.occasion',
        owner: 'staff.name?',
        changedAt: 'wording.changed_at',
        filename: 'wording.filename',
        size: 'raw.size?',
      },
    ),
  ]);
  return {
    total,
    rows: rows.map(({ filename, size, ...row }) => ({
      ...row,
      own: Boolean(row.own),
      enclosed: enclosed(filename, size),
      changedAt: row.changedAt?.toISOString() ?? null,
    })),
  };
}

/** What an enclosure holds; null of what is none. */
function enclosed(filename: string | null, size: number | null): Enclosed | null {
  return filename === null || size === null ? null : { filename, size };
}

/** A wording as it is kept. @throws Refusal when there is none, or it is a colleague's alone */
export async function readWording(db: Knex, staff: StaffMember, id: number): Promise<KeptWording> {
  const row = await wordingsFor(db, staff.id).where('wording.id', id).first();
  if (!row) throw notFound('That wording');
  const [owner, content, goingWith] = await Promise.all([
    row.staff_id ? db('staff').where({ id: row.staff_id }).first('name') : undefined,
    row.hash ? db('raw').where({ hash: row.hash }).first('size') : undefined,
    enclosuresWith(db, staff.id, [id]),
  ]);
  return {
    id,
    kind: row.kind,
    name: row.name,
    description: row.description,
    own: Boolean(row.own),
    letters: row.letters,
    occasion: row.occasion,
    subject: fromJson('wording.subject', row.subject),
    body: fromJson('wording.body', row.body),
    version: row.version,
    owner: owner?.name ?? null,
    mine: mayChange(staff, row),
    enclosed: enclosed(row.filename, content?.size ?? null),
    enclosureIds: goingWith.map((each) => each.id),
    changedAt: row.changed_at?.toISOString() ?? null,
  };
}

/** The kept enclosures that go with templates, as far as a person may use them. */
export function enclosuresWith(db: Knex, staffId: number, wordingIds: readonly number[]) {
  return select(
    wordingsFor(db, staffId)
      .join('wording_enclosure', 'wording_enclosure.enclosure_id', 'wording.id')
      .whereIn('wording_enclosure.wording_id', [...wordingIds])
      .orderBy('wording.name'),
    { of: 'wording_enclosure.wording_id', id: 'wording.id', filename: 'wording.filename' },
  );
}

function mayChange(staff: StaffMember, row: { staff_id: number | null }): boolean {
  return row.staff_id === staff.id || may(staff.role, 'drop wordings');
}

function columns(draft: WordingDraft) {
  const { subject, body, occasion, kind, name, description, own, letters } = draft;
  return {
    ...{ kind, name, description, own, letters },
    occasion: draft.kind === 'template' ? occasion : null,
    subject: toJson('wording.subject', subject),
    body: toJson('wording.body', body),
    changed_at: new Date(),
  };
}

/** What stands in the way of a wording, at the field it is about. */
function refuseDouble(error: unknown): never {
  if (!isDuplicate(error)) throw error;
  throw /wording_occasion/.test((error as Error).message)
    ? new Refusal(409, 'Another template serves that already. Take it off there first.', 'occasion')
    : new Refusal(409, 'There is one of that name already.', 'name');
}

/** Says which enclosures go with a template. @throws Refusal when one is not there */
async function goWith(
  trx: Transaction,
  staff: StaffMember,
  id: number,
  { kind, own, enclosureIds }: WordingDraft,
): Promise<void> {
  const ids = kind === 'template' ? [...new Set(enclosureIds)] : [];
  const found = await wordingsFor(trx, staff.id)
    .where({ kind: 'enclosure' })
    .whereIn('id', ids)
    .select<{ id: number; own: number }[]>('id', 'own');
  // Whoever else took the template would go without it, and take it off by keeping a change.
  if (!own && found.some((each) => each.own))
    throw new Refusal(
      409,
      'A file that is yours alone goes with no template that is everybody’s.',
      'enclosureIds',
    );
  if (found.length < ids.length)
    throw new Refusal(409, 'An enclosure that goes with it has been thrown away meanwhile.', 'enclosureIds');
  await trx('wording_enclosure').where({ wording_id: id }).delete();
  await insertAll(
    trx,
    'wording_enclosure',
    ids.map((enclosure_id) => ({ wording_id: id, enclosure_id })),
  );
}

/** Keeps a new wording. @returns its number @throws Refusal when there is one of that name already */
export async function keepWording(db: Database, staff: StaffMember, draft: WordingDraft): Promise<number> {
  if (draft.kind === 'enclosure') throw new Refusal(400, 'An enclosure is kept as a file.');
  return transact(db, async (trx) => {
    const [id = 0] = await trx('wording')
      .insert({ ...columns(draft), staff_id: staff.id })
      .catch(refuseDouble);
    await goWith(trx, staff, id, draft);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'wording kept',
      subject: 'wording',
      id,
      after: { name: draft.name },
    });
    return id;
  });
}

/** A wording held to be changed. @throws Refusal when it is none, a colleague's, or was changed meanwhile */
export async function heldWording(
  trx: Transaction,
  staff: StaffMember,
  id: number,
  version: number,
): Promise<Rows['wording']> {
  const row = await trx('wording').where({ id }).forUpdate().first();
  if (!row || (row.own && row.staff_id !== staff.id)) throw notFound('That wording');
  if (!mayChange(staff, row)) throw notAllowed('drop wordings');
  if (row.version !== version)
    throw new Refusal(
      409,
      'A colleague has changed this wording meanwhile. Copy your words, then open it again.',
    );
  return row;
}

/** Keeps what a wording is now beside it, before it is changed. */
export async function keepVersion(trx: Transaction, staff: StaffMember, row: Rows['wording']): Promise<void> {
  const { id, version, name, subject, body, filename, mime_type, hash } = row;
  await trx('wording_version').insert({
    ...{ wording_id: id, version, name, subject, body, filename, mime_type, hash },
    changed_at: new Date(),
    changed_by: staff.id,
  });
}

/**
 * Changes a wording; what it was is kept beside it.
 * @returns its new version
 * @throws Refusal when somebody changed it meanwhile, or it is a colleague's
 */
export async function saveWording(
  db: Database,
  staff: StaffMember,
  id: number,
  draft: WordingDraft,
  version: number,
): Promise<number> {
  return transact(db, async (trx) => {
    const row = await heldWording(trx, staff, id, version);
    if ((row.kind === 'enclosure') !== (draft.kind === 'enclosure'))
      throw new Refusal(409, 'A file stays a file, and words stay words.', 'kind');
    const now = columns(draft);
    if (now.body !== row.body || now.subject !== row.subject || now.name !== row.name)
      await keepVersion(trx, staff, row);
    await trx('wording')
      .where({ id })
      .update({ ...now, version: version + 1 })
      .catch(refuseDouble);
    await goWith(trx, staff, id, draft);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'wording changed',
      subject: 'wording',
      id,
      before: { name: row.name },
      after: { name: draft.name },
    });
    return version + 1;
  });
}

/** Throws a wording away. @throws when a colleague keeps it and one's role gives no right to theirs */
export async function dropWording(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('wording').where({ id }).forUpdate().first();
    if (!row) return;
    if (!mayChange(staff, row)) throw notAllowed('drop wordings');
    await trx('wording').where({ id }).delete();
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'wording dropped',
      subject: 'wording',
      id,
      before: { ...row, hash: row.hash?.toString('hex') ?? null },
    });
  });
}

/** So many of the latest versions are shown. */
const MOST_VERSIONS = 50;

/** What a wording was before, newest first. */
export async function listVersions(db: Knex, staff: StaffMember, id: number): Promise<WordingVersion[]> {
  await readWording(db, staff, id);
  const rows = await select(
    db('wording_version')
      .leftJoin('staff', 'staff.id', 'wording_version.changed_by')
      .leftJoin('raw', 'raw.hash', 'wording_version.hash')
      .where('wording_version.wording_id', id)
      .orderBy('wording_version.version', 'desc')
      .limit(MOST_VERSIONS),
    {
      version: 'wording_version.version',
      name: 'wording_version.name',
      changed_at: 'wording_version.changed_at',
      by: 'staff.name?',
      subject: 'wording_version.subject',
      body: 'wording_version.body',
      filename: 'wording_version.filename',
      size: 'raw.size?',
    },
  );
  return rows.map(({ changed_at, subject, body, filename, size, ...row }) => ({
    ...row,
    enclosed: enclosed(filename, size),
    changedAt: changed_at.toISOString(),
    subject: fromJson('wording.subject', subject),
    body: fromJson('wording.body', body),
  }));
}

/** How a text looks with one client's facts, on their General file; an article within the frame. @throws Refusal when there is no such client */
export async function tryWording(
  db: Knex,
  { kind, subject, body, clientId }: z.output<typeof WordingTried>,
): Promise<WordingLook> {
  const file = await selectFirst(
    db('file')
      .join('client', 'client.id', 'file.client_id')
      .where({ client_id: clientId })
      .orderBy('file.general', 'desc'),
    { id: 'file.id', client: 'client.name' },
  );
  if (!file) throw notFound('That client');
  const [[known = { words: {} }], catalogue, firm] = await Promise.all([
    gatherFacts(db, [await aboutFile(db, file.id)], ROWS),
    factCatalogue(db),
    readFirm(db),
  ]);
  const frame = kind === 'article' ? frameOf(firm) : null;
  const made = renderMessage(subject, body, known, { frame });
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  return {
    client: file.client,
    subject: made.subject,
    html: withPictures(made.html, await picturesFor(db, body, frame)),
    text: made.text,
    missing: [...new Set(made.missing.map(({ field }) => labels.get(field) ?? field))],
  };
}
