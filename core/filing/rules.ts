import { addressKey, domainOf } from '../address/address.ts';
import type { FilingMessage } from './types.ts';
import { fold } from './words.ts';

/** One of the office's own rules: they come before everything that was learned. */
export interface OfficeRule {
  id: number;
  /** What of a message it looks at. */
  by: 'address' | 'domain' | 'list' | 'subject';
  /** An address; a domain, hosts below it included; a list's identifier; words of a subject. */
  pattern: string;
  then:
    | { kind: 'file'; fileId: number }
    | { kind: 'never'; fileId: number }
    | { kind: 'aside' }
    | { kind: 'private' };
}

/** What a rule looks at. */
export type RuleView = Pick<FilingMessage, 'subject' | 'list'> & {
  from: { address: string } | null;
  recipients: readonly { address: string }[];
};

/** Whether the rule speaks of this message. A pattern with nothing in it matches nothing. */
export function ruleMatches(rule: OfficeRule, message: RuleView): boolean {
  const pattern = rule.pattern.trim();
  if (!pattern) return false;
  const addresses = [...(message.from ? [message.from] : []), ...message.recipients].map(
    (each) => each.address,
  );
  if (rule.by === 'address') return addresses.some((each) => addressKey(each) === addressKey(pattern));
  if (rule.by === 'domain') {
    const domain = pattern.toLowerCase().replace(/^@/, '');
    return addresses.some((each) => domainOf(each) === domain || domainOf(each).endsWith(`.${domain}`));
  }
  if (rule.by === 'list') return listId(message.list) === listId(pattern);
  return fold(message.subject).includes(fold(pattern));
}

/** A List-Id without its description (RFC 2919), compared without regard to case. */
export function listId(value: string): string {
  return (/<([^<>]+)>/.exec(value)?.[1] ?? value).trim().toLowerCase();
}

/** What the rule does, as a sentence. */
export function ruleWords(rule: OfficeRule, fileNumber: string): string {
  const what = {
    address: `mail with ${rule.pattern}`,
    domain: `mail with anyone at ${rule.pattern}`,
    list: `the list ${rule.pattern}`,
    subject: `subjects with “${rule.pattern}”`,
  }[rule.by];
  const then = {
    file: `always goes to ${fileNumber}`,
    never: `never goes to ${fileNumber}`,
    aside: 'is never client mail',
    private: 'is always private',
  }[rule.then.kind];
  return `${what[0]?.toUpperCase()}${what.slice(1)} ${then}`;
}
