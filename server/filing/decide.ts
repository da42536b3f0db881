import { subjectKey } from '../../core/conversation/subject.ts';
import { decide } from '../../core/filing/decide.ts';
import { filingMessage } from '../../core/filing/message.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import {
  sortingGroup,
  type Decision,
  type EarlierMessage,
  type Evidence,
  type FilingContext,
  type FilingMessage,
  type FilingState,
} from '../../core/filing/types.ts';
import { readMessage } from '../../core/message/read.ts';
import type { Transaction } from '../database/database.ts';
import { hashOf, readRaw } from '../database/raw.ts';
import { groupBy } from '../register/filingRegister.ts';

/** A message that is to be decided on. */
export interface Undecided {
  filing: FilingMessage;
  messageId: string | null;
  subjectHash: Buffer;
  subject: string;
}

/** A decision as the message's columns keep it. */
export interface Decided {
  fileIds: number[];
  columns: { state: FilingState; sorting: string | null; evidence: string; candidates: string };
}

/** Decides on messages in order; what is decided for one counts for the next. */
export async function decideFor(
  trx: Transaction,
  register: FilingRegister,
  messages: readonly Undecided[],
): Promise<Decided[]> {
  const memory = await Memory.recall(trx, messages);
  return messages.map((message) => {
    const decision = decide(register, message.filing, memory.context(message));
    memory.remember(message, decision);
    return asColumns(decision);
  });
}

function asColumns(decision: Decision): Decided {
  const candidates = decision.state === 'suggested' ? decision.candidates : [];
  return {
    fileIds: decision.state === 'logged' ? decision.fileIds : [],
    columns: {
      state: decision.state,
      sorting: decision.state === 'suggested' ? sortingGroup(candidates) : null,
      evidence: JSON.stringify(decision.evidence),
      candidates: JSON.stringify(candidates),
    },
  };
}

/** A decision that was made elsewhere, with its reason. */
export function settled(fileId: number, reason: Evidence): Decided {
  return asColumns({ state: 'logged', fileIds: [fileId], evidence: [reason] });
}

interface EarlierRow {
  id: number;
  message_id: string | null;
  message_key: Buffer | null;
  subject_key: Buffer;
  base_subject: string;
  state: FilingState;
}

const MOST_OF_ONE_SUBJECT = 20;

/** What the firm's mail says about a batch of messages, asked for in two queries and kept up as they are decided. */
class Memory {
  private constructor(
    private readonly earlier: Map<string, EarlierMessage>,
    private readonly bySubject: Map<string, EarlierMessage[]>,
  ) {}

  static async recall(trx: Transaction, messages: readonly Undecided[]): Promise<Memory> {
    const named = [
      ...new Set(
        messages.flatMap(({ filing }) => [...filing.named, ...(filing.returned ? [filing.returned] : [])]),
      ),
    ];
    const columns = ['id', 'message_id', 'message_key', 'subject_key', 'base_subject', 'state'];
    const byId: EarlierRow[] = named.length
      ? await trx('message').whereIn('message_key', named.map(hashOf)).select(columns)
      : [];
    const subjects = messages.map((message) => message.subjectHash);
    const bySubject: EarlierRow[] = await trx('message')
      .whereIn('subject_key', subjects)
      .orderBy('at', 'desc')
      .limit(subjects.length * MOST_OF_ONE_SUBJECT)
      .select(columns);
    const ids = [...new Set([...byId, ...bySubject].map((row) => row.id))];
    const filed: { message_id: number; file_id: number }[] = ids.length
      ? await trx('filing').whereIn('message_id', ids).select('message_id', 'file_id')
      : [];
    const filesOf = groupBy(filed, (row) => row.message_id);
    const asEarlier = (row: EarlierRow): EarlierMessage => ({
      messageId: row.message_id ?? '',
      state: row.state,
      fileIds: (filesOf.get(row.id) ?? []).map((each) => each.file_id),
      subjectKey: subjectKey(row.base_subject),
    });
    const grouped = groupBy(bySubject, (row) => row.subject_key.toString('hex'));
    return new Memory(
      new Map(byId.map((row) => [row.message_id ?? '', asEarlier(row)])),
      new Map([...grouped].map(([key, rows]) => [key, rows.slice(0, MOST_OF_ONE_SUBJECT).map(asEarlier)])),
    );
  }

  context(message: Undecided): FilingContext {
    const same = this.bySubject.get(message.subjectHash.toString('hex')) ?? [];
    return {
      earlier: this.earlier,
      sameSubject: same.filter(
        (other) => other.state !== 'suggested' && other.messageId !== message.messageId,
      ),
    };
  }

  remember(message: Undecided, decision: Decision): void {
    const entry: EarlierMessage = {
      messageId: message.messageId ?? '',
      state: decision.state,
      fileIds: decision.state === 'logged' ? decision.fileIds : [],
      subjectKey: subjectKey(message.subject),
    };
    if (message.messageId) this.earlier.set(message.messageId, entry);
    const key = message.subjectHash.toString('hex');
    this.bySubject.set(key, [
      entry,
      ...(this.bySubject.get(key) ?? []).filter((other) => other.messageId !== entry.messageId),
    ]);
  }
}

/**
 * Looks again at what waits in Sorting within these conversations: history comes newest first, so that
 * the message which explains another may arrive after it. Nothing a person decided is touched.
 */
export async function redecideConversations(
  trx: Transaction,
  register: FilingRegister,
  conversationIds: readonly number[],
): Promise<number> {
  const waiting: {
    id: number;
    conversation_id: number;
    message_id: string | null;
    raw_hash: Buffer;
    subject: string;
    subject_key: Buffer;
    at: Date;
  }[] = await trx('message as waiting')
    .whereIn('waiting.conversation_id', conversationIds)
    .where('waiting.state', 'suggested')
    .whereNull('waiting.decided_by')
    .whereExists((query) =>
      query
        .select(trx.raw('1'))
        .from('message as other')
        .whereRaw('other.conversation_id = waiting.conversation_id')
        .whereIn('other.state', ['logged', 'aside']),
    )
    .orderBy('waiting.at')
    .select(
      'waiting.id',
      'waiting.conversation_id',
      'waiting.message_id',
      'waiting.raw_hash',
      'waiting.subject',
      'waiting.subject_key',
      'waiting.at',
    );
  if (!waiting.length) return 0;
  const messages = await Promise.all(
    waiting.map(async (row) => ({
      filing: filingMessage(await readMessage(await readRaw(trx, row.raw_hash))),
      messageId: row.message_id,
      subjectHash: row.subject_key,
      subject: row.subject,
    })),
  );
  const decided = await decideFor(trx, register, messages);
  let filed = 0;
  for (const [index, row] of waiting.entries()) {
    const outcome = decided[index];
    if (!outcome || outcome.columns.state === 'suggested') continue;
    await trx('message')
      .where({ id: row.id })
      .update({ ...outcome.columns, decided_at: new Date() });
    if (outcome.fileIds.length)
      await trx('filing').insert(
        outcome.fileIds.map((fileId) => ({ message_id: row.id, file_id: fileId, at: row.at })),
      );
    filed++;
  }
  return filed;
}
