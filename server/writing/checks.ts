import type { Knex } from 'knex';
import type { MisaddressedWarning } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { misaddressed, type Acquaintance, type Envelope } from '../../core/checks/misaddressed.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { filingKnowledge } from '../filing/knowledge.ts';
import { wordsOf } from '../documents/words.ts';
import type { AppContext } from '../foundation/context.ts';
import type { Database } from '../foundation/database.ts';
import { fromJson } from '../foundation/json.ts';
import { groupBy, likePattern } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import type { DraftRecord } from './compose.ts';
import { readDraft } from './drafts.ts';

/** Addresses that begin alike are looked through for slips, so many at most. */
const MOST_NEAR = 3000;
/** So much of an enclosure's text is read. */
const MOST_TEXT = 20_000;

/**
 * What should give the writer of a message pause before it leaves: whether it goes to the right people, in the right
 * name, with its client's enclosures.
 * @throws Refusal for anybody else's draft
 */
export async function checkDraft(
  context: AppContext,
  staffId: number,
  id: number,
): Promise<MisaddressedWarning[]> {
  const { db } = context;
  const [draft, { register }] = await Promise.all([readDraft(db, staffId, id), filingKnowledge(context)]);
  const { to, cc, bcc } = fromJson('draft.people', draft.people);
  const envelope: Envelope[] = [
    ...to.map((each) => ({ ...each, at: 'to' as const })),
    ...cc.map((each) => ({ ...each, at: 'cc' as const })),
    ...bcc.map((each) => ({ ...each, at: 'bcc' as const })),
  ].filter(({ email }) => email);
  const fileIds = fromJson('draft.file_ids', draft.file_ids);
  const clientIds = fileIds.flatMap((fileId) => register.file(fileId)?.clientId ?? []);
  const outside = envelope.filter(({ email }) => !register.isOurs(email));
  const [enclosures, answers, acquaintance] = await Promise.all([
    enclosuresOf(db, id),
    answersOf(db, draft),
    acquaintanceOf(db, register, outside, clientIds),
  ]);
  const empty = { type: 'doc', content: [] };
  const { text } = renderMessage(empty, fromJson('draft.body', draft.body), { words: {} });
  return misaddressed({ envelope, fileIds, text, enclosures, answers }, register, acquaintance);
}

async function enclosuresOf(db: Database, draftId: number) {
  const rows = await db('draft_enclosure').where({ draft_id: draftId }).orderBy('id');
  const from = rows.flatMap(({ from_message_id }) => from_message_id ?? []);
  const are = rows.flatMap(({ document_id }) => document_id ?? []);
  const [filed, put, texts] = await Promise.all([
    from.length ? db('filing').whereIn('message_id', from).select('message_id', 'client_id') : [],
    are.length ? db('document').whereIn('id', are).whereNotNull('client_id').select('id', 'client_id') : [],
    Promise.all(
      rows.map(({ hash, filename, mime_type: mimeType }) =>
        wordsOf(db, { hash, filename, mimeType }, () => readRaw(db, hash)),
      ),
    ),
  ]);
  const clientsOf = groupBy(filed, (row) => row.message_id);
  const clientOf = new Map(put.map(({ id, client_id }) => [id, client_id]));
  return rows.map((row, index) => ({
    filename: row.filename,
    text: (texts[index] ?? '').slice(0, MOST_TEXT),
    clientIds: [
      ...(clientsOf.get(row.from_message_id ?? 0) ?? []).map(({ client_id }) => client_id),
      ...[clientOf.get(row.document_id ?? 0) ?? []].flat(),
    ],
  }));
}

/** To how many besides us the message went that is answered. */
async function answersOf(db: Knex, draft: DraftRecord) {
  if (!draft.about_id || draft.how === 'forward' || draft.how === 'new') return null;
  const had: string[] = await db('message_party')
    .where({ message_id: draft.about_id })
    .whereIn('role', ['to', 'cc'])
    .distinct()
    .pluck('email_key');
  return { all: draft.how === 'all', hadBesides: Math.max(0, had.length - 1) };
}

/** Who of them has been met about these clients, and which known addresses begin as the unknown ones do. */
async function acquaintanceOf(
  db: Knex,
  register: FilingRegister,
  outside: readonly Envelope[],
  clientIds: readonly number[],
): Promise<Acquaintance> {
  const keys = outside.map(({ email }) => addressKey(email));
  const unknown = keys.filter((key) => !register.peopleAt(key).length);
  const [met, ...near] = await Promise.all([
    keys.length && clientIds.length
      ? (db('message_party')
          .join('filing', 'filing.message_id', 'message_party.message_id')
          .whereIn('message_party.email_key', keys)
          .whereIn('filing.client_id', [...clientIds])
          .distinct()
          .pluck('message_party.email_key') as Promise<string[]>)
      : [],
    clientIds.length
      ? (db('client_person')
          .join('address', 'address.person_id', 'client_person.person_id')
          .whereIn('client_person.client_id', [...clientIds])
          .pluck('address.email_key') as Promise<string[]>)
      : [],
    // A slip in the first two letters is found among the client's own people alone.
    ...unknown.map(
      (key) =>
        db('address')
          .where('email_key', 'like', likePattern(key.slice(0, 2), false))
          .limit(MOST_NEAR)
          .pluck('email_key') as Promise<string[]>,
    ),
  ]);
  return { met: new Set(met), near: [...new Set(near.flat())] };
}
