import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { MailingDraft, Preview } from '../../contract/index.ts';
import { pageMark, withPage } from '../../core/collection/link.ts';
import { readPhone } from '../../core/address/phone.ts';
import type { Known } from '../../core/facts/catalogue.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { renderShort } from '../../core/merge/short.ts';
import { textLength } from '../../core/textmessage/gsm.ts';
import { keyOf, linkTo, pagesOf } from '../collection/pages.ts';
import { generalFile } from '../collection/uploads.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact, type Transaction } from '../foundation/database.ts';
import { readFirm, webBase, type Firm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import type { Rows } from '../foundation/tables.ts';
import { readGateway, spentThisMonth } from '../textmessage/settings.ts';
import { refuseCost, tellOf } from '../textmessage/write.ts';
import { TEXT_MAILING } from './mailings.ts';
import { ownCopiesOf } from './ownCopies.ts';
import { openNow } from './timing.ts';

/** So many copies become text messages at once. */
const AT_ONCE = 40;
/** A text has so many parts at most. */
const MOST_PARTS = 10;
/** What would pass the month's limit is looked at again after so long, in milliseconds. */
const LATER = 3600_000;

/** A copy as it reads, and what it costs. */
export function shortCopy(
  body: DocNode,
  known: Known,
  gateway: Pick<Rows['text_gateway'], 'price'> | undefined,
) {
  const { text, missing } = renderShort(body, known);
  const length = textLength(text);
  return { text, missing, length, price: length.parts * (gateway?.price ?? 0) };
}

/** What a copy costs, as its preview shows it. */
export function shortOf(gateway: Rows['text_gateway'] | undefined, text: string): Preview['short'] {
  const { parts, dear } = textLength(text);
  return { parts, dear, price: parts * (gateway?.price ?? 0), currency: gateway?.currency ?? '' };
}

/** What stands in the way of a mailing of text messages, and what it costs. @param copies as each reads */
export async function checkShort(
  db: Knex,
  copies: readonly ReturnType<typeof shortCopy>[],
): Promise<{ problems: string[]; remarks: string[] }> {
  const [gateway, spent] = await Promise.all([readGateway(db), spentThisMonth(db)]);
  if (!gateway)
    return {
      problems: ['No gateway for text messages is set. An office manager does so in Settings.'],
      remarks: [],
    };
  const parts = copies.reduce((sum, { length }) => sum + length.parts, 0);
  const price = copies.reduce((sum, copy) => sum + copy.price, 0);
  const money = (sum: number) => `${gateway.currency} ${sum.toFixed(2)}`;
  const over = gateway.monthly_limit !== null && spent + price > gateway.monthly_limit;
  const long = copies.filter(({ length }) => length.parts > MOST_PARTS).length;
  const dear = [...new Set(copies.flatMap(({ length }) => length.dear))];
  return {
    problems: [
      ...(over
        ? [
            `It would cost ${money(price)}, and pass the month’s limit of ${money(gateway.monthly_limit ?? 0)}: ${money(spent)} of it is spent.`,
          ]
        : []),
      ...(long
        ? [`${long === 1 ? 'One copy has' : `${long} copies have`} more than ${MOST_PARTS} parts.`]
        : []),
    ],
    remarks: [
      ...(copies.length
        ? [
            `It goes in ${parts === 1 ? 'one part' : `${parts.toLocaleString('en-GB')} parts`}, and costs about ${money(price)} in all.`,
          ]
        : []),
      ...(dear.length
        ? [
            `${dear
              .slice(0, 6)
              .map((letter) => `“${letter}”`)
              .join(', ')} stand in no telephone’s plain alphabet, and make it dearer.`,
          ]
        : []),
    ],
  };
}

/** Sends one copy to a colleague's own telephone. @throws Refusal where they have none, no gateway is set, or the month's limit is reached */
export async function testText(
  db: Knex,
  trx: Transaction,
  reader: { id: number; phone: string },
  text: string,
): Promise<void> {
  const [gateway, { country }] = await Promise.all([readGateway(db), readFirm(db)]);
  if (!gateway) throw new Refusal(409, 'No gateway for text messages is set.');
  const phone = readPhone(reader.phone, country);
  if (!phone.valid)
    throw new Refusal(409, 'Their telephone number is not known. It stands in Settings, with the staff.');
  const { parts } = textLength(text);
  await refuseCost(trx, gateway, parts * gateway.price);
  const now = new Date();
  await trx('text_message').insert({
    ...{
      mark: randomUUID(),
      direction: 'sent',
      state: 'waiting',
      number_key: phone.key,
      number: phone.shown,
    },
    ...{ staff_id: reader.id, text, parts, price: parts * gateway.price, at: now, next_at: now },
  });
  await tellOf(trx, [null]);
}

type Copy = Pick<
  Rows['dispatch'],
  'id' | 'mailing_id' | 'client_id' | 'person_id' | 'file_id' | 'to_address' | 'message_id' | 'facts'
>;

/** What the copies of mailings at hand are made with. */
interface Desk {
  key: Buffer;
  firm: Firm;
  gateway: Rows['text_gateway'];
  mailings: Map<
    number,
    { body: DocNode; staffId: number | null; copies: Awaited<ReturnType<typeof ownCopiesOf>> }
  >;
}

/**
 * Makes text messages of the copies that are due: each once, under the mark that was fixed at its release, however many
 * processes are at it.
 * @returns how many were looked at
 */
export async function startTexts(context: AppContext): Promise<number> {
  const { db, config } = context;
  const gateway = await readGateway(db);
  if (!gateway) return 0;
  const due = await db('mailing').where({ state: 'going', channel: 'text' }).pluck('id');
  if (!due.length) return 0;
  const open = (await openNow(context)).filter((id) => due.includes(id));
  if (!open.length) return 0;
  const rows = await db('mailing').whereIn('id', open).select('id', 'body', 'released_by');
  const desk: Desk = { key: config.key, firm: await readFirm(db), gateway, mailings: new Map() };
  for (const { id, body, released_by } of rows)
    desk.mailings.set(id, {
      body: fromJson('mailing.body', body),
      staffId: released_by,
      copies: await ownCopiesOf(db, id),
    });
  return transact(db, async (trx) => {
    const copies = await trx('dispatch')
      .where({ kind: TEXT_MAILING })
      .whereIn('state', ['waiting', 'delayed'])
      .whereIn('mailing_id', open)
      .where('next_at', '<=', new Date())
      .orderBy(['next_at', 'id'])
      .limit(AT_ONCE)
      .forUpdate()
      .skipLocked()
      .select('id', 'mailing_id', 'client_id', 'person_id', 'file_id', 'to_address', 'message_id', 'facts');
    // A lock is a write: what two write at once is reckoned one after the other.
    if (copies.length) await trx('text_gateway').where({ one: 1 }).update({ price: gateway.price });
    let spent = copies.length ? await spentThisMonth(trx) : 0;
    for (const copy of copies) spent += await startOne(trx, desk, copy, spent);
    return copies.length;
  });
}

/** @returns what it costs; nothing where it does not go */
async function startOne(trx: Transaction, desk: Desk, copy: Copy, spent: number): Promise<number> {
  const put = (row: Partial<Rows['dispatch']>) => trx('dispatch').where({ id: copy.id }).update(row);
  const number = await trx('text_number').where({ number_key: copy.to_address }).forUpdate().first();
  if (!number?.agreed_at || number.stopped_at) {
    await put({ state: 'cancelled', answer: 'they want no text messages, or have not agreed to them' });
    return 0;
  }
  const mailing = desk.mailings.get(copy.mailing_id ?? 0);
  const own = mailing?.copies.get(`${copy.client_id}-${copy.person_id}`);
  const body = own?.body ?? mailing?.body ?? { type: 'doc' };
  const made = shortCopy(body, fromJson('dispatch.facts', copy.facts), desk.gateway);
  const text = await withOwnPage(trx, desk, copy, made.text);
  const { parts } = textLength(text);
  const price = parts * desk.gateway.price;
  const limit = desk.gateway.monthly_limit;
  if (limit !== null && spent + price > limit) {
    await put({
      state: 'delayed',
      answer: 'the month’s limit is reached',
      next_at: new Date(Date.now() + LATER),
    });
    return 0;
  }
  const now = new Date();
  const { shown } = readPhone(copy.to_address, desk.firm.country);
  const fileId = copy.file_id ?? (copy.client_id === null ? null : await generalFile(trx, copy.client_id));
  await trx('text_message').insert({
    ...{ mark: copy.message_id.slice(0, 60), direction: 'sent', state: 'waiting', dispatch_id: copy.id },
    ...{ number_key: copy.to_address, number: shown, client_id: copy.client_id, person_id: copy.person_id },
    ...{ file_id: fileId, staff_id: mailing?.staffId ?? null, text, parts, price, at: now, next_at: now },
  });
  await put({ state: 'going', answer: null, lease_owner: null, lease_until: null });
  await tellOf(trx, [fileId]);
  return price;
}

/** The text with its reader's own page in the place of the mark. */
async function withOwnPage(trx: Transaction, { key, firm }: Desk, copy: Copy, text: string): Promise<string> {
  const mark = pageMark(webBase(firm));
  if (!mark || !text.includes(mark)) return text;
  const whose = { clientId: copy.client_id ?? 0, personId: copy.person_id ?? 0 };
  const page = (await pagesOf(trx, [whose])).get(keyOf(whose));
  return page && !page.withdrawn_at
    ? withPage(text, mark, linkTo(key, firm, page).url)
    : withPage(text, mark, '');
}

/** Whether a draft goes to telephones. */
export const isText = ({ channel, colleagues }: Pick<MailingDraft, 'channel' | 'colleagues'>): boolean =>
  channel === 'text' && colleagues === null;
