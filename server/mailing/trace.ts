import type { Knex } from 'knex';
import type { z } from 'zod';
import type { MailingTrace, Page, TracedMailing } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { notFound } from '../foundation/refusal.ts';
import { countOf, groupBy, select } from '../foundation/rows.ts';
import { findRecipients } from './recipients.ts';

/**
 * Why a client gets what it gets: whom a mailing would reach today and what stands in the way, and how each released
 * mailing went with it, newest first.
 * @throws Refusal when there is no such client
 */
export async function traceOf(
  db: Knex,
  staffId: number,
  clientId: number,
  { offset, limit }: z.infer<typeof Page>,
): Promise<MailingTrace> {
  const client = await db('client').where({ id: clientId }).first('name', 'status');
  if (!client) throw notFound('That client');
  const released = () => db('mailing').whereNotNull('released_at');
  const [today, topicsOut, total, mailings] = await Promise.all([
    // By the very rules by which a mailing decides.
    findRecipients(
      db,
      {
        selection: { ...selectionOf(), only: [clientId] },
        ...{ channel: 'email', fileChoice: 'general', topicId: null, senderId: null, eachOf: 'person' },
      },
      staffId,
    ),
    select(
      db('topic_opt_out')
        .join('topic', 'topic.id', 'topic_opt_out.topic_id')
        .join('address', 'address.email_key', 'topic_opt_out.email_key')
        .join('client_person', 'client_person.person_id', 'address.person_id')
        .where('client_person.client_id', clientId)
        .orderBy(['topic.name', 'address.email']),
      { topic: 'topic.name', email: 'address.email', how: 'topic_opt_out.how' },
    ),
    countOf(released()),
    released()
      .orderBy('released_at', 'desc')
      .orderBy('id', 'desc')
      .offset(offset)
      .limit(limit)
      .select('id', 'name', 'head_id', 'released_at'),
  ]);
  return {
    client: client.name,
    past: client.status === 'past',
    reached: today.recipients.map(({ name, email, senderName }) => ({ name, email, from: senderName })),
    hindrances: today.leftOut.map(({ why, detail }) => ({ why, detail })),
    topicsOut,
    total,
    mailings: await howTheyWent(
      db,
      clientId,
      mailings.map(({ id, name, head_id, released_at }) => ({
        ...{ id, name, follows: head_id !== null, releasedAt: released_at ?? new Date(0) },
      })),
    ),
  };
}

async function howTheyWent(
  db: Knex,
  clientId: number,
  mailings: readonly { id: number; name: string; follows: boolean; releasedAt: Date }[],
): Promise<TracedMailing[]> {
  const ids = mailings.map(({ id }) => id);
  if (!ids.length) return [];
  const own = (table: 'dispatch' | 'mailing_left_out') =>
    db(table).where(`${table}.client_id`, clientId).whereIn(`${table}.mailing_id`, ids);
  const [copies, left, reports] = await Promise.all([
    select(
      own('dispatch')
        .leftJoin('message', 'message.id', 'dispatch.answered_message_id')
        .orderBy('dispatch.id'),
      {
        id: 'dispatch.id',
        mailing_id: 'dispatch.mailing_id',
        to: 'dispatch.to_name',
        address: 'dispatch.to_address',
        state: 'dispatch.state',
        next_at: 'dispatch.next_at',
        handed_at: 'dispatch.handed_at',
        sent_at: 'dispatch.sent_at',
        answer: 'dispatch.answer',
        opened_at: 'dispatch.opened_at',
        followed_at: 'dispatch.followed_at',
        opted_out_at: 'dispatch.opted_out_at',
        message_id: 'dispatch.logged_message_id',
        answered_at: 'message.at?',
      },
    ),
    select(own('mailing_left_out').orderBy('mailing_left_out.id'), {
      mailing_id: 'mailing_left_out.mailing_id',
      why: 'mailing_left_out.why',
      detail: 'mailing_left_out.detail',
    }),
    select(
      own('dispatch')
        .join('return_report', 'return_report.dispatch_id', 'dispatch.id')
        .orderBy('return_report.at'),
      {
        dispatch_id: 'dispatch.id',
        at: 'return_report.at',
        why: 'return_report.why',
        kind: 'return_report.kind',
      },
    ),
  ]);
  const copiesOf = groupBy(copies, (row) => row.mailing_id ?? 0);
  const leftOf = groupBy(left, (row) => row.mailing_id);
  const reportsOf = groupBy(reports, (row) => row.dispatch_id);
  return mailings.map(({ id, name, follows, releasedAt }) => ({
    id,
    name,
    follows,
    releasedAt: releasedAt.toISOString(),
    copies: (copiesOf.get(id) ?? []).map((row) => ({
      id: row.id,
      to: row.to,
      address: row.address,
      state: row.state,
      messageId: row.message_id,
      steps: stepsOf(row, releasedAt, reportsOf.get(row.id) ?? []),
    })),
    leftOut: (leftOf.get(id) ?? []).map(({ why, detail }) => ({ why, detail })),
  }));
}

/** What a copy went through, in the order in which it happened. */
function stepsOf(
  row: {
    state: string;
    next_at: Date;
    handed_at: Date | null;
    sent_at: Date | null;
    answer: string | null;
    opened_at: Date | null;
    followed_at: Date | null;
    opted_out_at: Date | null;
    answered_at: Date | null;
  },
  releasedAt: Date,
  reports: readonly { at: Date; why: string; kind: string }[],
): TracedMailing['copies'][number]['steps'] {
  const waits = row.state === 'waiting' || row.state === 'delayed';
  const steps: [Date | null, string][] = [
    [releasedAt, 'released, merged with their facts'],
    [
      waits ? row.next_at : null,
      row.state === 'delayed' ? `is tried again: ${row.answer ?? ''}` : 'is to go',
    ],
    [row.handed_at, 'handed over to the mail server'],
    [row.sent_at, `taken by the mail server${row.state === 'sent' && row.answer ? `: ${row.answer}` : ''}`],
    ...reports.map(({ at, why, kind }): [Date, string] => [
      at,
      `a report says it did not arrive${kind === 'soft' ? ' for now' : ''}: ${why}`,
    ]),
    [row.opened_at, 'seen to be opened'],
    [row.followed_at, 'a link in it followed'],
    [row.answered_at, 'answered'],
    [row.opted_out_at, 'opted out by it'],
  ];
  const happened = steps
    .flatMap(([at, words]) => (at ? [{ at, words }] : []))
    .sort((a, b) => a.at.getTime() - b.at.getTime())
    .map(({ at, words }) => ({ at: at.toISOString(), words }));
  const last = happened.at(-1)?.at ?? releasedAt.toISOString();
  if (row.state === 'returned' && !reports.length)
    happened.push({ at: last, words: `refused by the mail server: ${row.answer ?? ''}` });
  if (row.state === 'uncertain')
    happened.push({ at: last, words: 'the connection broke off: it may or may not have been sent' });
  if (row.state === 'cancelled') happened.push({ at: last, words: 'cancelled before it went' });
  return happened;
}
