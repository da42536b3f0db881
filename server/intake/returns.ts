import { noteHappenings } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { addressKey } from '../../core/address/address.ts';
import { namedMessages } from '../../core/conversation/conversation.ts';
import { returnKind, returnWords, type ReportedRecipient } from '../../core/delivery/report.ts';
import { cut } from '../../core/message/limits.ts';
import type { Transaction } from '../foundation/database.ts';
import { hashOf } from '../foundation/sources.ts';
import type { Prepared } from './prepare.ts';
import { countOf, insertAll, select, selectFirst } from '../foundation/rows.ts';
import { fromJson } from '../foundation/json.ts';

/** More addresses than this reported dead within the time below are a rush: a person looks first. */
const RUSH = 10;
const RUSH_MINUTES = 60;

type IdOf = (message: Prepared) => number;

/**
 * What reports say of messages that we sent: each counts only for a recipient of the very message it names.
 * An address that is dead is not written to any more; when many are said to be at once, a person is asked.
 */
export async function noteReturns(
  trx: Transaction,
  messages: readonly Prepared[],
  idOf: IdOf,
): Promise<void> {
  for (const message of messages) {
    const failed = (message.read.report?.recipients ?? []).filter(({ action }) => action === 'failed');
    const original = message.read.report?.originalMessageId;
    if (failed.length && original) await noteReport(trx, message, idOf(message), original, failed);
  }
}

async function noteReport(
  trx: Transaction,
  message: Prepared,
  id: number,
  original: string,
  failed: readonly ReportedRecipient[],
): Promise<void> {
  const sent = await sentTo(trx, original);
  for (const recipient of failed) {
    // Where it was handed on, the address we wrote to is the first.
    const address = [recipient.original, recipient.address].find((each) => each && sent.has(keyOf(each)));
    const target = address && sent.get(keyOf(address));
    if (!target) continue;
    const key = keyOf(address);
    const kind = returnKind(recipient.status, recipient.diagnostic);
    const held = kind === 'hard' && (await rushing(trx));
    const why = cut(returnWords(recipient.status), 255);
    const state = kind === 'soft' ? 'noted' : held ? 'held' : 'applied';
    await insertAll(
      trx,
      'return_report',
      [
        {
          message_id: id,
          about_id: target.messageId,
          dispatch_id: target.dispatchId,
          email_key: key,
          email: cut(address, 254),
          kind,
          why,
          at: message.at,
          noted_at: new Date(),
          state,
        },
      ],
      { ignore: true },
    );
    if (target.dispatchId)
      await trx('dispatch')
        .where({ id: target.dispatchId })
        .whereIn('state', ['sent', 'uncertain', 'going'])
        .update({
          state: 'returned',
          return_kind: kind,
          answer: cut(recipient.diagnostic || recipient.status, 500),
        });
    if (state === 'applied') await markDead(trx, key, message.at, why);
  }
}

/** An address from which somebody writes is not dead, whatever was said of it before. */
export async function noteAlive(trx: Transaction, messages: readonly Prepared[]): Promise<void> {
  const latest = new Map<string, Date>();
  for (const { read, filing, ours, confirmation, at } of messages) {
    if (ours || filing.automatic || confirmation === 'failed' || !read.from) continue;
    const key = keyOf(read.from.address);
    const before = latest.get(key);
    if (!before || before < at) latest.set(key, at);
  }
  if (!latest.size) return;
  const dead = await trx('address')
    .whereIn('email_key', [...latest.keys()])
    .whereNotNull('returned_at')
    .select('id', 'email_key', 'returned_at');
  const alive = dead.filter(({ email_key, returned_at }) => {
    const wrote = latest.get(email_key);
    return wrote && returned_at && wrote > returned_at;
  });
  if (!alive.length) return;
  await trx('address')
    .whereIn(
      'id',
      alive.map(({ id }) => id),
    )
    .update({ returned_at: null, returned_why: null });
  await noteChange(trx, 'records');
}

function keyOf(address: string): string {
  return cut(addressKey(address), 254);
}

/** Notes that an address is dead. */
export async function markDead(trx: Transaction, key: string, at: Date, why: string): Promise<void> {
  await trx('address')
    .where({ email_key: key })
    .andWhere((query) => query.whereNull('returned_at').orWhere('returned_at', '<', at))
    .update({ returned_at: at, returned_why: why });
}

/** To whom a message of ours went, by the keys of their addresses. */
async function sentTo(
  trx: Transaction,
  messageId: string,
): Promise<Map<string, { messageId: number | null; dispatchId: number | null }>> {
  const [dispatched, parties] = await Promise.all([
    selectFirst(
      trx('dispatch')
        .leftJoin('draft', 'draft.id', 'dispatch.draft_id')
        .where('dispatch.message_id', messageId)
        .whereNotNull('handed_at'),
      {
        id: 'dispatch.id',
        to_address: 'dispatch.to_address',
        people: 'draft.people?',
        logged_message_id: 'dispatch.logged_message_id',
      },
    ),
    select(
      trx('message')
        .join('message_party', 'message_party.message_id', 'message.id')
        .where({ message_key: hashOf(messageId) })
        .whereIn('direction', ['sent', 'internal'])
        .whereNot('role', 'from'),
      { id: 'message.id', email_key: 'message_party.email_key' },
    ),
  ]);
  const sent = new Map<string, { messageId: number | null; dispatchId: number | null }>();
  for (const { id, email_key } of parties) sent.set(email_key, { messageId: id, dispatchId: null });
  if (dispatched) {
    const single = { messageId: dispatched.logged_message_id, dispatchId: dispatched.id };
    const written = dispatched.people ? Object.values(fromJson('draft.people', dispatched.people)) : [];
    for (const { email } of written.flat()) sent.set(addressKey(email), single);
    sent.set(addressKey(dispatched.to_address), single);
  }
  return sent;
}

async function rushing(trx: Transaction): Promise<boolean> {
  const noted = trx('return_report')
    .whereIn('state', ['applied', 'held'])
    .where('noted_at', '>', new Date(Date.now() - RUSH_MINUTES * 60_000));
  return (await countOf(noted)) >= RUSH;
}

/** Which of our mailings were answered; few are, so that one question for a whole batch comes first. */
export async function noteAnswers(
  trx: Transaction,
  messages: readonly Prepared[],
  idOf: IdOf,
): Promise<void> {
  const answers = messages
    .filter((message) => !message.ours && !message.filing.automatic && message.confirmation !== 'failed')
    .map((message) => ({ message, named: namedMessages(message.read) }));
  const named = [...new Set(answers.flatMap((answer) => answer.named))];
  if (!named.length) return;
  const rows = await trx('dispatch')
    .whereIn('message_id', named)
    .whereNull('answered_message_id')
    .select('id', 'message_id', 'mailing_id');
  const open = new Set(rows.map((row) => row.message_id));
  const mailed = rows.filter(
    ({ message_id, mailing_id }) => mailing_id && answers.some((answer) => answer.named.includes(message_id)),
  );
  await noteHappenings(
    trx,
    mailed.map(({ id }) => ({ kind: 'mailing answered', subject: 'dispatch', id, fact: null, value: null })),
  );
  for (const answer of open.size ? answers : []) {
    const ours = answer.named.filter((id) => open.has(id));
    if (ours.length)
      await trx('dispatch')
        .whereIn('message_id', ours)
        .whereNull('answered_message_id')
        .update({
          answered_message_id: idOf(answer.message),
          // Whoever answers it has opened it.
          opened_at: trx.raw('COALESCE(opened_at, ?)', [new Date()]),
        });
  }
}
