import { addressKey } from '../address/address.ts';
import type { Mailbox } from '../address/address.ts';
import { answersSubject, subjectKey } from '../conversation/subject.ts';
import type { Experience } from './experience.ts';
import { forwards } from './message.ts';
import type { FilingRegister, RegisteredPerson } from './register.ts';
import type { EarlierMessage, FilingContext, FilingMessage, OriginalMessage } from './types.ts';
import { stem, tellingAmong, tellingWords, wordsOf, writtenAs } from './words.ts';

/** An outside correspondent of the message, and who that is by the records. */
export interface Outsider extends Mailbox {
  key: string;
  people: readonly RegisteredPerson[];
}

/**
 * Everything that the weighing looks at. What the text tells is worked out when it is first asked for: most of what
 * nobody of the records has to do with is settled without.
 */
export class Signals {
  /** Outside people, of the message that is handed on when colleagues hand one on. */
  readonly outsiders: readonly Outsider[];
  /** Sender and recipients are all ours. */
  readonly internal: boolean;
  /** The writer is one of us. */
  readonly outgoing: boolean;
  readonly subject: string;
  /** The writer's words without the greeting; of the original too when colleagues hand one on. */
  readonly own: string;
  readonly inSubject: readonly number[];
  readonly inOwn: readonly number[];
  /** The nearest named message whose place is known. */
  readonly earlier: EarlierMessage | undefined;
  /** The subject is not the one the conversation had. */
  readonly subjectChanged: boolean;
  readonly sameSubject: readonly EarlierMessage[];
  /** Files that others of its conversation are certainly about; whether those contradict each other. */
  readonly told: readonly number[];
  readonly contested: boolean;
  /** The message that colleagues hand on. */
  private readonly handedOn: OriginalMessage | null;
  private wording: Wording | undefined;

  constructor(
    readonly register: FilingRegister,
    readonly experience: Experience,
    readonly message: FilingMessage,
    context: FilingContext,
  ) {
    const { from, recipients, original } = message;
    this.outgoing = from !== null && register.isOurs(from.address);
    const direct = [from, ...recipients, ...message.undelivered.map((address) => ({ name: '', address }))];
    const outside = strange(register, direct);
    this.internal = this.outgoing && !outside.length;
    this.handedOn = this.internal ? original : null;
    // To whom it went at first may be a colleague's own private address: only people of the records count.
    const inside = this.handedOn && [
      this.handedOn.from,
      ...this.handedOn.recipients.filter(({ address }) => register.peopleAt(address).length),
    ];
    this.outsiders = known(register, inside ? strange(register, inside) : outside);
    this.subject = message.subject;
    const own = withoutGreeting(message.own);
    this.own = this.handedOn ? `${own}\n${withoutGreeting(this.handedOn.own)}` : own;
    this.inSubject = register.numbers.in(this.subject);
    this.inOwn = register.numbers.in(this.own);
    const named = [
      ...(message.returned ? [message.returned] : []),
      ...(original?.messageId && (this.handedOn || message.automatic) ? [original.messageId] : []),
      ...message.named,
      ...(this.handedOn?.named ?? []),
    ];
    // What waits in Sorting itself says nothing: the next one named may.
    this.earlier = named
      .map((id) => context.earlier.get(id))
      .find((found) => found && found.state !== 'suggested');
    this.subjectChanged = Boolean(
      this.earlier?.subjectKey && !forwards(message) && subjectKey(this.subject) !== this.earlier.subjectKey,
    );
    this.sameSubject = context.sameSubject;
    this.told = context.told ?? [];
    this.contested = context.contested ?? false;
  }

  /** The subject says that it answers or hands on. */
  get marked(): boolean {
    return answersSubject(this.subject);
  }

  /** The first line of what is written, when it may be a greeting. */
  get greeting(): string {
    return greetingOf(this.message.own);
  }

  /** Telling words of subject and text, each with the word as it stands there. */
  get words(): ReadonlyMap<string, string> {
    return this.read().words;
  }

  get subjectWords(): ReadonlySet<string> {
    return this.read().subjectWords;
  }

  /** Subject and text in sentences, as folded words; {@link neighbours} makes pairs of them. */
  get sentences(): readonly string[][] {
    return this.read().sentences;
  }

  private read(): Wording {
    if (this.wording) return this.wording;
    const sentences = sentencesOf(`${this.subject}\n${this.own}`);
    const words = tellingAmong(sentences.flat());
    for (const name of namesIn(this.message)) words.delete(name);
    return (this.wording = { sentences, words, subjectWords: tellingWords(this.subject) });
  }
}

/** See {@link Signals}. */
interface Wording {
  sentences: readonly string[][];
  words: ReadonlyMap<string, string>;
  subjectWords: ReadonlySet<string>;
}

/** Those who are not of the firm. */
function strange(register: FilingRegister, people: readonly (Mailbox | null)[]): Mailbox[] {
  return people.flatMap((each) => (each?.address && !register.isOurs(each.address) ? [each] : []));
}

/** The first line of a text when it can be a greeting: more follows, and it ends like one or is of a few words. */
function greetingOf(text: string): string {
  const begins = text.length - text.trimStart().length;
  const from = begins ? text.lastIndexOf('\n', begins - 1) + 1 : 0;
  const to = text.indexOf('\n', begins);
  const line = to < 0 ? '' : text.slice(from, to);
  if (!line || line.length > 80 || /\d|[.?]\s*$/.test(line) || !text.slice(to).trim()) return '';
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
  let elsewhere: ReadonlyMap<string, string> | undefined;
  const shown = (word: string) =>
    signals.words.get(word) ?? (elsewhere ??= writtenAs(text)).get(word) ?? word;
  return terms
    .slice(0, 3)
    .map((term) => `“${term.split(' ').map(shown).join(' ')}”`)
    .join(', ');
}
