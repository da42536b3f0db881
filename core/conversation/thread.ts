import { baseSubject } from './subject.ts';

/** What of a message decides its place in a thread. Message-IDs carry no angle brackets. */
export interface Threadable {
  messageId: string | null;
  inReplyTo: readonly string[];
  references: readonly string[];
  subject: string;
  /** When it was sent, in milliseconds. */
  at: number;
}

/** A message with its answers; null stands for one that others name but nobody has. */
export interface ThreadNode<T> {
  message: T | null;
  children: ThreadNode<T>[];
}

interface Container<T> extends ThreadNode<T> {
  children: Container<T>[];
  parent: Container<T> | null;
}

/**
 * The threads of messages by the REFERENCES algorithm of RFC 5256 section 3, steps 1 to 6: linked by what
 * they name, pruned of messages nobody has, threads of one base subject gathered, siblings by date.
 */
export function threads<T extends Threadable>(messages: readonly T[]): ThreadNode<T>[] {
  const root: Container<T> = { message: null, children: [], parent: null };
  for (const container of link(messages)) if (!container.parent) adopt(root, container);
  prune(root, true);
  for (const thread of root.children) sort(thread);
  root.children.sort((a, b) => time(a) - time(b));
  gather(root);
  sort(root);
  return root.children.map(bare);
}

/** Steps 1 and 2: every message and every named one in a container, tied to what it names last. */
function link<T extends Threadable>(messages: readonly T[]): Iterable<Container<T>> {
  const byId = new Map<string, Container<T>>();
  const of = (id: string) => {
    let container = byId.get(id);
    if (!container) byId.set(id, (container = { message: null, children: [], parent: null }));
    return container;
  };
  for (const [index, message] of messages.entries()) {
    // A Message-ID that is missing or was seen already makes way for one of our own.
    const taken = message.messageId !== null && byId.get(message.messageId)?.message;
    const own = of(message.messageId === null || taken ? `#${index}` : message.messageId);
    own.message = message;
    const named = message.references.length ? message.references : message.inReplyTo.slice(0, 1);
    let before: Container<T> | null = null;
    for (const id of named) {
      const next = of(id);
      // Links that are there already stay: what named them first knows as well.
      if (before && !next.parent && !within(next, before)) adopt(before, next);
      before = next;
    }
    if (before && !within(own, before)) adopt(before, own);
  }
  return byId.values();
}

/** Whether `inner` is `outer` or lies below it. */
function within<T>(outer: Container<T>, inner: Container<T>): boolean {
  for (let at: Container<T> | null = inner; at; at = at.parent) if (at === outer) return true;
  return false;
}

function adopt<T>(parent: Container<T>, child: Container<T>): void {
  leave(child);
  child.parent = parent;
  parent.children.push(child);
}

function leave<T>(child: Container<T>): void {
  const siblings = child.parent?.children;
  if (siblings) siblings.splice(siblings.indexOf(child), 1);
  child.parent = null;
}

/** Step 3: messages nobody has give way to their answers, but hold several threads together at the top. */
function prune<T>(parent: Container<T>, top: boolean): void {
  for (const child of [...parent.children]) {
    prune(child, false);
    if (child.message) continue;
    if (child.children.length > 1 && top) continue;
    for (const grandchild of [...child.children]) adopt(parent, grandchild);
    leave(child);
  }
}

/** Step 5: threads with the same base subject become one. */
function gather<T extends Threadable>(root: Container<T>): void {
  const bySubject = new Map<string, Container<T>>();
  for (const thread of root.children) {
    const { key, isReply } = subjectOf(thread);
    const known = bySubject.get(key);
    if (!key) continue;
    if (!known || (known.message && (!thread.message || (!isReply && subjectOf(known).isReply))))
      bySubject.set(key, thread);
  }
  for (const thread of [...root.children]) {
    const { key, isReply } = subjectOf(thread);
    const known = bySubject.get(key);
    if (!key || !known || known === thread || within(thread, known)) continue;
    if (!known.message && !thread.message) {
      for (const child of [...thread.children]) adopt(known, child);
      leave(thread);
    } else if (!known.message || (isReply && !subjectOf(known).isReply)) adopt(known, thread);
    else {
      const both: Container<T> = { message: null, children: [], parent: null };
      adopt(root, both);
      adopt(both, known);
      adopt(both, thread);
      bySubject.set(key, both);
    }
  }
}

function subjectOf<T extends Threadable>(thread: Container<T>): { key: string; isReply: boolean } {
  const subject = (thread.message ?? thread.children[0]?.message)?.subject ?? '';
  const { text, isReply } = baseSubject(subject);
  return { key: text.toLowerCase(), isReply };
}

/** Steps 4 and 6: siblings by the date they were sent; one nobody has goes by its first answer. */
function sort<T extends Threadable>(parent: Container<T>): void {
  for (const child of parent.children) sort(child);
  parent.children.sort((a, b) => time(a) - time(b));
}

function time<T extends Threadable>(thread: Container<T>): number {
  return thread.message?.at ?? thread.children[0]?.message?.at ?? 0;
}

function bare<T>({ message, children }: Container<T>): ThreadNode<T> {
  return { message, children: children.map(bare) };
}

/** The messages of threads from top to bottom, each with how deep it lies; those nobody has count as a step. */
export function flatThreads<T>(nodes: readonly ThreadNode<T>[], depth = 0): { message: T; depth: number }[] {
  return nodes.flatMap(({ message, children }) => [
    ...(message ? [{ message, depth }] : []),
    ...flatThreads(children, message || depth ? depth + 1 : depth),
  ]);
}
