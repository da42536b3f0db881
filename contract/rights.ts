import type { Role } from './common.ts';

/**
 * Who may do what: the one table, enforced by the server and read by the screens (design, 13). What hangs on
 * whose something is (a mailbox, a draft, a private message) is decided where that is known.
 */
export const RIGHTS = {
  /** Decide where messages belong, take conversations apart and put them together. */
  'sort mail': ['manager', 'adviser', 'assistant'],
  'make rules': ['manager', 'adviser'],
  'write messages': ['manager', 'adviser', 'assistant'],
  'keep wordings': ['manager', 'adviser', 'assistant'],
  /** Those that colleagues keep, too; one's own everybody may. */
  'drop wordings': ['manager', 'adviser'],
  'add to the records': ['manager', 'adviser', 'assistant'],
  /** Change clients, people and files, opt-outs too; take changes back. */
  'change the records': ['manager', 'adviser', 'assistant'],
  /** One change to all of a selection, and taking it back. */
  'change many records': ['manager', 'adviser'],
  /** Make one record of two, and part them again. */
  'merge records': ['manager', 'adviser'],
  /** Records as a file that leaves the office. */
  'take lists out': ['manager', 'adviser'],
  /** Bring lists in, and take back what they brought. */
  'bring lists in': ['manager'],
  /** Write down notes, calls and meetings, and change what colleagues wrote down. */
  'keep the timeline': ['manager', 'adviser', 'assistant'],
  /** Put documents on files, name and move them, take them off. */
  'keep documents': ['manager', 'adviser', 'assistant'],
  /** Write letters, fee notes and statements, make and mend them. */
  'prepare paperwork': ['manager', 'adviser', 'assistant'],
  /** Let them go, by email or into a print pack. */
  'release paperwork': ['manager', 'adviser'],
  /** Standing orders of one's own: written, tried, switched on; they prepare. */
  'keep orders': ['manager', 'adviser'],
  /** Let orders send by themselves, and change those that colleagues keep. */
  'let orders send': ['manager'],
  /** Leave tasks, change them, say that they are done. */
  'leave tasks': ['manager', 'adviser', 'assistant'],
  'prepare mailings': ['manager', 'adviser', 'assistant'],
  /** Let them go, stop them, settle what is uncertain. */
  'release mailings': ['manager', 'adviser'],
  /** Without anybody having had a test copy, saying why. */
  'release untested': ['manager'],
  /** Those that colleagues prepare; one's own everybody may. */
  'drop mailings': ['manager'],
  /** Say whether addresses reported dead are switched off. */
  'settle returns': ['manager', 'adviser'],
  'retry mailboxes': ['manager', 'adviser'],
  /** For others, at any address, shared with all; one's own at one's own address everybody may. */
  'connect any mailbox': ['manager'],
  /** Servers within the firm's own network, where nothing has been connected yet. */
  'reach private networks': ['manager'],
  'set the filing address': ['manager'],
  /** See what every day was accounted for, have days counted, take sheets out. */
  'reckon the days': ['manager'],
  /** The firm's settings, staff, stages: all that differs between two firms. */
  'run the office': ['manager'],
  /** How many messages lie in mailboxes one may not look into. */
  'count every mailbox': ['manager'],
} as const satisfies Record<string, readonly Role[]>;

export type Right = keyof typeof RIGHTS;

export function may(role: Role, right: Right): boolean {
  return (RIGHTS[right] as readonly Role[]).includes(role);
}
