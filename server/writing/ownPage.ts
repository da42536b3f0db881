import type { Knex } from 'knex';
import { addressKey } from '../../core/address/address.ts';
import { hasPageMark, pageMark } from '../../core/collection/link.ts';
import { linkTo, pageOf, type Whose } from '../collection/pages.ts';
import { readFirm, webBase } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { selectFirst } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/** The address of a reader's own page, and the mark that stands in its place until the message leaves. */
export interface ReadersPage {
  mark: string;
  address: string;
}

type Draft = Pick<Rows['draft'], 'people' | 'file_ids' | 'body'>;

/** Whose page a written message leads to: of the first it is to who is one of its files' clients' people. */
async function whoseOf(db: Knex, draft: Draft): Promise<Whose | null> {
  const { to } = fromJson('draft.people', draft.people);
  const fileIds = fromJson('draft.file_ids', draft.file_ids);
  for (const { email } of to) {
    const row = await selectFirst(
      db('address')
        .join('client_person', 'client_person.person_id', 'address.person_id')
        .join('file', 'file.client_id', 'client_person.client_id')
        .where('address.email_key', addressKey(email))
        .whereIn('file.id', fileIds)
        .orderBy('client_person.client_id'),
      { clientId: 'client_person.client_id', personId: 'client_person.person_id' },
    );
    if (row) return row;
  }
  return null;
}

/** The page a written message leads to; null where its text does not. @throws when it does, and there is none */
export async function readersPage(key: Buffer, db: Knex, draft: Draft): Promise<ReadersPage | null> {
  const firm = await readFirm(db);
  const mark = pageMark(webBase(firm));
  if (!hasPageMark(draft.body, mark)) return null;
  const whose = await whoseOf(db, draft);
  if (!whose) throw new Error('The text leads to a page, and nobody it is to has one.');
  return { mark, address: linkTo(key, firm, await pageOf(db, whose)).url };
}

/** @throws Refusal when a text leads to its reader's page, and they have none, or it is withdrawn */
export async function refusePageless(db: Knex, draft: Draft): Promise<void> {
  const mark = pageMark(webBase(await readFirm(db)));
  if (!hasPageMark(draft.body, mark)) return;
  const whose = await whoseOf(db, draft);
  if (!whose)
    throw new Refusal(
      409,
      'The text leads to its reader’s own page, but nobody it is to is one of the people of its file’s client.',
      'people',
    );
  if ((await pageOf(db, whose)).withdrawn_at)
    throw new Refusal(
      409,
      'The text leads to their page, which is withdrawn. Open it again first.',
      'people',
    );
}
