import { addressKey } from '../address/address.ts';
import type { Mailbox } from '../address/address.ts';
import { answersSubject, subjectKey } from '../conversation/subject.ts';
import type { Experience } from './experience.ts';
import { forwards } from './message.ts';
import type { FilingRegister, RegisteredPerson } from './register.ts';
import type { EarlierMessage, FilingContext, FilingMessage } from './types.ts';
import { stem, tellingAmong, tellingWords, wordsOf, writtenAs } from './words.ts';

/** An outside correspondent of the message, and who that is by the records. */
export interface Outsider extends Mailbox {
  key: string;
  people: readonly RegisteredPerson[];
}

/** Everything that the weighing looks at, gathered once. */
export interface Signals {
  register: FilingRegister;
  experience: Experience;
  message: FilingMessage;
  /** Outside people, of the message that is handed on when colleagues hand one on. */
  outsiders: readonly Outsider[];
  /** Sender and recipients are all ours. */
  internal: boolean;
  /** The writer is one of us. */
  outgoing: boolean;
  subject: string;
  /** The writer's words without the greeting; of the original too when colleagues hand one on. */
  own: string;
  /** Telling words of subject and text, each with the word as it stands there. */
  words: ReadonlyMap<string, string>;
  subjectWords: ReadonlySet<string>;
  /** Subject and text in sentences, as folded words; {@link neighbours} makes pairs of them. */
  sentences: readonly string[][];
  /** The first line of what is written, when it may be a greeting. */
  greeting: string;
  inSubject: readonly number[];
  inOwn: readonly number[];
  /** The nearest named message whose place is known. */
  earlier: EarlierMessage | undefined;
  /** The subject is not the one the conversation had. */
  subjectChanged: boolean;
  sameSubject: readonly EarlierMessage[];
  /** Files that others of its conversation are certainly about; whether those contradict each other. */
  told: readonly number[];
  contested: boolean;
  /** The subject says that it answers or hands on. */
  marked: boolean;
}

/** Everything about a message that weighs, gathered once. */
export function gatherSignals(
  register: FilingRegister,
  experience: Experience,
  message: FilingMessage,
  context: FilingContext,
): Signals {
  const isOurs = (address: string) => register.isOurs(address);
  const direct = [...(message.from ? [message.from] : []), ...message.recipients].filter(
    (each) => each.address && !isOurs(each.address),
  );
  for (const address of message.undelivered) if (!isOurs(address)) direct.push({ name: '', address });
  const internal = message.from !== null && isOurs(message.from.address) && !direct.length;
  const { original } = message;
  const handedOn = internal && original !== null;
  const inside = original
    ? // To whom it went at first may be a colleague's own private address: only people of the records count.
      [
        ...(original.from ? [original.from] : []),
        ...original.recipients.filter((each) => register.peopleAt(each.address).length),
      ].filter((each) => each.address && !isOurs(each.address))
    : [];
  const subject = message.subject;
  const own = handedOn
    ? `${withoutGreeting(message.own)}\n${withoutGreeting(original.own)}`
    : withoutGreeting(message.own);
  const named = [
    ...(message.returned ? [message.returned] : []),
    ...(original?.messageId && (handedOn || message.automatic) ? [original.messageId] : []),
    ...message.named,
    ...(handedOn ? original.named : []),
  ];
  // What waits in Sorting itself says nothing: the next one named may.
  const earlier = named
    .map((id) => context.earlier.get(id))
    .find((found) => found && found.state !== 'suggested');
  const sentences = sentencesOf(`${subject}\n${own}`);
  const names = namesIn(message);
  const words = tellingAmong(sentences.flat());
  for (const name of names) words.delete(name);
  return {
    register,
    experience,
    message,
    outsiders: known(register, handedOn ? inside : direct),
    internal,
    outgoing: message.from !== null && isOurs(message.from.address),
    subject,
    own,
    words,
    subjectWords: tellingWords(subject),
    sentences,
    greeting: greetingOf(message.own),
    inSubject: register.numbers.in(subject),
    inOwn: register.numbers.in(own),
    earlier,
    subjectChanged: Boolean(
      earlier?.subjectKey && !forwards(message) && subjectKey(subject) !== earlier.subjectKey,
    ),
    sameSubject: context.sameSubject,
    told: context.told ?? [],
    contested: context.contested ?? false,
    marked: answersSubject(subject),
  };
}

/** The first line of a text when it can be a greeting: more follows, and it ends like one or is of a few words. */
function greetingOf(text: string): string {
  const [line = '', ...rest] = text.split('\n').filter((each) => each.trim());
  if (!rest.length || line.length > 80 || /\d|[.?]\s*$/.test(line)) return '';
  return /[,:!]\s*$/.test(line) || wordsOf(line).length <= 4 ? line : '';
}

/** The names in a greeting are the correspondents' own, and say nothing of the matter. */
function withoutGreeting(text: string): string {
  const line = greetingOf(text);
  return line ? text.replace(line, '').trim() : text;
}

/** Words of the names of those who write and are written to. */
function namesIn({ from, recipients, original }: FilingMessage): Set<string> {
  const names = [from, ...recipients, original?.from].map((each) => each?.name ?? '');
  return tellingWords(names.join(' '));
}

function known(register: FilingRegister, mailboxes: readonly Mailbox[]): Outsider[] {
  const byKey = new Map<string, Outsider>();
  for (const { name, address } of mailboxes) {
    const key = addressKey(address);
    if (!byKey.has(key) || !byKey.get(key)?.name)
      byKey.set(key, { name, address, key, people: register.peopleAt(address) });
  }
  return [...byKey.values()];
}

function sentencesOf(text: string): string[][] {
  return text.split(/[\n.;:!?]/).map(wordsOf);
}

/** Neighbouring words of sentences, stemmed and joined by a blank. */
export function neighbours(sentences: readonly string[][]): Set<string> {
  const pairs = new Set<string>();
  for (const sentence of sentences) {
    let before = '';
    for (const word of sentence) {
      const next = stem(word);
      if (before) pairs.add(`${before} ${next}`);
      before = next;
    }
  }
  return pairs;
}

/** Neighbouring words of a text. */
export function pairsOf(text: string): Set<string> {
  return neighbours(sentencesOf(text));
}

/** Words as they stand in the message, or else in the given text, in quotation marks; of pairs, both. */
export function quoted(signals: Signals, terms: readonly string[], text = ''): string {
  const elsewhere = writtenAs(text);
  const shown = (word: string) => signals.words.get(word) ?? elsewhere.get(word) ?? word;
  return terms
    .slice(0, 3)
    .map((term) => `“${term.split(' ').map(shown).join(' ')}”`)
    .join(', ');
}
