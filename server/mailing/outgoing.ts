import type { Mailbox } from '../../core/address/address.ts';
import type { DocNode } from '../../core/merge/document.ts';
import type { Knex } from 'knex';
import type { ClaimedRow, Outgoing, OutgoingKind } from '../dispatch/port.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';
import { readFirm, webBase, type Firm } from '../foundation/firm.ts';
import { asksForPage, pageMark } from '../../core/collection/link.ts';
import { keyOf, linkTo, pagesOf } from '../collection/pages.ts';
import { select } from '../foundation/rows.ts';
import { countingOf } from './counting.ts';
import { MAILING } from './mailings.ts';
import { fixedOwn } from './ownEnclosures.ts';
import { cancelOptedOut, optOutWay } from './optOut.ts';
import { ownCopiesOf } from './ownCopies.ts';
import { advanceAll } from './series.ts';
import { openNow } from './timing.ts';
import type { ReadersPage } from '../writing/ownPage.ts';
import { carriedBy, composeMessage } from './compose.ts';
import { layOutMailings } from './onPages.ts';
import { fromJson } from '../foundation/json.ts';

/** Milliseconds. */
const LOOK_EVERY = 20_000;

/** What the copies of mailings that go have in common. */
async function readGoing(db: Knex, ids: readonly number[]) {
  const found = await select(
    db('mailing').leftJoin('topic', 'topic.id', 'mailing.topic_id').whereIn('mailing.id', ids),
    {
      id: 'mailing.id',
      subject: 'mailing.subject',
      body: 'mailing.body',
      released_at: 'mailing.released_at',
      opt_out: 'mailing.opt_out',
      counted: 'mailing.counted',
      answers_id: 'mailing.answers_id',
      plain: 'mailing.plain',
      framed: 'mailing.framed',
      laid_out: 'mailing.laid_out',
      topic: 'topic.name?',
    },
  );
  return Promise.all(
    found.map(async (mailing) => {
      const body = fromJson('mailing.body', mailing.body);
      const carriedWith = (text: DocNode) =>
        carriedBy(db, mailing.id, {
          body: text,
          answersId: mailing.answers_id,
          framed: Boolean(mailing.framed),
          laidOut: Boolean(mailing.laid_out),
        });
      const [carried, copies] = await Promise.all([carriedWith(body), ownCopiesOf(db, mailing.id)]);
      const byHand = mailing.plain === null ? null : fromJson('mailing.plain', mailing.plain);
      const texts = [body, ...(byHand ? [byHand] : []), ...[...copies.values()].map((own) => own.body)];
      return {
        ...mailing,
        subject: fromJson('mailing.subject', mailing.subject),
        body,
        carried,
        copies,
        carriedWith,
        byHand,
        /** Whether copies lead to their readers' pages. */
        leads: Boolean(mailing.laid_out) || texts.some(asksForPage),
      };
    }),
  );
}

type GoingMailing = Awaited<ReturnType<typeof readGoing>>[number];

/** What of a copy depends on the firm, the client and the sender. */
interface Surroundings {
  key: Buffer;
  firm: Firm;
  uncounted: ReadonlySet<number>;
  shared: ReadonlySet<number>;
  /** Each copy's own documents. */
  enclosed: Awaited<ReturnType<typeof fixedOwn>>;
  /** The readers' own pages, where their texts lead there. */
  pages: Awaited<ReturnType<typeof pagesOf>>;
}

/** One copy as it leaves. @param from as whom */
async function composeCopy(
  mailing: GoingMailing,
  row: ClaimedRow,
  from: Mailbox,
  { key, firm, uncounted, shared, enclosed, pages }: Surroundings,
) {
  const own = mailing.copies.get(`${row.client_id}-${row.person_id}`);
  const { subject, body } = own ?? mailing;
  const carried = own ? await mailing.carriedWith(own.body) : mailing.carried;
  const mayOptOut = mailing.opt_out && row.staff_id === null;
  const laidOut = Boolean(mailing.laid_out) && row.staff_id === null;
  const counts = mailing.counted && !uncounted.has(row.client_id ?? 0);
  return composeMessage(subject, body, fromJson('dispatch.facts', row.facts), {
    from: shared.has(row.mailbox_id) ? { ...from, name: firm.name } : from,
    ...carried,
    attachments: [...(carried.attachments ?? []), ...(laidOut ? [] : await enclosed(row.id))],
    laidOut,
    page: mailing.leads ? pageFor(key, firm, pages, row) : null,
    plain: own ? null : mailing.byHand,
    links: mailing.body,
    to: { name: row.to_name, address: row.to_address },
    messageId: row.message_id,
    date: new Date(),
    optOut: mayOptOut ? optOutWay(key, firm, mailing.topic, from.address, row.id) : null,
    counting: counts ? countingOf(key, firm, { dispatchId: row.id }) : null,
  });
}

/** The page of whoever a copy is to. @throws when the text leads there and they have none */
function pageFor(
  key: Buffer,
  firm: Firm,
  pages: Surroundings['pages'],
  { client_id, person_id, staff_id }: ClaimedRow,
): ReadersPage | null {
  if (staff_id !== null) return null;
  const page = pages.get(keyOf({ clientId: client_id ?? 0, personId: person_id ?? 0 }));
  if (!page || page.withdrawn_at)
    throw new Error('Their page was withdrawn, or they are not the client’s any more.');
  return { mark: pageMark(webBase(firm)), address: linkTo(key, firm, page).url };
}

/** What to send of each claimed row. @returns by id, without those whose mailing is gone */
async function loadOutgoing(
  { config }: AppContext,
  db: Knex,
  rows: readonly ClaimedRow[],
): Promise<Map<number, Outgoing>> {
  const ids = [...new Set(rows.flatMap(({ mailing_id }) => mailing_id ?? []))];
  if (!ids.length) return new Map();
  const clientIds = [...new Set(rows.flatMap(({ client_id }) => client_id ?? []))];
  const mailingOf = new Map((await readGoing(db, ids)).map((mailing) => [mailing.id, mailing]));
  const leading = rows.filter(({ mailing_id }) => mailingOf.get(mailing_id ?? 0)?.leads);
  const surroundings = {
    key: config.key,
    pages: await pagesOf(
      db,
      leading.flatMap(({ client_id, person_id }) =>
        client_id === null || person_id === null ? [] : { clientId: client_id, personId: person_id },
      ),
    ),
    firm: await readFirm(db),
    uncounted: new Set<number>(await db('client').whereIn('id', clientIds).where({ counted: 0 }).pluck('id')),
    enclosed: await fixedOwn(
      db,
      rows.map(({ id }) => id),
    ),
    shared: new Set<number>(await db('mailbox').where({ shared: 1 }).pluck('id')),
  };
  return new Map(
    rows.flatMap((row) => {
      const mailing = mailingOf.get(row.mailing_id ?? 0);
      if (!mailing) return [];
      const outgoing: Outgoing = {
        envelope: [row.to_address],
        since: mailing.released_at ?? new Date(),
        compose: (from) => composeCopy(mailing, row, from, surroundings),
      };
      return [[row.id, outgoing]];
    }),
  );
}

/** Mailings on their way: each recipient alone on the envelope, at the pace that was released. */
export function outgoingMailings(context: AppContext): OutgoingKind {
  let lookedAt = 0;
  /** Not at every round: who has opted out since the release gets none, and people of series come to their next message. */
  const lookAgain = async () => {
    if (Date.now() - lookedAt < LOOK_EVERY) return;
    lookedAt = Date.now();
    if (await cancelOptedOut(context.db)) await transact(context.db, (trx) => noteChange(trx, 'mailings'));
    await advanceAll(context);
  };
  return {
    name: MAILING,
    priority: 2,
    limited: true,

    async ready() {
      await lookAgain();
      const open = await openNow(context);
      return (rows) => void rows.whereIn('mailing_id', open);
    },

    load: (db, rows) => loadOutgoing(context, db, rows),

    recorded: layOutMailings,

    async finish(db) {
      return (
        db('mailing')
          .where({ state: 'going' })
          // Those that follow others end when nobody can come to them any more.
          .whereNull('head_id')
          .whereNotExists(
            db('dispatch')
              .whereRaw('dispatch.mailing_id = mailing.id')
              .whereIn('state', ['waiting', 'going', 'delayed'])
              .select(db.raw('1')),
          )
          .update({ state: 'finished', finished_at: new Date() })
      );
    },
  };
}
