import { addressKey, type Mailbox } from '../address/address.ts';

/** Whom an answer goes to. */
export interface Answered {
  to: Mailbox[];
  cc: Mailbox[];
}

/**
 * Whom an answer goes to: who asked for answers, or wrote; to all, everybody else on it too, ourselves left
 * out (RFC 5322 section 3.6.2 for Reply-To). Answering our own message means writing on to the same people.
 * @param how to the writer alone, or to all
 */
export function answerTo(
  register: { isOurs(address: string): boolean },
  read: { from: Mailbox | null; replyTo: Mailbox[]; to: Mailbox[]; cc: Mailbox[] },
  how: 'reply' | 'all',
): Answered {
  const ours = read.from !== null && register.isOurs(read.from.address);
  const outside = read.to.filter((each) => !register.isOurs(each.address));
  const writer = read.replyTo.length ? read.replyTo : read.from ? [read.from] : [];
  const to = !ours ? writer : outside.length ? outside : read.to;
  if (how === 'reply') return { to, cc: [] };
  const there = new Set(to.map((each) => addressKey(each.address)));
  const cc = [...(ours ? [] : read.to), ...read.cc].filter((each) => {
    const key = addressKey(each.address);
    if (there.has(key) || register.isOurs(each.address)) return false;
    there.add(key);
    return true;
  });
  return { to, cc };
}
