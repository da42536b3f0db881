import { Experience, type Lesson } from './experience.ts';
import { forwards } from './message.ts';
import type { FilingRegister } from './register.ts';
import { ruleMatches, ruleWords, type OfficeRule } from './rules.ts';
import { Signals } from './signals.ts';
import {
  likelihoodOf,
  type Candidate,
  type Decision,
  type Evidence,
  type EvidenceKind,
  type FilingContext,
  type FilingMessage,
} from './types.ts';
import { LIMITS, PEOPLE } from './weights.ts';
import { vouched } from './sender.ts';
import { topicsOf, weighFiles, type WeighedFile } from './weighFiles.ts';
import { weighClients, type WeighedClient } from './weighClients.ts';

/** At most this many files are suggested. */
const MOST_CANDIDATES = 5;
/** At most this many clients are looked into. */
const MOST_CLIENTS = 5;
/** Beyond the first two, clients less likely than this are not looked into. */
const HOPELESS = 0.002;

/** What filing decides from, beside the message: the records, what was learned, the office's own rules. */
export interface FilingKnowledge {
  register: FilingRegister;
  experience: Experience;
  rules: readonly OfficeRule[];
  /** Kinds of mail with people nobody knows that are set aside without asking; none when left out. */
  unconnected?: ReadonlySet<Unconnected>;
}

/**
 * Mail that nothing connects with a client: with a mailbox of some business that nobody writes from in person; with
 * people nobody knows, from before the mailbox was connected, or since.
 */
export type Unconnected = 'business' | 'past' | 'new';

/**
 * Decides where one message belongs: filed alone only when the file is nearly certain and no other client
 * is plausible; else suggested, ranked; or set aside with a reason. Pure: all it may know is in its arguments.
 */
export function decide(knowledge: FilingKnowledge, message: FilingMessage, context: FilingContext): Decision {
  const ruled = byRule(knowledge, message);
  if (ruled && ruled.state !== 'logged') return ruled;
  if (message.unreadable !== undefined) return unreadable(message.unreadable);
  const signals = new Signals(knowledge.register, knowledge.experience, message, context);
  if (ruled) return vouched(signals, ruled);
  const decision = automatic(signals) ?? ourselves(signals) ?? weigh(knowledge, signals);
  return without(vouched(signals, wanted(knowledge, signals, decision)), neverFiles(knowledge, message));
}

function unreadable(why: string): Decision {
  return {
    state: 'suggested',
    candidates: [],
    evidence: [minus('unreadable', `It could not be read: ${why}`, PEOPLE.conversation)],
  };
}

/** What somebody copied to the filing address is never set aside: it is filed, or a person is asked where. */
function wanted(knowledge: FilingKnowledge, signals: Signals, decision: Decision): Decision {
  if (!signals.message.forFiling || decision.state !== 'aside') return decision;
  const weighed = weigh(knowledge, signals);
  if (weighed.state !== 'aside') return weighed;
  return {
    state: 'suggested',
    candidates: [],
    evidence: [plus('hand', 'Copied to the filing address', PEOPLE.conversation)],
  };
}

/** The first of the office's rules that speaks of the message and says where it goes. */
function byRule({ register, rules }: FilingKnowledge, message: FilingMessage): Decision | null {
  for (const rule of rules) {
    if (rule.then.kind === 'never' || !ruleMatches(rule, message)) continue;
    const number = rule.then.kind === 'file' ? (register.file(rule.then.fileId)?.number ?? '') : '';
    const evidence = [plus('rule', `Your rule: ${ruleWords(rule, number)}`, PEOPLE.conversation)];
    if (rule.then.kind === 'file')
      return { state: 'logged', fileIds: [rule.then.fileId], probability: 1, evidence };
    return { state: rule.then.kind, evidence };
  }
  return null;
}

/** The files that the office's rules keep a message off. */
export function neverFiles({ rules }: FilingKnowledge, message: FilingMessage): Set<number> {
  return new Set(
    rules.flatMap((rule) =>
      rule.then.kind === 'never' && ruleMatches(rule, message) ? [rule.then.fileId] : [],
    ),
  );
}

/** Takes files out that a rule forbids; what would have been filed there is put before a person. */
function without(decision: Decision, never: ReadonlySet<number>): Decision {
  if (!never.size) return decision;
  if (decision.state === 'suggested')
    return { ...decision, candidates: decision.candidates.filter(({ fileId }) => !never.has(fileId)) };
  if (decision.state !== 'logged' || !decision.fileIds.some((id) => never.has(id))) return decision;
  return {
    state: 'suggested',
    candidates: [],
    evidence: [
      minus('rule', 'A rule of yours keeps it off the file it would have gone to', PEOPLE.conversation),
    ],
  };
}

/** Reports, automatic answers, lists and machines' notices. */
function automatic(signals: Signals): Decision | null {
  const { message, earlier } = signals;
  if (!message.automatic) return null;
  const answers = message.automatic === 'report' || message.automatic === 'reply';
  if (answers) {
    const what = message.automatic === 'report' ? 'A delivery report' : 'An automatic answer';
    const caused = earlier ?? onePlace(signals);
    if (caused?.state === 'logged')
      return logged(caused.fileIds, 0.999, [
        plus('returned', `${what} to a message on this file`, PEOPLE.conversation),
      ]);
    if (caused?.state === 'aside') return aside('automatic', `${what} to a message that is not client mail`);
    return weighClients(signals).length ? null : aside('automatic', `${what} to nothing of ours`);
  }
  if (earlier?.state === 'logged' && !signals.subjectChanged) return null;
  if (message.automatic === 'list') return aside('list', 'Sent to a list, not to us');
  return signals.outsiders.some(({ people }) => people.length)
    ? null
    : aside('automatic', 'Sent by a machine');
}

/** Where all messages of the same subject and people are, when they are in one place. */
function onePlace({ sameSubject }: Signals) {
  const placed = sameSubject.filter((each) => each.state !== 'suggested');
  const [first] = placed;
  return first &&
    placed.every((each) => each.state === first.state && each.fileIds.join() === first.fileIds.join())
    ? first
    : undefined;
}

/** Mail among staff: filed by a number in its subject, by its conversation, or when it hands a client's mail on. */
function ourselves(signals: Signals): Decision | null {
  const { internal, register, inSubject, earlier, message } = signals;
  if (!internal) return null;
  const [number] = inSubject;
  if (number !== undefined && inSubject.length === 1)
    return logged([number], 0.999, [
      plus('number', `${register.file(number)?.number} stands in the subject`, PEOPLE.conversation),
    ]);
  if (earlier?.state === 'logged')
    return logged(earlier.fileIds, 0.999, [
      plus('conversation', 'Goes on a conversation on this file', PEOPLE.conversation),
    ]);
  if (message.original && (forwards(message) || signals.outsiders.length) && weighClients(signals).length)
    return null;
  return inSubject.length ? null : aside('internal', 'Between ourselves');
}

/** Weighs clients, then each one's files, and acts when that leaves no doubt. */
function weigh(knowledge: FilingKnowledge, signals: Signals): Decision {
  const clients = weighClients(signals);
  const { earlier } = signals;
  if (earlier?.state === 'aside' && !clients.some((client) => client.probability > 0.5))
    return aside('conversation', 'Goes on a conversation that is not client mail');
  if (!clients.length) return stranger(knowledge, signals);
  const weighed = clients
    .slice(0, MOST_CLIENTS)
    .filter(({ probability }, index) => index < 2 || probability > HOPELESS)
    .map((client) => ({ client, files: weighFiles(signals, client) }));
  return together(signals, weighed) ?? alone(signals, weighed);
}

interface Weighed {
  client: WeighedClient;
  files: WeighedFile[];
}

/** A message of the conversation's several files, or to people of several clients about the business of all. */
function together(signals: Signals, weighed: readonly Weighed[]): Decision | null {
  const { earlier, subjectChanged, inSubject, register } = signals;
  const numbered = inSubject.length > 1 ? inSubject : [];
  const clientsOf = (ids: readonly number[]) => new Set(ids.map((id) => register.file(id)?.clientId));
  if (earlier?.state === 'logged' && earlier.fileIds.length > 1 && !subjectChanged)
    return logged(earlier.fileIds, 0.995, [
      plus('conversation', 'Goes on a conversation on these files', PEOPLE.conversation),
    ]);
  if (
    numbered.length &&
    clientsOf(numbered).size === numbered.length &&
    numbered.every((id) =>
      weighed.some(({ client, files }) => client.own && files.some(({ file }) => file.id === id)),
    )
  )
    return logged(numbered, 0.99, [
      plus('number', 'All these numbers stand in the subject', PEOPLE.numberInSubject),
    ]);
  if (earlier?.state === 'logged') return null;
  const own = weighed.filter(({ client }) => client.own);
  if (own.length < 2 || own.length > 3 || !own.every(({ client }) => client.mentioned)) return null;
  const firsts = own.flatMap(({ files }) => files.slice(0, 1));
  const probability = firsts.reduce((product, { probability: each }) => product * each, BOTH_NAMED);
  if (probability < LIMITS.file) return null;
  return logged(
    firsts.map(({ file }) => file.id),
    probability,
    [
      plus('mention', 'People of each client take part, and each is named', PEOPLE.mostOfMention),
      ...firsts.flatMap(({ evidence }) => evidence.filter(({ side }) => side === 'for').slice(0, 1)),
    ],
  );
}

/** How sure it is that a message between the people of two clients that names both is about both. */
const BOTH_NAMED = 0.995;

/** The best file, when it is nearly certain; else the ranked list. */
function alone(signals: Signals, weighed: readonly Weighed[]): Decision {
  const ranked = weighed
    .flatMap(({ client, files }) =>
      files.map(({ file, probability, evidence }) => ({
        fileId: file.id,
        clientId: client.clientId,
        probability: probability * client.probability,
        evidence: joined(evidence, client.evidence),
      })),
    )
    .sort((a, b) => b.probability - a.probability);
  const [best] = ranked;
  const [first] = weighed;
  if (best && first && best.clientId === first.client.clientId) {
    if (best.probability >= LIMITS.file && first.client.probability >= LIMITS.client && !doubtful(signals))
      return logged([best.fileId], best.probability, best.evidence);
  }
  const candidates = ranked.slice(0, MOST_CANDIDATES).map(({ fileId, probability, evidence }): Candidate => ({
    fileId,
    probability,
    likelihood: likelihoodOf(probability),
    evidence,
  }));
  const evidence = signals.message.automatic ? [minus('automatic', 'Sent by a machine', 1)] : [];
  return { state: 'suggested', candidates, evidence };
}

/** Signs that forbid acting alone, whatever the weights say. */
function doubtful({ message, earlier, outsiders, contested, inSubject, inOwn }: Signals): boolean {
  if (contested && earlier?.state !== 'logged' && !inSubject.length && !inOwn.length) return true;
  if (earlier) return false;
  const sender = outsiders.find(({ address }) => address === message.from?.address);
  return (
    message.automatic !== null || (sender !== undefined && !sender.people.length && NOBODY.test(sender.key))
  );
}

/** Mailboxes that nobody writes from in person (common practice). */
const NOBODY =
  /^(?:no-?reply|do-?not-?reply|news|newsletter|bulletin|mailings?|notifications?|updates|circular)s?[@._-]/;

/** Reasons for the file and for its client, the weightier first; a kind that speaks for the file need not speak twice. */
function joined(file: readonly Evidence[], client: readonly Evidence[]): Evidence[] {
  const kinds = new Set(file.map(({ kind }) => kind));
  return [...file, ...client.filter(({ kind }) => !kinds.has(kind))].sort((a, b) => order(b) - order(a));
}

/** Reasons for come before reasons against, the weightier first. */
function order({ side, weight }: Evidence): number {
  return side === 'for' ? 100 + weight : weight;
}

/**
 * Mail with people nobody knows. At first it is put before a person; once enough of its kind were settled
 * and none was client mail, it is set aside with that as the reason.
 */
function stranger(knowledge: FilingKnowledge, signals: Signals): Decision {
  const { experience, outsiders, message } = signals;
  const known = outsiders.map(({ key }) => experience.habits(key)).filter((habits) => habits.length);
  if (known.length && known.every((habits) => habits.every(({ fileId }) => fileId === 0)))
    return aside('correspondent', 'Earlier mail with this correspondent was not client mail');
  const unconnected = unconnectedKind(signals);
  const apart = unconnected && knowledge.unconnected?.has(unconnected) ? unconnected : null;
  const settled = { names: othersLike(experience, 'names'), nothing: othersLike(experience, 'nothing') };
  if (apart || settled.names || settled.nothing) {
    const kind = strangerKind(signals);
    if (settled[kind])
      return aside('nobody', `Nobody we know; the last ${settled[kind]} like it were not client mail`);
    if (apart && kind === 'nothing') return aside('unconnected', UNCONNECTED_WORDS[apart]);
  }
  return {
    state: 'suggested',
    candidates: [],
    evidence: message.automatic ? [minus('automatic', 'Sent by a machine', 1)] : [],
  };
}

/** How many strangers' messages of a kind were no client mail, where that is enough to say so of the next; else 0. */
function othersLike(experience: Experience, kind: StrangerKind): number {
  const { client, aside: other } = experience.strangersOf(kind);
  return other >= LIMITS.strangers && client / (client + other) < 1 - LIMITS.client ? other : 0;
}

const UNCONNECTED_WORDS: Record<Unconnected, string> = {
  business: 'With the mailbox of a business nobody knows, and no client is named',
  past: 'With people nobody knows, before the mailbox was connected, and no client is named',
  new: 'With people nobody knows, and no client is named',
};

/**
 * Mailboxes from which a business sells and bills (RFC 2142 names `sales`, `support` and `marketing`; the rest is common
 * practice). Those that a small firm may write to us from as our client to be, such as `info` or `office`, are not here.
 */
const OFFICE =
  /^(?:accounts?|billing|customer-?(?:care|service)s?|help-?desk|invoic(?:e|ing|es)|licen[cs](?:e|ing)|marketing|orders?|payments?|receipts?|rechnung|sales|service|statements?|support)@/;

/** What kind of unconnected mail it is; null for what hands another message on, names a number, or is on a conversation. */
function unconnectedKind({ message, outsiders, earlier, inSubject, inOwn }: Signals): Unconnected | null {
  if (message.original || earlier || inSubject.length || inOwn.length) return null;
  if (outsiders.length && outsiders.every(({ key }) => OFFICE.test(key) || NOBODY.test(key)))
    return 'business';
  return message.past ? 'past' : 'new';
}

type StrangerKind = 'names' | 'nothing';

/** Strangers are of a kind by whether they name something of a client's. */
export function strangerKind({ register, words }: Signals): StrangerKind {
  let named = 0;
  for (const word of words.keys()) if (register.clientsNamed(word).length) named++;
  return named > 1 ? 'names' : 'nothing';
}

/**
 * What a person's decision about the message teaches. It rests on the records and the message alone, never
 * on what was learned before, so that the same history teaches the same in any order.
 */
export function lessonOf(
  register: FilingRegister,
  message: FilingMessage,
  fileIds: readonly number[],
): Lesson {
  const signals = new Signals(register, new Experience(), message, { earlier: new Map(), sameSubject: [] });
  const strange =
    !signals.internal && !message.automatic && !message.isReply && !weighClients(signals).length;
  return {
    at: message.at,
    words: [...signals.words.keys()].slice(0, MOST_WORDS),
    people: [...new Set(signals.outsiders.map(({ key }) => key))].slice(0, 20),
    files: fileIds.flatMap((id) => {
      const file = register.file(id);
      return file ? [{ id, topics: topicsOf(file) }] : [];
    }),
    stranger: strange ? strangerKind(signals) : null,
  };
}

/** What a message teaches by itself, without anybody having said so (see `evidentFile`). */
export function evidentLesson(register: FilingRegister, message: FilingMessage, fileId: number): Lesson {
  return { ...lessonOf(register, message, [fileId]), evident: true };
}

const MOST_WORDS = 60;

function logged(fileIds: readonly number[], probability: number, evidence: Evidence[]): Decision {
  return { state: 'logged', fileIds: [...fileIds], probability, evidence };
}

function aside(kind: EvidenceKind, words: string): Decision {
  return { state: 'aside', evidence: [plus(kind, words, PEOPLE.conversation)] };
}

function plus(kind: EvidenceKind, words: string, weight: number): Evidence {
  return { kind, side: 'for', words, weight };
}

function minus(kind: EvidenceKind, words: string, weight: number): Evidence {
  return { kind, side: 'against', words, weight };
}
