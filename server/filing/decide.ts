import { subjectKey } from '../../core/conversation/subject.ts';
import { decide, type FilingKnowledge } from '../../core/filing/decide.ts';
import { subjectKeys } from '../../core/filing/message.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import { namedOrHeld, peopleOf } from '../../core/filing/settle.ts';
import {
  MAILED,
  sortingGroup,
  type Decision,
  type EarlierMessage,
  type Evidence,
  type FilingContext,
  type FilingMessage,
  type FilingState,
  type SortingGroup,
} from '../../core/filing/types.ts';
import type { Transaction } from '../foundation/database.ts';
import { hashOf } from '../foundation/sources.ts';
import { DECIDED_ON, filingsOf } from './filings.ts';
import type { Rows } from '../foundation/tables.ts';
import { Turns } from '../foundation/turns.ts';
import { noteMove, setStanding, standingOf } from './standing.ts';
import { groupBy } from '../foundation/rows.ts';
import { toJson, type Standing } from '../foundation/json.ts';

/** A message that is to be decided on. */
export interface Undecided {
  filing: FilingMessage;
  messageId: string | null;
  subjectHashes: readonly Buffer[];
}

/** What the message is found by when its threading was lost, as the database keeps it. */
export function subjectHashes(register: FilingRegister, message: FilingMessage): Buffer[] {
  return subjectKeys(message, (address) => register.isOurs(address))
    .slice(0, MOST_KEYS)
    .map(hashOf);
}

const MOST_KEYS = 40;

/** A decision as the message's columns keep it. */
export interface Decided {
  fileIds: number[];
  columns: {
    state: FilingState;
    sorting: SortingGroup | null;
    evidence: string;
    candidates: string;
    reason: string | null;
    /** How sure filing is of what it files alone. */
    probability: number | null;
  };
}

/** Decides on messages in order; what is decided for one counts for the next. */
export async function decideFor(
  trx: Transaction,
  knowledge: FilingKnowledge,
  messages: readonly Undecided[],
): Promise<Decided[]> {
  const memory = await Memory.recall(trx, messages);
  const turns = new Turns();
  const decided: Decided[] = [];
  for (const message of messages) {
    const decision = decide(knowledge, message.filing, memory.context(message));
    memory.remember(message, decision);
    decided.push(asColumns(decision));
    await turns.pass();
  }
  return decided;
}

/** The foremost reason for which a message was put somewhere, as its column keeps it. */
export function reasonOf(decision: Decision): string | null {
  return decision.state === 'suggested' ? null : (decision.evidence[0]?.kind ?? null);
}

/** A decision as the columns keep it. */
export function asColumns(decision: Decision): Decided {
  const candidates = decision.state === 'suggested' ? decision.candidates : [];
  return {
    fileIds: decision.state === 'logged' ? decision.fileIds : [],
    columns: {
      state: decision.state,
      sorting: decision.state === 'suggested' ? sortingGroup(candidates) : null,
      evidence: toJson('message.evidence', decision.evidence),
      candidates: toJson('message.candidates', candidates),
      reason: reasonOf(decision),
      probability: decision.state === 'logged' ? decision.probability : null,
    },
  };
}

/** A decision that was made elsewhere, with its reason. */
export function settled(fileIds: number[], reason: Evidence): Decided {
  return asColumns({ state: 'logged', fileIds, probability: 1, evidence: [reason] });
}

/** A decision that a message belongs on no file, made elsewhere: set aside, or private. */
export function apart(state: 'aside' | 'private', reason: Evidence): Decided {
  return asColumns({ state, evidence: [reason] });
}

type EarlierRow = Pick<
  Rows['message'],
  'id' | 'message_id' | 'base_subject' | 'state' | 'reason' | 'direction'
>;

const MOST_OF_ONE_SUBJECT = 12;

/** What the firm's mail says about a batch of messages, asked for in three queries and kept up as they are decided. */
class Memory {
  private constructor(
    private readonly earlier: Map<string, EarlierMessage>,
    private readonly bySubject: Map<string, EarlierMessage[]>,
  ) {}

  /** Asks for all that a batch may have to do with. */
  static async recall(trx: Transaction, messages: readonly Undecided[]): Promise<Memory> {
    const named = [...new Set(messages.flatMap(({ filing }) => namedOrHeld(filing)))];
    const byId = named.length
      ? await trx('message')
          .whereIn('message_key', named.map(hashOf))
          .orderBy('id', 'desc')
          .select('id', 'message_id', 'base_subject', 'state', 'reason', 'direction')
      : [];
    // Of several that bear one identifier ours counts, else the first taken in.
    byId.sort((a, b) => Number(a.direction !== 'received') - Number(b.direction !== 'received'));
    const hashes = new Map(
      messages.flatMap((message) => message.subjectHashes).map((hash) => [hash.toString('hex'), hash]),
    );
    const bySubject = hashes.size ? await underSubjects(trx, [...hashes.values()]) : [];
    const ids = [...new Set([...byId, ...bySubject].map((row) => row.id))];
    const filed = ids.length
      ? await trx('filing').whereIn('message_id', ids).select('message_id', 'file_id')
      : [];
    const filesOf = groupBy(filed, (row) => row.message_id);
    const parties = byId.length
      ? await trx('message_party')
          .whereIn(
            'message_id',
            byId.map((row) => row.id),
          )
          .select('message_id', 'email_key')
      : [];
    const peopleOf = groupBy(parties, (row) => row.message_id);
    const asEarlier = (row: EarlierRow): EarlierMessage => ({
      messageId: row.message_id ?? '',
      state: row.state,
      fileIds: (filesOf.get(row.id) ?? []).map((each) => each.file_id),
      mailed: row.reason === MAILED,
      subjectKey: subjectKey(row.base_subject),
      people: new Set((peopleOf.get(row.id) ?? []).map((each) => each.email_key)),
    });
    const grouped = groupBy(bySubject, (row) => row.subject_key.toString('hex'));
    return new Memory(
      new Map(byId.map((row) => [row.message_id ?? '', asEarlier(row)])),
      new Map([...grouped].map(([key, rows]) => [key, rows.slice(0, MOST_OF_ONE_SUBJECT).map(asEarlier)])),
    );
  }

  /** What is known about one message of the batch. */
  context(message: Undecided): FilingContext {
    const found = new Map<string, EarlierMessage>();
    for (const hash of message.subjectHashes)
      for (const other of this.bySubject.get(hash.toString('hex')) ?? [])
        if (other.state !== 'suggested' && other.messageId !== message.messageId)
          found.set(other.messageId, other);
    return { earlier: this.earlier, sameSubject: [...found.values()] };
  }

  /** What was decided counts for the messages after it. */
  remember(message: Undecided, decision: Decision): void {
    const entry: EarlierMessage = {
      messageId: message.messageId ?? '',
      state: decision.state,
      fileIds: decision.state === 'logged' ? decision.fileIds : [],
      subjectKey: subjectKey(message.filing.subject),
      people: peopleOf(message.filing),
    };
    if (message.messageId) this.earlier.set(message.messageId, entry);
    for (const hash of message.subjectHashes) {
      const key = hash.toString('hex');
      const others = (this.bySubject.get(key) ?? []).filter((other) => other.messageId !== entry.messageId);
      this.bySubject.set(key, [entry, ...others]);
    }
  }
}

/** The latest settled messages under each subject; however many there are, only so many of each are looked at. */
async function underSubjects(
  trx: Transaction,
  keys: readonly Buffer[],
): Promise<(EarlierRow & { subject_key: Buffer })[]> {
  const latest =
    '(SELECT message_id, subject_key FROM message_subject WHERE subject_key = ? ORDER BY message_id DESC LIMIT ?)';
  const [rows] = await trx.raw<[(EarlierRow & { subject_key: Buffer })[], unknown]>(
    `SELECT message.id, message.message_id, message.base_subject, message.state, message.reason, latest.subject_key
      FROM (${keys.map(() => latest).join(' UNION ALL ')}) AS latest
      JOIN message ON message.id = latest.message_id
      WHERE message.state <> 'suggested' ORDER BY message.at DESC`,
    keys.flatMap((key) => [key, MOST_OF_ONE_SUBJECT]),
  );
  return rows;
}

/** Looks again at what waits in Sorting within a conversation of which a person just settled a message. */
export async function redecideConversation(
  trx: Transaction,
  knowledge: FilingKnowledge,
  conversationId: number,
  stepId: number,
): Promise<number> {
  const waiting: number[] = await trx('message')
    .where({ conversation_id: conversationId, state: 'suggested' })
    .whereNull('decided_by')
    .limit(MOST_ALIKE)
    .pluck('id');
  return redecide(trx, knowledge, waiting, { stepId });
}

const MOST_ALIKE = 50;

/** Looks again at what waits from or to the people of a message about which something was just learned. */
export async function redecideAlike(
  trx: Transaction,
  knowledge: FilingKnowledge,
  messageId: number,
  stepId?: number,
): Promise<number> {
  const people = await trx('message_party').where({ message_id: messageId }).distinct('email_key');
  const outside = people.map((row) => row.email_key).filter((key) => !knowledge.register.isOurs(key));
  if (!outside.length) return 0;
  const ids: number[] = await trx('message_party')
    .join('message', 'message.id', 'message_party.message_id')
    .whereIn('message_party.email_key', outside)
    .where('message.state', 'suggested')
    .whereNull('message.decided_by')
    .whereNot('message.id', messageId)
    .distinct('message.id')
    .limit(MOST_ALIKE)
    .pluck('message.id');
  return redecide(trx, knowledge, ids, stepId === undefined ? {} : { stepId });
}

/**
 * Decides again on waiting messages, and keeps what is now surer: a place, or another ranking. What a person
 * decided is left alone.
 * @param stepId the step that taught it, with which the change is taken back
 * @param evenAside also what was set aside without a person, since it turns out to be something else
 */
export async function redecide(
  trx: Transaction,
  knowledge: FilingKnowledge,
  ids: readonly number[],
  { stepId, evenAside = false }: { stepId?: number; evenAside?: boolean } = {},
): Promise<number> {
  if (!ids.length) return 0;
  const waiting = await trx('message')
    .whereIn('id', ids)
    .whereNull('problem')
    .orderBy('at')
    .select(...DECIDED_ON);
  const filings = await filingsOf(trx, knowledge, waiting);
  const messages = waiting.flatMap((row): Undecided[] => {
    const filing = filings.get(row.id)?.message;
    if (!filing) return [];
    const hashes = subjectHashes(knowledge.register, filing);
    return [{ filing, messageId: row.message_id, subjectHashes: hashes }];
  });
  const decided = await decideFor(trx, knowledge, messages);
  let filed = 0;
  for (const [index, row] of waiting.entries()) {
    const outcome = decided[index];
    if (!outcome) continue;
    const before = await standingOf(trx, row.id);
    // Somebody may have settled it meanwhile.
    const open = before.state === 'suggested' || (evenAside && before.state === 'aside');
    if (!open || before.decided_by !== null) continue;
    const { state, candidates } = outcome.columns;
    if (state === before.state && candidates === before.candidates) continue;
    const after: Standing = {
      ...before,
      ...outcome.columns,
      decided_at: new Date().toISOString(),
      fileIds: outcome.fileIds,
    };
    await setStanding(trx, row.id, after);
    if (stepId !== undefined) await noteMove(trx, stepId, row.id, before, after, true);
    if (state !== 'suggested') filed++;
  }
  return filed;
}
