import { addressKey } from '../address/address.ts';
import { subjectKey } from '../conversation/subject.ts';
import { decide, evidentLesson, neverFiles, type FilingKnowledge } from './decide.ts';
import { Experience, type Lesson } from './experience.ts';
import type { Decision, FilingContext, FilingMessage } from './types.ts';

/** A place that is certain by the message and the records alone, and by what of them. */
export interface CertainPlace {
  fileId: number;
  /** `number`: typed by its writer; `only`: the records leave no other place for what its people write. */
  by: 'number' | 'only';
}

/** Knows nothing but the records. */
const NOTHING_LEARNED = new Experience();
const NO_CONTEXT: FilingContext = { earlier: new Map(), sameSubject: [] };

/** What is decided on a message by the records and rules alone, without any other message and anything learned. */
export function decideBare(knowledge: FilingKnowledge, message: FilingMessage): Decision {
  return decide(bareOf(knowledge), message, NO_CONTEXT);
}

/** What the records alone say of a message, and what it teaches where its place is certain by that. */
export interface ByRecords {
  bare: Decision;
  lesson: Lesson | null;
}

/** See {@link decideBare} and {@link certainPlace}. */
export function byRecords(knowledge: FilingKnowledge, message: FilingMessage): ByRecords {
  const bare = decideBare(knowledge, message);
  const place = certainPlace(knowledge, message, bare);
  return { bare, lesson: place && evidentLesson(knowledge.register, message, place.fileId) };
}

/** The same with nothing learned. */
export function bareOf(knowledge: FilingKnowledge): FilingKnowledge {
  return { ...knowledge, experience: NOTHING_LEARNED };
}

/** What is decided on a message without any other. */
export interface Alone {
  decision: Decision;
  /** Nothing that is learned by evidence would change it, as long as no other message has to do with it. */
  final: boolean;
}

/**
 * Decides on a message without any other: by the records alone where they settle it, else with what was learned.
 * @param bare see `decideBare`
 */
export function decideAlone(knowledge: FilingKnowledge, message: FilingMessage, bare: Decision): Alone {
  if (bare.state !== 'suggested' || isStrangers(knowledge, message, bare))
    return { decision: bare, final: true };
  const decision = decide(knowledge, message, NO_CONTEXT);
  // Of people nobody knows only persons teach.
  return { decision, final: decision.state === 'suggested' && !decision.candidates.length };
}

/**
 * Whether a message is with people nobody knows, of whom nobody has taught anything.
 * @param bare see `decideBare`
 */
export function isStrangers(knowledge: FilingKnowledge, message: FilingMessage, bare: Decision): boolean {
  const nobody =
    bare.state === 'suggested'
      ? !bare.candidates.length
      : bare.state === 'aside' && bare.evidence.some(({ kind }) => kind === 'unconnected');
  // Where a rule took the one file away that was found, another may be learned of.
  return nobody && !neverFiles(knowledge, message).size && !taughtOfStrangers(knowledge, message);
}

/** Whether persons have taught anything that bears on a message of people nobody knows. */
function taughtOfStrangers(knowledge: FilingKnowledge, message: FilingMessage): boolean {
  return knowledge.experience.knowsStrangers || taughtOfPeople(knowledge, message);
}

/** Whether persons have said where mail of those who wrote a message, or were written to, belongs. */
export function taughtOfPeople(
  { experience }: FilingKnowledge,
  { from, recipients, undelivered }: FilingMessage,
): boolean {
  const addresses = [from, ...recipients].map((each) => each?.address ?? '');
  return [...addresses, ...undelivered].some((each) => experience.habits(addressKey(each)).length > 0);
}

/**
 * Where a message belongs by evidence that depends on nothing learned and on no other message: the number of one
 * file, typed by a writer whom the records know for its client; or, between us and people of one client alone, the
 * only place that client has. Null where that is not so, where nobody vouches for the writer, for machines' mail, and
 * for what hands another message on without a number.
 * @param bare see `decideBare`
 */
export function certainPlace(
  { register }: FilingKnowledge,
  message: FilingMessage,
  bare: Decision,
): CertainPlace | null {
  const [fileId] = bare.state === 'logged' ? bare.fileIds : [];
  if (message.automatic || fileId === undefined) return null;
  if (bare.state !== 'logged' || bare.fileIds.length > 1) return null;
  const kinds = new Set(bare.evidence.flatMap(({ kind, side }) => (side === 'for' ? [kind] : [])));
  if (kinds.has('number')) return { fileId, by: 'number' };
  const { numbers } = register;
  if (message.original || kinds.has('rule') || !(kinds.has('only-file') || kinds.has('general'))) return null;
  const numbered = numbers.in(message.subject).length + numbers.in(message.own).length > 0;
  return numbered ? null : { fileId, by: 'only' };
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
