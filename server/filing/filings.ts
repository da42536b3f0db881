import type { Knex } from 'knex';
import { filingMessage } from '../../core/filing/message.ts';
import type { FilingKnowledge } from '../../core/filing/decide.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { Decision, FilingMessage } from '../../core/filing/types.ts';
import { groupBy, idsOf } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { Turns } from '../foundation/turns.ts';
import { readingsOf } from '../reading/kept.ts';
import { claimedDomain, usuallyConfirmed } from './domains.ts';

/** What is asked for of a message that is decided on again: {@link DECIDED_ON}. */
export type DecidedOn = Pick<Rows['message'], (typeof DECIDED_ON)[number]>;
export const DECIDED_ON = [
  'id',
  'message_id',
  'raw_hash',
  'at',
  'direction',
  'confirmation',
  'past',
  'waived',
  'taken_in_at',
] as const;

/** Mail of so many days before a mailbox was connected may still be waited for. */
const RECENT = 14;

/** Whether mail that lay there when its mailbox was connected was old by then. */
export function isLongPast(past: boolean, at: Date, takenInAt: Date): boolean {
  return past && takenInAt.getTime() - at.getTime() > RECENT * 24 * 3600 * 1000;
}

/** A message as filing sees it, and what the records alone say of it, if that is known. */
export interface Filing {
  message: FilingMessage;
  bare?: Decision;
}

interface Held extends Filing {
  /** What it was decided by, beside the register. */
  by: Pick<FilingKnowledge, 'rules' | 'unconnected'>;
}

/** So many letters of messages are held in this process, that what was just read is not read again to be weighed. */
const MOST_LETTERS = 80_000_000;
/** What a message weighs beside its text. */
const EACH = 1500;

/** Messages taken apart for filing, as they were read with one register: the latest of them. */
class HeldFilings {
  private readonly byHash = new Map<string, Held>();
  private letters = 0;

  get(hash: Buffer): Held | undefined {
    return this.byHash.get(hash.toString('hex'));
  }

  /** @param last it is held only while there is room: what comes first of many would else push out what comes next */
  put(hash: Buffer, filing: Held, last = false): void {
    const key = hash.toString('hex');
    if (this.byHash.has(key) || (last && this.letters >= MOST_LETTERS)) return;
    this.byHash.set(key, filing);
    this.letters += lettersOf(filing.message);
    for (const [oldest, each] of this.byHash) {
      if (this.letters <= MOST_LETTERS) return;
      this.byHash.delete(oldest);
      this.letters -= lettersOf(each.message);
    }
  }
}

function lettersOf({ own, quoted, footer, original }: FilingMessage): number {
  return EACH + own.length + quoted.length + footer.length + (original?.own.length ?? 0);
}

const held = new WeakMap<FilingRegister, HeldFilings>();

function heldWith(register: FilingRegister): HeldFilings {
  const known = held.get(register) ?? new HeldFilings();
  held.set(register, known);
  return known;
}

/** Holds what was just read and decided, for the weighing that follows. */
export function holdFiling(
  knowledge: FilingKnowledge,
  hash: Buffer,
  message: FilingMessage,
  bare: Decision,
): void {
  heldWith(knowledge.register).put(hash, { message, bare, by: knowledge });
}

/** Messages as filing sees them, from what was kept of them when they were taken in; by their ids. */
export async function filingsOf(
  trx: Knex,
  knowledge: FilingKnowledge,
  rows: readonly DecidedOn[],
): Promise<Map<number, Filing>> {
  const filings = await readFilings(trx, knowledge, rows);
  const told = rows.filter(
    (row) => row.direction === 'received' && (row.confirmation !== null || row.waived),
  );
  const domains = groupBy(told, ({ id }) => claimedDomain({ from: filings.get(id)?.message.from ?? null }));
  const usual = await usuallyConfirmed(trx, [...domains.keys()]);
  const letIn = await letInByCheckers(
    trx,
    told.filter(({ confirmation }) => confirmation === 'untold').map(({ id }) => id),
  );
  for (const [domain, ofIt] of domains)
    for (const row of ofIt) {
      const filing = filings.get(row.id);
      // What counts is whether its domain is known by now to be confirmed as a rule, not whether it was before.
      const old = row.waived || (row.past && row.confirmation === 'absent');
      const sender = old ? (usual.has(domain) ? 'absent' : null) : row.confirmation;
      if (!filing || sender === null || (sender === 'untold' && letIn.has(row.id))) continue;
      filing.message.sender = sender;
      if (sender === 'absent' && usual.has(domain)) filing.message.usuallyConfirmed = true;
    }
  for (const row of rows) {
    const filing = filings.get(row.id);
    const before = heldWith(knowledge.register).get(row.raw_hash);
    if (filing && before && decidesAlike(knowledge, filing.message, before)) filing.bare = before.bare;
  }
  return filings;
}

/** Whether what the records alone said of a message still holds: nothing it was decided by is another. */
function decidesAlike(knowledge: FilingKnowledge, message: FilingMessage, before: Held): boolean {
  return (
    knowledge.rules === before.by.rules &&
    knowledge.unconnected === before.by.unconnected &&
    message.sender === before.message.sender &&
    message.usuallyConfirmed === before.message.usuallyConfirmed &&
    message.past === before.message.past &&
    message.at === before.message.at
  );
}

/** As the message itself has it: who confirmed its sender is another matter. */
async function readFilings(
  trx: Knex,
  knowledge: FilingKnowledge,
  rows: readonly DecidedOn[],
): Promise<Map<number, Filing>> {
  const known = heldWith(knowledge.register);
  const unknown = rows.filter((row) => !known.get(row.raw_hash)).map((row) => row.raw_hash);
  const readings = unknown.length ? await readingsOf(trx, unknown) : null;
  const turns = new Turns();
  const filings = new Map<number, Filing>();
  for (const row of rows) {
    const kept = readings?.get(row.raw_hash.toString('hex'));
    const read = known.get(row.raw_hash)?.message ?? (kept && filingMessage(knowledge.register, kept.read));
    if (!read) continue;
    if (kept) known.put(row.raw_hash, { message: read, by: knowledge }, true);
    // As it came it bore what was known of its sender and its age then.
    const message: FilingMessage = {
      ...read,
      at: row.at.getTime(),
      sender: undefined,
      usuallyConfirmed: undefined,
      past: isLongPast(Boolean(row.past), row.at, row.taken_in_at) || undefined,
    };
    filings.set(row.id, { message });
    await turns.pass();
  }
  return filings;
}

/** Those of the messages that lie in a mailbox whose server lets in only what it has checked. */
async function letInByCheckers(trx: Knex, ids: readonly number[]): Promise<Set<number>> {
  if (!ids.length) return new Set();
  const found = trx('message_copy')
    .join('folder', 'folder.id', 'message_copy.folder_id')
    .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
    .whereIn('message_copy.message_id', ids)
    .where('mailbox.checks_silently', 1)
    .distinct();
  return new Set(await idsOf(found, 'message_copy.message_id'));
}
