import { layWithin, type Laying } from '../collection/items.ts';
import { keyOf, lastDay, pagesOf } from '../collection/pages.ts';
import { generalFile } from '../collection/uploads.ts';
import type { RecordedRow } from '../dispatch/port.ts';
import { contentOf } from '../documents/content.ts';
import type { Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy, select } from '../foundation/rows.ts';
import { packRaw, storeRaw } from '../foundation/sources.ts';

type Thing = Omit<Laying, 'fileId' | 'dispatchId' | 'until'>;

/**
 * Lays out what goes with copies of mailings on their readers' own pages, in the transaction in which the copies are
 * put on record: what has left leads to what lies there.
 */
export async function layOutMailings(trx: Transaction, rows: readonly RecordedRow[]): Promise<void> {
  const ids: number[] = await trx('mailing')
    .whereIn(
      'id',
      rows.flatMap(({ mailing_id }) => mailing_id ?? []),
    )
    .where({ laid_out: 1 })
    .pluck('id');
  if (!ids.length) return;
  const firm = await readFirm(trx);
  const copies = await trx('dispatch')
    .whereIn(
      'id',
      rows.flatMap(({ id, mailing_id }) => (ids.includes(mailing_id ?? 0) ? id : [])),
    )
    .whereNotNull('client_id')
    .whereNotNull('person_id')
    .select('id', 'mailing_id', 'client_id', 'person_id', 'file_id');
  const [pages, forAll, own] = await Promise.all([
    pagesOf(
      trx,
      copies.map((copy) => ({ clientId: copy.client_id ?? 0, personId: copy.person_id ?? 0 })),
    ),
    enclosedWith(trx, ids),
    ownOf(
      trx,
      copies.map(({ id }) => id),
    ),
  ]);
  for (const copy of copies) {
    const page = pages.get(keyOf({ clientId: copy.client_id ?? 0, personId: copy.person_id ?? 0 }));
    if (!page) continue;
    const fileId = copy.file_id ?? (await generalFile(trx, page.client_id));
    const things = [...(forAll.get(copy.mailing_id ?? 0) ?? []), ...(own.get(copy.id) ?? [])];
    for (const thing of things)
      await layWithin(trx, page, { ...thing, fileId, dispatchId: copy.id, until: lastDay(firm) }, null);
  }
}

async function enclosedWith(trx: Transaction, mailingIds: readonly number[]): Promise<Map<number, Thing[]>> {
  const rows = await select(
    trx('mailing_enclosure')
      .join('raw', 'raw.hash', 'mailing_enclosure.hash')
      .whereIn('mailing_enclosure.mailing_id', [...mailingIds])
      .orderBy('mailing_enclosure.id'),
    {
      mailingId: 'mailing_enclosure.mailing_id',
      filename: 'mailing_enclosure.filename',
      mimeType: 'mailing_enclosure.mime_type',
      hash: 'mailing_enclosure.hash',
      size: 'raw.size',
    },
  );
  const things = rows.map(({ mailingId, ...thing }) => ({ mailingId, ...thing, documentId: null }));
  return groupBy(things, ({ mailingId }) => mailingId);
}

/** What cannot be taken out of its message any more is left out: the copy itself has left. */
async function readable(
  trx: Transaction,
  place: Parameters<typeof contentOf>[1],
): Promise<Uint8Array | null> {
  try {
    return (await contentOf(trx, place)).content;
  } catch (error) {
    if (error instanceof Refusal) return null;
    throw error;
  }
}

/** Each client's own documents, as they were fixed at the release. */
async function ownOf(trx: Transaction, dispatchIds: readonly number[]): Promise<Map<number, Thing[]>> {
  const rows = await select(
    trx('dispatch_enclosure')
      .join('document', 'document.id', 'dispatch_enclosure.document_id')
      .whereIn('dispatch_enclosure.dispatch_id', [...dispatchIds])
      .orderBy('document.id'),
    {
      dispatchId: 'dispatch_enclosure.dispatch_id',
      id: 'document.id',
      filename: 'document.filename',
      mime_type: 'document.mime_type',
      raw_hash: 'document.raw_hash',
      message_id: 'document.message_id',
      part: 'document.part',
    },
  );
  const things = [];
  for (const { dispatchId, id, filename, mime_type, ...place } of rows) {
    const content = await readable(trx, place);
    if (!content) continue;
    const packed = await packRaw(content);
    await storeRaw(trx, [packed]);
    const { hash, size } = packed;
    things.push({ dispatchId, filename, mimeType: mime_type, hash, size, documentId: id });
  }
  return groupBy(things, ({ dispatchId }) => dispatchId);
}
