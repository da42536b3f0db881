import { addressKey } from '../address/address.ts';
import { subjectKey } from '../conversation/subject.ts';
import {
  bareOf,
  certainPlace,
  decideAlone,
  decideBare,
  isStrangers,
  evidentFile,
  taughtOfPeople,
  type CertainPlace,
  type Placed,
} from './certain.ts';
import { decide, type FilingKnowledge } from './decide.ts';
import type { Decision, EarlierMessage, FilingContext, FilingMessage, FilingState } from './types.ts';

/** A message of the past, whose place may be weighed anew together with all it has to do with. */
export interface PastMessage {
  /** Orders messages of one moment, and names it in the result. */
  key: string;
  messageId: string | null;
  message: FilingMessage;
  /** Written by one of us: of several that bear one identifier it is what is meant. */
  ours: boolean;
  /** What those bear together that share a subject and a correspondent (see `subjectKeys`). */
  subjectKeys: readonly string[];
  /** Where a person, or something beyond doubt, has put it; null where that is open. */
  held: { state: FilingState; fileIds: readonly number[]; mailed?: boolean } | null;
  /** What the records alone say of it, where that is known (see `decideBare`). */
  bare?: Decision;
}

/** So many of the messages under one subject are looked at, the latest. */
const MOST_OF_ONE_SUBJECT = 12;

/** Messages that have to do with each other, in the order in which they are decided on. */
export class Past {
  private readonly ordered: readonly PastMessage[];
  private readonly byId = new Map<string, PastMessage>();
  private readonly bare = new Map<string, Decision>();
  private readonly certain = new Map<string, CertainPlace>();
  /**
   * @param knowledge what was learned counts as it is now
   * @param past in the order in which they were taken in
   */
  constructor(
    private readonly knowledge: FilingKnowledge,
    past: readonly PastMessage[],
  ) {
    const oursFirst = [...past.filter(({ ours }) => ours), ...past.filter(({ ours }) => !ours)];
    for (const each of oursFirst)
      if (each.messageId && !this.byId.has(each.messageId)) this.byId.set(each.messageId, each);
    const byTime = [...past].sort((a, b) => a.message.at - b.message.at || (a.key < b.key ? -1 : 1));
    this.ordered = namedFirst(byTime, this.byId);
    for (const { key, message, held, bare = decideBare(knowledge, message) } of this.ordered) {
      const place = held ? null : certainPlace(knowledge, message, bare);
      this.bare.set(key, bare);
      if (place) this.certain.set(key, place);
    }
  }

  /**
   * The file of each message that is certain by itself, or goes on what such a message or a person's decision began
   * (see `evidentFile`): what may be learned from without anybody having said so. It depends on the set of
   * messages and on the records alone, never on what was learned.
   */
  evident(): Map<string, number> {
    const evident = new Map<string, number>();
    const places = new Map<string, Placed>();
    for (const { key, message, held } of this.ordered) {
      const before = this.before(message);
      const fileId = held
        ? held.fileIds.length === 1
          ? held.fileIds[0]
          : undefined
        : evidentFile(
            this.knowledge,
            message,
            this.certain.get(key) ?? null,
            before && places.get(before.key),
          );
      if (fileId === undefined) continue;
      places.set(key, { message, fileId });
      if (!held) evident.set(key, fileId);
    }
    return evident;
  }

  /**
   * Decides on each that is open, whatever order they came in: in the order of time, what is named before what names
   * it; and what is beyond doubt in any message of a conversation (what a person decided, a number typed by its
   * writer) speaks for its neighbours on both sides. Where that contradicts itself, the others are not settled by a
   * guess. A pure function of the set: the same messages end on the same files in any order. What was learned is asked
   * only where the records do not settle all of it.
   */
  settle(): Map<string, Decision> {
    return this.final() ?? this.settleByAll();
  }

  /** The same where it is known not to be final. */
  settleByAll(): Map<string, Decision> {
    const groups = this.neighbourhoods();
    const sure = this.sure();
    const first = this.decideAll(this.knowledge, spread(groups, sure));
    // Where somebody would have to be asked, what the others say by their words alone may tell.
    const before = sure.size;
    for (const group of groups)
      if (
        !group.some(({ key }) => sure.has(key)) &&
        group.some(({ key }) => first.get(key)?.state === 'suggested')
      )
        for (const { key, message } of group) {
          const alone = message.automatic ? null : this.byItself(key, message);
          if (alone?.state === 'logged') sure.set(key, alone.fileIds);
        }
    return sure.size > before ? this.decideAll(this.knowledge, spread(groups, sure)) : first;
  }

  /**
   * What is decided on them where nothing that is learned by evidence would change it: they are all with people nobody
   * knows, of whom only persons teach, or the records settle every one and persons have said nothing of these people.
   * Null where that is not so.
   */
  final(): Map<string, Decision> | null {
    const { bare, knowledge } = this;
    if (this.ordered.some(({ held }) => held)) return null;
    const all = [...bare.values()];
    const waits = ({ state }: Decision) => state === 'suggested';
    const strangers = this.ordered.every(({ key, message }) => {
      const decision = bare.get(key);
      return decision !== undefined && isStrangers(knowledge, message, decision);
    });
    // What waits for a person tells nothing of the others.
    if (all.every(waits)) return strangers ? bare : null;
    if (all.length === 1) return bare;
    // Where persons have said something of these people, that is asked for.
    if (!strangers && this.ordered.some(({ message }) => taughtOfPeople(knowledge, message))) return null;
    if (all.every((each) => all[0] && areAlike(each, all[0]))) return bare;
    const settled = this.decideAll(bareOf(knowledge), spread(this.neighbourhoods(), this.sure()), bare);
    if (!strangers && [...settled.values()].some(waits)) return null;
    // Where the records say the same of it by themselves, their reasons stand.
    for (const [key, decision] of settled) {
      const own = bare.get(key);
      if (own && areAlike(own, decision)) settled.set(key, own);
    }
    return settled;
  }

  /** Of messages beyond doubt, the files they are on. */
  private sure(): Map<string, readonly number[]> {
    const sure = new Map<string, readonly number[]>();
    for (const { key, held } of this.ordered) {
      const place = this.certain.get(key);
      if (held?.state === 'logged') sure.set(key, held.fileIds);
      else if (place?.by === 'number') sure.set(key, [place.fileId]);
    }
    return sure;
  }

  private byItself(key: string, message: FilingMessage): Decision | null {
    const bare = this.bare.get(key);
    if (!bare || (bare.state === 'suggested' && !bare.candidates.length)) return null;
    return decideAlone(this.knowledge, message, bare).decision;
  }

  /** The nearest message it names that is here. */
  private before({ named }: FilingMessage): PastMessage | undefined {
    const id = named.find((each) => this.byId.has(each));
    return id === undefined ? undefined : this.byId.get(id);
  }

  /** Those of one conversation under one subject: tied by what they name, or by naming the same that nobody has. */
  private neighbourhoods(): PastMessage[][] {
    const ties = new Ties();
    for (const { key, message } of this.ordered) {
      const [missing] = message.named;
      const subject = subjectKey(message.subject);
      const before = this.before(message);
      if (missing === undefined || (before && subjectKey(before.message.subject) !== subject)) continue;
      ties.tie(key, before ? before.key : `missing ${subject} ${missing}`);
    }
    return ties.groups(this.ordered).filter(({ length }) => length > 1);
  }

  /**
   * What is decided for one counts for the next.
   * @param alone what this knowledge says of each without any other, if that is known
   */
  private decideAll(
    knowledge: FilingKnowledge,
    told: ReadonlyMap<string, Pick<FilingContext, 'told' | 'contested'>>,
    alone?: ReadonlyMap<string, Decision>,
  ): Map<string, Decision> {
    const earlier = new Map<string, EarlierMessage>();
    const bySubject = new Map<string, Settled[]>();
    const decided = new Map<string, Decision>();
    for (const [place, { key, messageId, message, subjectKeys, held }] of this.ordered.entries()) {
      const alike = new Set(subjectKeys.flatMap((each) => bySubject.get(each) ?? []));
      const sameSubject = [...alike].sort((a, b) => b.place - a.place).map(({ entry }) => entry);
      const others =
        sameSubject.length > 0 || told.has(key) || namedOrHeld(message).some((id) => earlier.has(id));
      const decision = held
        ? null
        : ((others ? undefined : alone?.get(key)) ??
          decide(knowledge, message, { earlier, sameSubject, ...told.get(key) }));
      if (decision) decided.set(key, decision);
      const entry: EarlierMessage = {
        messageId: messageId ?? '',
        state: decision?.state ?? held?.state ?? 'suggested',
        fileIds: held?.fileIds ?? (decision?.state === 'logged' ? decision.fileIds : []),
        mailed: held?.mailed ?? false,
        subjectKey: subjectKey(message.subject),
        people: peopleOf(message),
      };
      if (messageId && this.byId.get(messageId)?.key === key) earlier.set(messageId, entry);
      if (entry.state === 'suggested') continue;
      const settled = { entry, place };
      for (const each of subjectKeys)
        bySubject.set(each, [settled, ...(bySubject.get(each) ?? []).slice(0, MOST_OF_ONE_SUBJECT - 1)]);
    }
    return decided;
  }
}

/** A message whose place is known, and where it stands among all of them. */
interface Settled {
  entry: EarlierMessage;
  place: number;
}

/** Whether two decisions put a message in the same place without asking anybody. */
function areAlike(one: Decision, other: Decision): boolean {
  if (one.state !== 'logged' || other.state !== 'logged')
    return one.state === other.state && one.state !== 'suggested';
  return one.fileIds.length === other.fileIds.length && one.fileIds.every((id) => other.fileIds.includes(id));
}

/** What belongs together by being tied to the same. */
class Ties {
  private readonly up = new Map<string, string>();

  tie(one: string, two: string): void {
    const [from, to] = [this.root(one), this.root(two)];
    if (from !== to) this.up.set(from, to);
  }

  private root(key: string): string {
    let at = key;
    for (let next = this.up.get(at); next !== undefined; next = this.up.get(at)) at = next;
    if (at !== key) this.up.set(key, at);
    return at;
  }

  groups<T extends { key: string }>(all: readonly T[]): T[][] {
    const groups = new Map<string, T[]>();
    for (const each of all) {
      const group = groups.get(this.root(each.key));
      if (group) group.push(each);
      else groups.set(this.root(each.key), [each]);
    }
    return [...groups.values()];
  }
}

/** Parts messages into those that have to do with each other: by what they name, by subject and correspondent. */
export function apart(past: readonly PastMessage[]): PastMessage[][] {
  const ties = new Ties();
  for (const { key, messageId, message, subjectKeys } of past) {
    for (const id of namedOrHeld(message)) ties.tie(key, `id ${id}`);
    if (messageId) ties.tie(key, `id ${messageId}`);
    for (const each of subjectKeys) ties.tie(key, `subject ${each}`);
  }
  return ties.groups(past);
}

/** Every message that one names or holds within it. */
export function namedOrHeld({ named, returned, original }: FilingMessage): string[] {
  return [
    ...named,
    ...(returned ? [returned] : []),
    ...(original?.messageId ? [original.messageId] : []),
    ...(original?.named ?? []),
  ];
}

/** What is named before what names it, else as given. */
function namedFirst(byTime: readonly PastMessage[], byId: ReadonlyMap<string, PastMessage>): PastMessage[] {
  const taken = new Set<PastMessage>();
  const ordered: PastMessage[] = [];
  for (const each of byTime) {
    const path = [each];
    const within = new Set(path);
    for (let next = path.at(-1); next; next = path.at(-1)) {
      const before = taken.has(next)
        ? undefined
        : namedOrHeld(next.message)
            .map((id) => byId.get(id))
            .find((found) => found && !taken.has(found) && !within.has(found));
      if (before) {
        path.push(before);
        within.add(before);
        continue;
      }
      if (!taken.has(next)) ordered.push(next);
      taken.add(next);
      path.pop();
    }
  }
  return ordered;
}

/** What the sure ones of each conversation say to the others: the files on which they agree, or that they do not. */
function spread(
  groups: readonly (readonly PastMessage[])[],
  sure: ReadonlyMap<string, readonly number[]>,
): Map<string, Pick<FilingContext, 'told' | 'contested'>> {
  const told = new Map<string, Pick<FilingContext, 'told' | 'contested'>>();
  for (const group of groups) {
    const places = new Map(
      group.flatMap(({ key }) => {
        const files = sure.get(key);
        return files ? [[[...files].sort((a, b) => a - b).join(), files] as const] : [];
      }),
    );
    const [files] = places.values();
    if (!files) continue;
    const said = places.size === 1 ? { told: files } : { contested: true };
    for (const { key } of group) if (!sure.has(key)) told.set(key, said);
  }
  return told;
}

/** Keys of the addresses of all who wrote it or were written to. */
export function peopleOf({ from, recipients }: FilingMessage): Set<string> {
  return new Set([...(from ? [from] : []), ...recipients].map(({ address }) => addressKey(address)));
}
