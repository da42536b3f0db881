import { addressKey } from '../address/address.ts';
import { subjectKey } from '../conversation/subject.ts';
import { decide, type FilingKnowledge } from './decide.ts';
import { Experience } from './experience.ts';
import type { FilingContext, FilingMessage } from './types.ts';

/** A place that is certain by the message and the records alone, and by what of them. */
export interface CertainPlace {
  fileId: number;
  /** `number`: typed by its writer; `only`: the records leave no other place for what its people write. */
  by: 'number' | 'only';
}

/** Knows nothing but the records. */
const NOTHING_LEARNED = new Experience();
const NO_CONTEXT: FilingContext = { earlier: new Map(), sameSubject: [] };

/**
 * Where a message belongs by evidence that depends on nothing learned and on no other message: the number of one
 * file, typed by a writer whom the records know for its client; or, between us and people of one client alone, the
 * only place that client has. Null where that is not so, where nobody vouches for the writer, for machines' mail, and
 * for what hands another message on without a number.
 */
export function certainPlace(
  { register, rules }: FilingKnowledge,
  message: FilingMessage,
): CertainPlace | null {
  if (message.automatic) return null;
  const { numbers } = register;
  const numbered = numbers.in(message.subject).length + numbers.in(message.own).length > 0;
  if (!numbered && message.original) return null;
  const decision = decide({ register, rules, experience: NOTHING_LEARNED }, message, NO_CONTEXT);
  const [fileId] = decision.state === 'logged' ? decision.fileIds : [];
  if (decision.state !== 'logged' || fileId === undefined || decision.fileIds.length > 1) return null;
  const kinds = new Set(decision.evidence.flatMap(({ kind, side }) => (side === 'for' ? [kind] : [])));
  if (kinds.has('number')) return { fileId, by: 'number' };
  if (numbered || kinds.has('rule')) return null;
  return kinds.has('only-file') || kinds.has('general') ? { fileId, by: 'only' } : null;
}

/** A message, and on which file it is by evidence or by a person's word. */
export interface Placed {
  message: FilingMessage;
  fileId: number;
}

/**
 * The file from which may be learned without anybody having said so: where the message certainly belongs by itself,
 * or where the one before it in its conversation is, when it plainly goes on about the same: under the same subject,
 * from one of us or from somebody who had part in it, with no number of any other file.
 * @param before the nearest message it names, if its place is known
 */
export function evidentFile(
  knowledge: FilingKnowledge,
  message: FilingMessage,
  certain: CertainPlace | null,
  before: Placed | undefined,
): number | undefined {
  return certain?.fileId ?? (before && goesOn(knowledge, message, before) ? before.fileId : undefined);
}

function goesOn(
  { register }: FilingKnowledge,
  message: FilingMessage,
  { message: before, fileId }: Placed,
): boolean {
  if (message.automatic || message.original) return false;
  if (message.sender !== undefined && message.sender !== 'confirmed') return false;
  if (subjectKey(message.subject) !== subjectKey(before.subject)) return false;
  const from = message.from?.address ?? '';
  const key = addressKey(from);
  const took = [before.from, ...before.recipients].some((each) => each && addressKey(each.address) === key);
  if (!register.isOurs(from) && !took) return false;
  return register.numbers.in(message.own).every((id) => id === fileId);
}
