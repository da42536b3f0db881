import type { Mailbox } from '../../core/address/address.ts';
import type { DocNode } from '../../core/merge/document.ts';
import type { OutgoingKind } from '../dispatch/port.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { select } from '../foundation/rows.ts';
import { countingOf } from './counting.ts';
import { MAILING } from './mailings.ts';
import { cancelOptedOut, optOutWay } from './optOut.ts';
import { ownCopiesOf } from './ownCopies.ts';
import { advanceAll } from './series.ts';
import { openNow } from './timing.ts';
import { carriedBy, composeMessage } from './compose.ts';
import { fromJson } from '../foundation/json.ts';

interface GoingMailing {
  id: number;
  subject: string;
  body: string;
  released_at: Date | null;
  opt_out: number;
  counted: number;
  answers_id: number | null;
  plain: string | null;
  framed: number;
  topic: string | null;
}

/** Milliseconds. */
const LOOK_EVERY = 20_000;

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

    async load(db, rows) {
      const ids = [...new Set(rows.flatMap(({ mailing_id }) => mailing_id ?? []))];
      if (!ids.length) return new Map();
      const firm = await readFirm(db);
      const found: GoingMailing[] = await select(
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
          topic: 'topic.name?',
        },
      );
      const clientIds = [...new Set(rows.flatMap(({ client_id }) => client_id ?? []))];
      const uncounted = new Set<number>(
        await db('client').whereIn('id', clientIds).where({ counted: 0 }).pluck('id'),
      );
      const mailingOf = new Map(
        await Promise.all(
          found.map(async (mailing) => {
            const body = fromJson('mailing.body', mailing.body);
            const carriedWith = (text: DocNode) =>
              carriedBy(db, mailing.id, {
                body: text,
                answersId: mailing.answers_id,
                framed: Boolean(mailing.framed),
              });
            const [carried, copies] = await Promise.all([carriedWith(body), ownCopiesOf(db, mailing.id)]);
            const read = {
              ...mailing,
              subject: fromJson('mailing.subject', mailing.subject),
              body,
              carried,
              copies,
              carriedWith,
              byHand: mailing.plain === null ? null : fromJson('mailing.plain', mailing.plain),
            };
            return [mailing.id, read] as const;
          }),
        ),
      );
      const shared = new Set<number>(await db('mailbox').where({ shared: 1 }).pluck('id'));
      return new Map(
        rows.flatMap((row) => {
          const mailing = mailingOf.get(row.mailing_id ?? 0);
          if (!mailing) return [];
          const outgoing = {
            envelope: [row.to_address],
            since: mailing.released_at ?? new Date(),
            compose: async (from: Mailbox) => {
              const own = mailing.copies.get(`${row.client_id}-${row.person_id}`);
              const { subject, body } = own ?? mailing;
              return composeMessage(subject, body, fromJson('dispatch.facts', row.facts), {
                from: shared.has(row.mailbox_id) ? { ...from, name: firm.name } : from,
                ...(own ? await mailing.carriedWith(own.body) : mailing.carried),
                plain: own ? null : mailing.byHand,
                links: mailing.body,
                to: { name: row.to_name, address: row.to_address },
                messageId: row.message_id,
                date: new Date(),
                optOut:
                  mailing.opt_out && row.staff_id === null
                    ? optOutWay(context.config.key, firm, mailing.topic, from.address, row.id)
                    : null,
                counting:
                  mailing.counted && !uncounted.has(row.client_id ?? 0)
                    ? countingOf(context.config.key, firm, { dispatchId: row.id })
                    : null,
              });
            },
          };
          return [[row.id, outgoing]];
        }),
      );
    },

    recorded: async () => undefined,

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
