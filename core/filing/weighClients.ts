import { domainOf } from '../address/address.ts';
import type { RegisteredFile, RegisteredPerson } from './register.ts';
import { neighbours, pairsOf, quoted, type Outsider, type Signals } from './signals.ts';
import type { Evidence } from './types.ts';
import { PEOPLE as W } from './weights.ts';
import { stem, wordsOf } from './words.ts';

/** A client whose business the message may be. */
export interface WeighedClient {
  clientId: number;
  /** From 0 to 1: that the message is this client's; what is left to 1 is somebody else's or nobody's. */
  probability: number;
  evidence: Evidence[];
  /** Files on which the correspondents are named. */
  namedFiles: readonly RegisteredFile[];
  /** The correspondents belong to other clients as well: third parties, who write about the files they are named on. */
  thirdParty: boolean;
  /** The client is named, by name or by a matter of theirs, in what was written. */
  mentioned: boolean;
  /** Somebody who belongs to this client alone writes or is written to. */
  own: boolean;
}

/** The evidence for one client while it is gathered. */
interface Tally {
  score: number;
  evidence: Evidence[];
  named: Map<number, RegisteredFile>;
  mentioned: boolean;
  own: boolean;
}

/** Weighs which clients the message can be about. People point to clients; so do its conversation and numbers. */
export function weighClients(signals: Signals): WeighedClient[] {
  const tallies = new Map<number, Tally>();
  const tally = (clientId: number): Tally => {
    let found = tallies.get(clientId);
    if (!found)
      tallies.set(
        clientId,
        (found = { score: 0, evidence: [], named: new Map(), mentioned: false, own: false }),
      );
    return found;
  };
  for (const outsider of signals.outsiders) weighOutsider(signals, outsider, tally);
  weighRecord(signals, tally);
  if (tallies.size > 1) weighMentions(signals, tallies);
  // Where somebody of one client alone takes part, a third party's other clients are unlikely.
  const owned = [...tallies.values()].some((each) => each.own);
  const onRecord = ({ evidence }: Tally) =>
    evidence.some(({ kind }) => kind === 'number' || kind === 'conversation' || kind === 'subject');
  if (owned) for (const each of tallies.values()) if (!each.own && !onRecord(each)) each.score -= W.besideOwn;
  return normalise(tallies);
}

/** Who this correspondent is: by address, by what was confirmed about the address, by domain, by name. */
function weighOutsider(signals: Signals, outsider: Outsider, tally: (clientId: number) => Tally): void {
  const { register, experience } = signals;
  if (outsider.people.length) {
    const people = meant(signals, outsider);
    const clientIds = new Set(people.flatMap((person) => person.clientIds));
    for (const person of people) {
      for (const clientId of person.clientIds) {
        const words = `${person.name || outsider.address} belongs to this client`;
        give(tally(clientId), W.address, 'person', words);
        const named = register.filesNaming(person.id).filter((file) => file.clientId === clientId);
        for (const file of named) tally(clientId).named.set(file.id, file);
        if (clientIds.size === 1) tally(clientId).own = true;
      }
    }
    return;
  }
  const habits = experience.habits(outsider.key).slice(0, 8);
  const learned = new Set(
    habits.flatMap(({ fileId }) => (fileId ? (register.file(fileId)?.clientId ?? []) : [])),
  );
  if (learned.size) {
    for (const clientId of learned) {
      give(
        tally(clientId),
        learned.size === 1 ? W.learnedAddress : W.severalClients,
        'learned-address',
        `You put earlier mail with ${outsider.address} on this client’s files`,
      );
      if (learned.size === 1) tally(clientId).own = true;
    }
    return;
  }
  const atDomain = register.clientsAtDomain(outsider.address);
  for (const clientId of atDomain) {
    const single = atDomain.length === 1;
    give(
      tally(clientId),
      single ? W.domain : W.severalClients,
      'domain',
      `${domainOf(outsider.address)} is the domain of this client’s people`,
    );
    if (single) tally(clientId).own = true;
  }
  if (atDomain.length) return;
  weighName(signals, outsider, tally);
}

/** An address nobody knows under a name somebody has: whole, or as initial and surname, which only suggests. */
function weighName(signals: Signals, outsider: Outsider, tally: (clientId: number) => Tally): void {
  const { register } = signals;
  const whole = knownByName(signals, outsider);
  const namesakes = whole.length ? whole : register.peopleLike(outsider.name);
  const clientIds = new Set(namesakes.flatMap((person) => person.clientIds));
  const single = whole.length === 1 && clientIds.size === 1;
  for (const clientId of clientIds) {
    const words = whole.length
      ? `${namesakes[0]?.name} is known, but not at this address`
      : `${outsider.name} may be ${namesakes[0]?.name}`;
    const weight = single
      ? W.name - Math.log1p(10 * register.namesakesByChance(whole[0]?.name ?? ''))
      : W.severalClients;
    give(tally(clientId), weight, 'name', words);
    if (single) tally(clientId).own = true;
    for (const person of namesakes)
      for (const file of register.filesNaming(person.id))
        if (file.clientId === clientId) tally(clientId).named.set(file.id, file);
  }
}

/**
 * Which of the people who share an address is meant: the one whose own part of the names stands in the
 * signature or display name (greeting, when we write); all of them when that does not tell.
 */
function meant(signals: Signals, outsider: Outsider): readonly RegisteredPerson[] {
  const { people } = outsider;
  const clientIds = new Set(people.flatMap((person) => person.clientIds));
  if (people.length < 2 || clientIds.size < 2) return people;
  const { message, outgoing } = signals;
  const handedOn = signals.internal && message.original;
  const signed = handedOn ? `${handedOn.signature} ${handedOn.from?.name ?? ''}` : message.signature;
  const telling =
    outgoing && !handedOn ? `${signals.greeting} ${outsider.name}` : `${signed} ${outsider.name}`;
  const words = new Set(wordsOf(telling));
  const hit = people.filter((person) => {
    const others = new Set(people.filter((each) => each !== person).flatMap((each) => wordsOf(each.name)));
    return wordsOf(person.name).some((word) => !others.has(word) && words.has(word));
  });
  return hit.length === 1 ? hit : people;
}

/** People of the records who bear the name an unknown address shows, or the name signed with. */
function knownByName(signals: Signals, outsider: Outsider): readonly RegisteredPerson[] {
  const { register, message, outgoing } = signals;
  const shown = register.peopleNamed(outsider.name);
  if (shown.length || outgoing) return shown;
  for (const line of message.signature.split('\n').slice(0, 4)) {
    const signed = line.trim().includes(' ') ? register.peopleNamed(line.trim()) : [];
    if (signed.length) return signed;
  }
  return [];
}

/** What the firm's own record says: the conversation, messages of the same subject, file numbers. */
function weighRecord(signals: Signals, tally: (clientId: number) => Tally): void {
  const { register, earlier, sameSubject, told, inSubject, inOwn } = signals;
  const clientsOf = (fileIds: readonly number[]) =>
    new Set(fileIds.flatMap((id) => register.file(id)?.clientId ?? []));
  if (earlier?.state === 'logged') {
    for (const clientId of clientsOf(earlier.fileIds))
      give(tally(clientId), W.conversation, 'conversation', 'Goes on a conversation of this client');
  } else if (told.length) {
    for (const clientId of clientsOf(told))
      give(
        tally(clientId),
        W.conversation,
        'conversation',
        'Others of its conversation are about this client',
      );
  } else {
    const latest = sameSubject.find((each) => each.state === 'logged');
    for (const clientId of clientsOf(latest?.fileIds ?? []))
      give(
        tally(clientId),
        W.sameSubject,
        'subject',
        'Same subject and correspondent as an earlier message of this client',
      );
  }
  const clientsInSubject = clientsOf(inSubject);
  for (const clientId of new Set([...clientsInSubject, ...clientsOf(inOwn)])) {
    const where = clientsInSubject.has(clientId) ? 'the subject' : 'what was written';
    const byPeople = tally(clientId).evidence.some(
      ({ kind }) => kind !== 'conversation' && kind !== 'subject',
    );
    const weight = clientsInSubject.has(clientId) ? W.numberInSubject : W.numberInText;
    give(
      tally(clientId),
      weight + (byPeople ? W.numberFitsPeople : 0),
      'number',
      `A file number of this client stands in ${where}`,
    );
  }
}

/** Among several clients, those that the writer names: by name, by place or matter of a file, by a person of theirs. */
function weighMentions(signals: Signals, tallies: Map<number, Tally>): void {
  const { register, words } = signals;
  const pairs = neighbours(signals.sentences);
  const terms = new Map<number, { words: Set<string>; pairs: Set<string> }>();
  const bearers = new Map<string, number>();
  for (const [clientId, { named }] of tallies) {
    const files = named.size
      ? [...named.values()]
      : register.filesOf(clientId).filter((file) => !file.closed);
    const client = register.client(clientId);
    const all = new Set(client?.nameWords ?? []);
    const together = new Set(client ? (client.namePairs ??= pairsOf(client.name)) : []);
    for (const file of files) {
      if (file.general) continue;
      for (const word of file.titleWords) all.add(word);
      for (const pair of (file.titlePairs ??= pairsOf(file.title))) together.add(pair);
    }
    terms.set(clientId, { words: all, pairs: together });
    for (const term of [...all, ...together]) bearers.set(term, (bearers.get(term) ?? 0) + 1);
  }
  for (const [clientId, { words: own, pairs: together }] of terms) {
    const found = [...own].filter((word) => words.has(word));
    const foundPairs = [...together].filter((pair) => pairs.has(pair));
    // A word that all the candidates share does not tell them apart.
    const telling = (term: string) => {
      const count = bearers.get(term) ?? 1;
      return count === 1 ? 1 : W.sharedMention / count;
    };
    const single = found.reduce((sum, word) => sum + register.rarity(word) * telling(word), 0);
    const paired = foundPairs.reduce(
      (sum, pair) =>
        sum + pair.split(' ').reduce((rare, word) => rare + register.rarity(stem(word)), 0) * telling(pair),
      0,
    );
    const weight = Math.min(W.mostOfMention, W.mention * (single + paired));
    if (weight < 0.5) continue;
    const target = tallies.get(clientId);
    if (!target) continue;
    target.mentioned = weight > W.clearMention;
    const shown = foundPairs.length ? foundPairs : found;
    give(target, weight, 'mention', `${quoted(signals, shown)} stands in what was written`);
  }
}

function normalise(tallies: Map<number, Tally>): WeighedClient[] {
  const scores = [...tallies.values()].map(({ score }) => Math.exp(score));
  // The other hypothesis: it is nobody's of these.
  const total = scores.reduce((sum, each) => sum + each, Math.exp(W.nobody));
  return [...tallies]
    .map(([clientId, { score, evidence, named, mentioned, own }]) => ({
      clientId,
      probability: Math.exp(score) / total,
      evidence,
      namedFiles: [...named.values()],
      mentioned,
      own,
      thirdParty: !own && named.size > 0,
    }))
    .sort((a, b) => b.probability - a.probability || a.clientId - b.clientId);
}

/** The strongest of each kind counts whole; more of the same kind adds nothing. */
function give(tally: Tally, weight: number, kind: Evidence['kind'], words: string): void {
  const same = tally.evidence.find((each) => each.kind === kind);
  if (same && same.weight >= weight) return;
  tally.score += weight - (same?.weight ?? 0);
  tally.evidence = [...tally.evidence.filter((each) => each !== same), { kind, side: 'for', words, weight }];
}
