import type { Knex } from 'knex';
import type { OwnEnclosure, OwnEnclosures } from '../../contract/index.ts';
import { contentOf } from '../documents/content.ts';
import { newestOfKinds, readNewest, type Newest } from '../documents/newest.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy, insertAll, select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { enclosureName, enclosureType } from '../writing/enclosures.ts';
import { heldDraft, MOST_BYTES, touched } from './enclosures.ts';

/** Of which kinds each client's newest document goes with their copy. */
export async function listOwn(db: Knex, mailingId: number): Promise<OwnEnclosure[]> {
  const rows = await select(
    db('mailing_own_enclosure')
      .join('document_kind', 'document_kind.id', 'mailing_own_enclosure.kind_id')
      .where('mailing_own_enclosure.mailing_id', mailingId)
      .orderBy(['document_kind.position', 'document_kind.name']),
    { kindId: 'document_kind.id', name: 'document_kind.name', needed: 'mailing_own_enclosure.needed' },
  );
  return rows.map((row) => ({ ...row, needed: Boolean(row.needed) }));
}

/** Says which of their own documents go with each copy. @throws Refusal when the mailing is no draft, or goes to colleagues */
export async function sayOwn(db: Knex, mailingId: number, own: OwnEnclosures): Promise<void> {
  await transact(db, async (trx) => {
    await heldDraft(trx, mailingId);
    const { colleagues } = (await trx('mailing').where({ id: mailingId }).first('colleagues')) ?? {};
    if (own.length && colleagues !== null)
      throw new Refusal(409, 'Colleagues have no documents of their own: it goes to clients alone.');
    const kinds = await trx('document_kind').whereIn(
      'id',
      own.map(({ kindId }) => kindId),
    );
    if (kinds.length < own.length)
      throw new Refusal(400, 'There is no such kind of document any more.', 'kindId');
    await trx('mailing_own_enclosure').where({ mailing_id: mailingId }).delete();
    await insertAll(
      trx,
      'mailing_own_enclosure',
      own.map(({ kindId, needed }) => ({ mailing_id: mailingId, kind_id: kindId, needed })),
    );
    await touched(trx, mailingId);
  });
}

/** Takes over which documents of each client's own go with another mailing. */
export async function copyOwn(trx: Transaction, from: number, to: number): Promise<void> {
  const rows = await trx('mailing_own_enclosure').where({ mailing_id: from }).select('kind_id', 'needed');
  await insertAll(
    trx,
    'mailing_own_enclosure',
    rows.map((row) => ({ ...row, mailing_id: to })),
  );
}

/** The documents that go with one client's copy, with their bytes. */
export async function ownFor(db: Knex, mailingId: number, clientId: number) {
  const kinds = await listOwn(db, mailingId);
  const found = await readNewest(
    db,
    kinds.map(({ kindId }) => kindId),
    [clientId],
  );
  return Promise.all(found.map((row) => attachment(db, row)));
}

async function attachment(
  db: Knex,
  row: Pick<Newest, 'filename' | 'mime_type' | 'raw_hash' | 'message_id' | 'part'>,
): Promise<{ filename: string; contentType: string; content: Buffer }> {
  const { content } = await contentOf(db, row);
  return {
    filename: enclosureName(row.filename),
    contentType: enclosureType(row.mime_type),
    content: Buffer.from(content),
  };
}

/** Fixes for copies that wait which documents go with them: what is newer tomorrow is not what was released. */
export async function fixOwn(trx: Transaction, mailingId: number): Promise<void> {
  const kinds: number[] = await trx('mailing_own_enclosure')
    .where({ mailing_id: mailingId })
    .pluck('kind_id');
  if (!kinds.length) return;
  const copies = trx('dispatch')
    .join(
      newestOfKinds(trx, kinds).as('newest') as unknown as string,
      'newest.client_id',
      'dispatch.client_id',
    )
    .where('dispatch.mailing_id', mailingId)
    .where('dispatch.state', 'waiting')
    .whereNotExists(
      trx({ fixed: 'dispatch_enclosure' }).whereRaw('fixed.dispatch_id = dispatch.id').select(trx.raw('1')),
    );
  const rows = await select(copies, {
    dispatch_id: 'dispatch.id',
    document_id: trx.raw<number>('newest.id'),
  });
  await insertAll(trx, 'dispatch_enclosure', rows, { ignore: true });
}

/** What was fixed for copies, by their number, to be read where they are composed. */
export async function fixedOwn(
  db: Knex,
  dispatchIds: readonly number[],
): Promise<(dispatchId: number) => ReturnType<typeof ownFor>> {
  const rows = await select(
    db('dispatch_enclosure')
      .join('document', 'document.id', 'dispatch_enclosure.document_id')
      .whereIn('dispatch_enclosure.dispatch_id', [...dispatchIds])
      .orderBy('document.id'),
    {
      dispatchId: 'dispatch_enclosure.dispatch_id',
      filename: 'document.filename',
      mime_type: 'document.mime_type',
      raw_hash: 'document.raw_hash',
      message_id: 'document.message_id',
      part: 'document.part',
    },
  );
  const of = groupBy(rows, ({ dispatchId }) => dispatchId);
  return (dispatchId) => Promise.all((of.get(dispatchId) ?? []).map((row) => attachment(db, row)));
}

/** Words that could be a file's number. */
const NUMBER_LIKE = /[\p{L}\p{N}][\p{L}\p{N}./-]{2,30}/gu;
/** So much of a document's words is looked through. */
const MOST_TEXT = 20_000;
/** Documents are looked through so many at a time. */
const CHUNK = 200;
/** So many are told of one by one. */
const MOST_TOLD = 5;

/**
 * What of each client's own documents stands in the way, or is odd: who has none though one is needed, copies that
 * would be too large, documents that bear a file of somebody else's in their name or words.
 */
export async function checkOwn<Recipient extends { clientId: number; client: string }>(
  db: Knex,
  mailingId: number,
  recipients: readonly Recipient[],
): Promise<{
  missing: { recipient: Recipient; kind: OwnEnclosure }[];
  problems: string[];
  remarks: string[];
}> {
  const kinds = await listOwn(db, mailingId);
  if (!kinds.length) return { missing: [], problems: [], remarks: [] };
  const found = await readNewest(
    db,
    kinds.map(({ kindId }) => kindId),
  );
  const of = groupBy(found, ({ clientId }) => clientId);
  const missing = recipients.flatMap((recipient) =>
    kinds.flatMap((kind) =>
      kind.needed && !of.get(recipient.clientId)?.some(({ kindId }) => kindId === kind.kindId)
        ? [{ recipient, kind }]
        : [],
    ),
  );
  const reached = new Map(recipients.map(({ clientId, client }) => [clientId, client]));
  const large = [...reached].filter(
    ([clientId]) => (of.get(clientId) ?? []).reduce((sum, { size }) => sum + size, 0) > MOST_BYTES,
  );
  const going = found.filter(({ clientId }) => reached.has(clientId));
  const odd = await strangersNumbers(db, going, reached);
  return {
    missing,
    problems: large.length
      ? [
          `The documents of ${large[0]?.[1]}${large.length > 1 ? ` and ${large.length - 1} more` : ''} are larger than 10 MB: put smaller ones in their place, or take them out.`,
        ]
      : [],
    remarks: [
      ...odd.slice(0, MOST_TOLD),
      ...(odd.length > MOST_TOLD
        ? [`${odd.length - MOST_TOLD} more documents bear a file of somebody else’s.`]
        : []),
    ],
  };
}

async function strangersNumbers(
  db: Knex,
  going: readonly Newest[],
  clients: ReadonlyMap<number, string>,
): Promise<string[]> {
  const told: string[] = [];
  for (let at = 0; at < going.length; at += CHUNK) {
    const part = going.slice(at, at + CHUNK);
    const words = await wordsByHash(db, part);
    const like = part.map(({ filename, hash }) =>
      numbersLike(`${filename} ${words.get(hash.toString('hex')) ?? ''}`),
    );
    const files = await select(
      db('file')
        .join('client', 'client.id', 'file.client_id')
        .whereIn('file.number', [...new Set(like.flat())]),
      { number: 'file.number', clientId: 'client.id', client: 'client.name' },
    );
    const fileOf = new Map(files.map((file) => [file.number.toLowerCase(), file]));
    part.forEach(({ filename, clientId }, index) => {
      const bears = (like[index] ?? []).flatMap((number) => fileOf.get(number.toLowerCase()) ?? []);
      const other = bears.find((file) => file.clientId !== clientId);
      if (other && !bears.some((file) => file.clientId === clientId))
        told.push(
          `“${filename}”, which goes to ${clients.get(clientId) ?? ''}, bears ${other.number}, a file of ${other.client}.`,
        );
    });
  }
  return told;
}

async function wordsByHash(
  db: Knex,
  documents: readonly Pick<Rows['document'], 'hash'>[],
): Promise<Map<string, string>> {
  const rows = await select(
    db('document_reading').whereIn(
      'hash',
      documents.map(({ hash }) => hash),
    ),
    {
      hash: 'document_reading.hash',
      words: db.raw<string | null>('LEFT(document_reading.words, ?)', [MOST_TEXT]),
    },
  );
  return new Map(rows.map(({ hash, words }) => [hash.toString('hex'), words ?? '']));
}

/** Behind a number may stand a full stop, or the kind of a file. */
function numbersLike(text: string): string[] {
  const words = text.match(NUMBER_LIKE) ?? [];
  return words.flatMap((word) => (/\d/.test(word) ? [word, word.split('.')[0] ?? word] : []));
}
