import { select } from '../foundation/rows.ts';
import type { Transaction } from '../foundation/database.ts';
import { newConversations } from '../correspondence/newConversations.ts';
import type { Prepared } from './prepare.ts';

/**
 * Gives each message its conversation: that of the nearest message it names which is here, else that of
 * others whose nearest is the same missing one. Messages that waited for this one join it; but two
 * conversations that are on files of different clients stay two, whatever a message claims to answer.
 * A person can part and join them (filing/conversation.ts).
 * @param messages in order of time
 * @returns the conversation of each, those among them that had messages before, and the keys of these messages, in
 * hexadecimal, that others bear or name
 */
export async function assignConversations(
  trx: Transaction,
  messages: readonly Prepared[],
): Promise<{ conversations: number[]; joined: Set<number>; borne: ReadonlySet<string> }> {
  const known = await Known.recall(trx, messages);
  const given = messages.map((message) => known.take(message));
  const merged = await known.mergedApart(trx);
  const places = given.map((conversation) => known.root(conversation));
  const begun = [...new Set(places)].filter((place) => place < 0);
  const made = await newConversations(trx, begun.length);
  const numbers = new Map(begun.map((place, index) => [place, made[index] ?? 0]));
  for (const [from, to] of merged)
    await trx('message')
      .where({ conversation_id: from })
      .update({ conversation_id: numbers.get(to) ?? to });
  return {
    conversations: places.map((place) => numbers.get(place) ?? place),
    joined: new Set(places.filter((place) => place > 0)),
    borne: known.borne,
  };
}

/** What is known of the messages named, kept up as the batch is gone through. New conversations have negative numbers. */
class Known {
  private readonly holders = new Map<string, number>();
  private readonly siblings = new Map<string, number>();
  /** In which conversations messages wait for one that they name. */
  private readonly waiting = new Map<string, number[]>();
  /** Keys of the batch that messages at hand bear or name, in hexadecimal. */
  readonly borne = new Set<string>();
  private readonly clients = new Map<number, Set<number>>();
  private readonly parent = new Map<number, number>();
  /** Conversations that a message of the batch would make one. */
  private readonly wanted: [one: number, two: number][] = [];
  private next = -1;

  /** Asks for all that a batch of messages may belong to. */
  static async recall(trx: Transaction, messages: readonly Prepared[]): Promise<Known> {
    const known = new Known();
    const own = unique(messages.flatMap(({ messageKey }) => messageKey ?? []));
    const named = unique(messages.flatMap((message) => message.named));
    const nearest = unique(messages.flatMap((message) => message.named.slice(0, 1)));
    const [holders, siblings] = await Promise.all([
      named.length
        ? trx('message')
            .whereIn('message_key', named)
            .orderBy('id', 'desc')
            .select('message_key', 'conversation_id')
        : [],
      nearest.length
        ? trx('message_link')
            .join('message', 'message.id', 'message_link.message_id')
            .whereIn('link_key', nearest)
            .where('place', 1)
            .select('link_key', 'conversation_id')
        : [],
      known.recallChildren(trx, own),
    ]);
    // Of several that bear one identifier the first taken in counts.
    for (const { message_key, conversation_id } of holders)
      if (message_key) known.holders.set(message_key.toString('hex'), conversation_id);
    for (const row of siblings) known.siblings.set(row.link_key.toString('hex'), row.conversation_id);
    return known;
  }

  /** Messages that name one of the batch and have none nearer here. */
  private async recallChildren(trx: Transaction, own: readonly Buffer[]): Promise<void> {
    if (!own.length) return;
    const named = trx('message_link')
      .join('message', 'message.id', 'message_link.message_id')
      .whereIn('message_link.link_key', own);
    const rows = await select(named, {
      link_key: 'message_link.link_key',
      place: 'message_link.place',
      conversation_id: 'message.conversation_id',
      nearer: trx.raw<number>(
        `EXISTS (SELECT 1 FROM message_link AS closer JOIN message AS held ON held.message_key = closer.link_key
          WHERE closer.message_id = message_link.message_id AND closer.place > 0 AND closer.place < message_link.place)`,
      ),
    });
    for (const row of rows) {
      this.borne.add(row.link_key.toString('hex'));
      if (row.place > 0 && !row.nearer) this.wait(row.link_key, row.conversation_id);
    }
  }

  private wait(key: Buffer, conversation: number): void {
    const name = key.toString('hex');
    this.waiting.set(name, [...(this.waiting.get(name) ?? []), conversation]);
  }

  /** The conversation a message goes into; what waited for it is noted to be joined with it. */
  take(message: Prepared): number {
    const names = message.named.map((key) => key.toString('hex'));
    const at = names.findIndex((name) => this.holders.has(name));
    const own = message.messageKey?.toString('hex') ?? '';
    const waiting = this.waiting.get(own) ?? [];
    const conversation =
      this.holders.get(names[at] ?? '') ?? this.siblings.get(names[0] ?? '') ?? waiting[0] ?? this.next--;
    if (own && !this.holders.has(own)) this.holders.set(own, conversation);
    if (at < 0 && names[0]) this.siblings.set(names[0], conversation);
    for (const key of message.named.slice(0, at < 0 ? undefined : at)) this.wait(key, conversation);
    for (const other of waiting) if (other !== conversation) this.wanted.push([conversation, other]);
    return conversation;
  }

  /** Joins what may be joined. @returns which conversations that are kept become which others */
  async mergedApart(trx: Transaction): Promise<[from: number, to: number][]> {
    const kept = [...new Set(this.wanted.flat())].filter((id) => id > 0);
    if (kept.length > 1) await this.recallClients(trx, kept);
    for (const [one, two] of this.wanted) this.join(one, two);
    return kept.filter((id) => this.root(id) !== id).map((id) => [id, this.root(id)]);
  }

  private async recallClients(trx: Transaction, conversations: readonly number[]): Promise<void> {
    const both = { conversation_id: 'message.conversation_id' } as const;
    const onFiles = trx('message')
      .join('filing', 'filing.message_id', 'message.id')
      .join('file', 'file.id', 'filing.file_id')
      .whereIn('message.conversation_id', conversations);
    const rows = await select(onFiles.distinct(), { ...both, client_id: 'file.client_id' });
    const filed = new Set(rows.map((row) => row.conversation_id));
    const unfiled = conversations.filter((id) => !filed.has(id));
    // What has no file yet is of whose people write in it.
    const writers = trx('message')
      .join('message_party', 'message_party.message_id', 'message.id')
      .join('address', 'address.email_key', 'message_party.email_key')
      .join('client_person', 'client_person.person_id', 'address.person_id')
      .whereIn('message.conversation_id', unfiled)
      .where('message_party.role', 'from');
    const written = unfiled.length
      ? await select(writers.distinct(), { ...both, client_id: 'client_person.client_id' })
      : [];
    for (const row of [...rows, ...written]) {
      const clients = this.clients.get(row.conversation_id) ?? new Set();
      this.clients.set(row.conversation_id, clients.add(row.client_id));
    }
  }

  private join(one: number, two: number): void {
    const a = this.root(one);
    const b = this.root(two);
    if (a === b) return;
    const [left, right] = [this.clients.get(a), this.clients.get(b)];
    if (left?.size && right?.size && ![...left].some((client) => right.has(client))) return;
    // The one that is kept already keeps its number.
    const [stays, goes] = a > 0 ? [a, b] : [b, a];
    this.parent.set(goes, stays);
    this.clients.set(stays, new Set([...(left ?? []), ...(right ?? [])]));
  }

  /** The conversation that a joined one is part of by now. */
  root(id: number): number {
    let at = id;
    for (let up = this.parent.get(at); up !== undefined; up = this.parent.get(at)) at = up;
    return at;
  }
}

function unique(keys: readonly Buffer[]): Buffer[] {
  return [...new Map(keys.map((key) => [key.toString('hex'), key])).values()];
}
