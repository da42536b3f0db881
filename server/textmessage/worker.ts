import { readPhone } from '../../core/address/phone.ts';
import { waitBeforeNext } from '../../core/delivery/attempts.ts';
import { textLength, wishOf } from '../../core/textmessage/gsm.ts';
import { noteHappenings } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog, inSeconds, transact, type Transaction } from '../foundation/database.ts';
import { isSetUp, readFirm } from '../foundation/firm.ts';
import { Rounds } from '../foundation/rounds.ts';
import type { Rows } from '../foundation/tables.ts';
import {
  eventsAfter,
  GatewayRefusal,
  handOver,
  reached,
  type GatewayEvent,
  type GatewayRow,
} from './gateway.ts';
import { readGateway } from './settings.ts';
import { tellOf } from './write.ts';

const LEASE_SECONDS = 60;
/** So many are claimed at once. */
const CLAIM = 20;
/** What a gateway does not take within so long is given up, in hours. */
const GIVEN_UP = 24;

type TextRow = Rows['text_message'];
/** @returns how many text messages it made, or looked at */
export type Feed = (context: AppContext) => Promise<number>;

/**
 * Sends text messages and takes in what the gateway tells: reports and answers. Any number of processes; a message handed
 * over twice goes once, since the gateway knows it by its mark.
 */
export class TextWorker {
  private readonly rounds: Rounds;

  /** @param feeds what makes further text messages, such as mailings: each tells how many it looked at */
  constructor(
    private readonly context: AppContext,
    private readonly feeds: readonly Feed[] = [],
  ) {
    this.rounds = new Rounds(
      context,
      () => this.round(),
      ['texts', 'mailings'],
      'text messages could not be sent',
    );
  }

  start(): void {
    this.rounds.start();
  }

  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** Sends what waits, and asks the gateway what happened. @returns whether there may be more at once */
  async round(): Promise<boolean> {
    const { db } = this.context;
    if (!(await isSetUp(db))) return false;
    const gateway = await readGateway(db);
    if (!gateway) return false;
    let fed = 0;
    for (const feed of this.feeds) fed += await feed(this.context);
    const claimed = await this.claim();
    for (const row of claimed) await this.send(gateway, row);
    const events = await this.listen();
    return claimed.length === CLAIM || events > 0 || fed > 0;
  }

  private async claim(): Promise<TextRow[]> {
    const { db, process } = this.context;
    return transact(db, async (trx) => {
      const rows = await trx('text_message')
        .where((due) =>
          due
            .where((waits) => waits.where({ state: 'waiting' }).where('next_at', '<=', new Date()))
            // What a process left lying is handed over again: under its mark it goes once.
            .orWhere((left) => left.where({ state: 'going' }).whereRaw('lease_until < UTC_TIMESTAMP(3)')),
        )
        .orderBy('id')
        .limit(CLAIM)
        .forUpdate()
        .skipLocked()
        .select();
      if (rows.length)
        await trx('text_message')
          .whereIn(
            'id',
            rows.map(({ id }) => id),
          )
          .update({
            state: 'going',
            lease_owner: process,
            lease_until: inSeconds(trx, LEASE_SECONDS),
            attempts: trx.raw('attempts + 1'),
          });
      return rows.map((row) => ({ ...row, attempts: row.attempts + 1 }));
    });
  }

  private async send(gateway: GatewayRow, row: TextRow): Promise<void> {
    const stopped = await this.context
      .db('text_number')
      .where({ number_key: row.number_key })
      .first('stopped_at');
    if (stopped?.stopped_at)
      return this.settle(row, { state: 'cancelled', why: 'They want no text messages.' });
    try {
      const message = { from: gateway.sender, to: row.number_key, text: row.text };
      const { parts, price } = await handOver(reached(gateway, this.context.config), row.mark, message);
      await this.settle(row, { state: 'sent', parts, price, why: '' });
    } catch (error) {
      const words = (error as Error).message.slice(0, 300);
      const late = Date.now() - row.at.getTime() > GIVEN_UP * 3600_000;
      if (error instanceof GatewayRefusal || late) return this.settle(row, { state: 'failed', why: words });
      const wait = waitBeforeNext(row.attempts) * 1000 * this.context.config.waitScale;
      await this.settle(row, { state: 'waiting', why: words, next_at: new Date(Date.now() + wait) });
    }
  }

  private async settle(row: TextRow, became: Partial<TextRow>): Promise<void> {
    await transact(this.context.db, async (trx) => {
      const done = await trx('text_message')
        .where({ id: row.id, state: 'going', lease_owner: this.context.process })
        .update({ ...became, lease_owner: null, lease_until: null });
      if (!done) return;
      await tellCopy(trx, row.dispatch_id, became);
      await tellOf(trx, [row.file_id]);
    });
  }

  /** Takes in what happened since the gateway was last asked: by one process at a time. @returns how much that was */
  private async listen(): Promise<number> {
    const { db, config, process, log } = this.context;
    const held = await db('text_gateway')
      .where({ one: 1 })
      .where((free) =>
        free
          .whereNull('lease_until')
          .orWhereRaw('lease_until < UTC_TIMESTAMP(3)')
          .orWhere({ lease_owner: process }),
      )
      .update({ lease_owner: process, lease_until: inSeconds(db, LEASE_SECONDS) });
    const gateway = held ? await readGateway(db) : undefined;
    if (!gateway) return 0;
    try {
      const events = await eventsAfter(reached(gateway, config), gateway.read_until);
      const fresh = events
        .filter(({ number }) => number > gateway.read_until)
        .sort((a, b) => a.number - b.number);
      const home = (await readFirm(db)).country;
      for (const event of fresh) await transact(db, (trx) => takeIn(trx, event, home));
      await db('text_gateway').where({ one: 1 }).update({ read_at: new Date(), problem: null });
      return fresh.length;
    } catch (error) {
      const problem = (error as Error).message.slice(0, 300);
      log.warn({ error: errorForLog(error) }, 'the gateway could not be asked');
      await db('text_gateway').where({ one: 1 }).update({ problem });
      return 0;
    } finally {
      await db('text_gateway')
        .where({ one: 1, lease_owner: process })
        .update({ lease_owner: null, lease_until: null });
    }
  }
}

/** A copy of a mailing fares as its text message does. */
async function tellCopy(
  trx: Transaction,
  dispatchId: number | null,
  { state, why = '' }: Partial<TextRow>,
): Promise<void> {
  if (dispatchId === null) return;
  const copy = {
    sent: { state: 'sent' as const, sent_at: new Date() },
    failed: { state: 'returned' as const, return_kind: 'soft' as const, answer: why },
    cancelled: { state: 'cancelled' as const, answer: why },
  }[state as string];
  if (!copy) return;
  await trx('dispatch').where({ id: dispatchId }).update(copy);
  await noteChange(trx, 'mailings');
}

/** One event, and how far the gateway has been read, together: each once. */
async function takeIn(trx: Transaction, event: GatewayEvent, home: string): Promise<void> {
  const next = await trx('text_gateway')
    .where({ one: 1 })
    .where('read_until', '<', event.number)
    .update({ read_until: event.number });
  if (!next) return;
  if (event.kind === 'answer') return takeAnswer(trx, event, home);
  const row = await trx('text_message').where({ mark: event.id, direction: 'sent' }).forUpdate().first();
  if (!row) return;
  await trx('text_message')
    .where({ id: row.id })
    .update(
      event.kind === 'delivered'
        ? { state: 'delivered', delivered_at: new Date(event.at) }
        : { state: 'failed', why: event.why },
    );
  if (event.kind !== 'delivered') await tellCopy(trx, row.dispatch_id, { state: 'failed', why: event.why });
  await tellOf(trx, [row.file_id]);
}

/**
 * An answer goes where the last message to its number was; else to the one client whose number it is; else somebody
 * says where it belongs. One word ends all text messages to that number.
 */
async function takeAnswer(trx: Transaction, event: GatewayEvent, home: string): Promise<void> {
  const phone = readPhone(event.from, home);
  const key = phone.key.slice(0, 20);
  const last = await trx('text_message')
    .where({ number_key: key, direction: 'sent' })
    .orderBy('id', 'desc')
    .first('client_id', 'person_id', 'file_id', 'staff_id', 'dispatch_id');
  // A test copy went to a colleague, and is of nobody's.
  const { dispatch_id: copyId = null, ...place } =
    last && last.client_id !== null ? last : await placeOf(trx, key);
  const wish = wishOf(event.text);
  await trx('text_message').where({ number_key: key, waits: 1 }).update({ waits: 0 });
  const [id = 0] = await trx('text_message').insert({
    ...{ mark: `event ${event.number}`, direction: 'received', state: 'received' },
    ...{ number_key: key, number: phone.shown.slice(0, 40), ...place, text: event.text },
    ...{ parts: textLength(event.text).parts, at: new Date(event.at), waits: wish === null },
  });
  await noteAnswer(trx, copyId, id, wish === 'stop' ? new Date(event.at) : null);
  if (wish) {
    const stopped =
      wish === 'stop'
        ? { stopped_at: new Date(event.at), stopped_how: `answered “${event.text.slice(0, 40)}”` }
        : { stopped_at: null, stopped_how: '' };
    await trx('text_number')
      .insert({ number_key: key, ...stopped })
      .onConflict('number_key')
      .merge(stopped);
    if (wish === 'stop') await cancelWaiting(trx, key);
  }
  await tellOf(trx, [place.file_id]);
}

/** What waits for a number that wants no more does not go. */
async function cancelWaiting(trx: Transaction, key: string): Promise<void> {
  const why = 'They want no text messages.';
  const waiting = await trx('text_message')
    .where({ number_key: key, state: 'waiting' })
    .select('id', 'dispatch_id');
  await trx('text_message')
    .whereIn(
      'id',
      waiting.map(({ id }) => id),
    )
    .update({ state: 'cancelled', why });
  for (const { dispatch_id } of waiting) await tellCopy(trx, dispatch_id, { state: 'cancelled', why });
}

/** The copy of a mailing that was answered, the first time; or by which somebody wants no more. */
async function noteAnswer(
  trx: Transaction,
  dispatchId: number | null,
  textId: number,
  stoppedAt: Date | null,
): Promise<void> {
  if (dispatchId === null) return;
  const fresh = await trx('dispatch')
    .where({ id: dispatchId })
    .whereNull('answered_text_id')
    .whereNull('answered_message_id')
    .update({ answered_text_id: textId });
  if (stoppedAt) await trx('dispatch').where({ id: dispatchId }).update({ opted_out_at: stoppedAt });
  if (fresh && !stoppedAt)
    await noteHappenings(trx, [
      { kind: 'mailing answered', subject: 'dispatch', id: dispatchId, fact: null, value: null },
    ]);
  await noteChange(trx, 'mailings');
}

type Place = Pick<TextRow, 'client_id' | 'person_id' | 'file_id' | 'staff_id'> & {
  dispatch_id?: number | null;
};

async function placeOf(trx: Transaction, key: string): Promise<Place> {
  const phones = await trx('phone')
    .leftJoin('client_person', 'client_person.person_id', 'phone.person_id')
    .where('phone.number_key', key)
    .select({ person_id: 'phone.person_id', own: 'phone.client_id', theirs: 'client_person.client_id' });
  const clients = [...new Set(phones.flatMap(({ own, theirs }) => own ?? theirs ?? []))] as number[];
  const people = [...new Set(phones.flatMap(({ person_id }) => person_id ?? []))] as number[];
  const [clientId] = clients;
  if (clientId === undefined || clients.length > 1)
    return {
      client_id: null,
      person_id: people.length === 1 ? (people[0] ?? null) : null,
      file_id: null,
      staff_id: null,
    };
  const general = await trx('file').where({ client_id: clientId, general: 1 }).orderBy('id').first('id');
  return {
    client_id: general ? clientId : null,
    person_id: people.length === 1 ? (people[0] ?? null) : null,
    file_id: general?.id ?? null,
    staff_id: null,
  };
}
