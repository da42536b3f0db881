import type { Fared } from '../../contract/index.ts';
import type { Line } from '../../core/selection/tree.ts';

/** What each way of faring is called above the copies that fared so. */
export const FARED_WORDS: Record<Fared, string> = {
  all: 'All copies',
  waiting: 'Waiting to go',
  sent: 'Sent',
  returned: 'Returned',
  uncertain: 'Uncertain',
  answered: 'Answered',
  silent: 'Not answered',
  opened: 'Seen to be opened',
  unopened: 'Not seen to be opened',
  followed: 'Followed a link',
  'opted out': 'Opted out by it',
  cancelled: 'Cancelled',
};

/** What picks the clients of some copies out; undefined where a selection cannot say it. */
const TESTS: Partial<Record<Fared, readonly Line[]>> = {
  all: [],
  returned: [{ fact: 'mailing.returned', test: { op: 'yes' } }],
  answered: [{ fact: 'mailing.answered', test: { op: 'yes' } }],
  silent: [
    { fact: 'mailing.returned', test: { op: 'no' } },
    { fact: 'mailing.answered', test: { op: 'no' } },
  ],
  opened: [{ fact: 'mailing.opened', test: { op: 'yes' } }],
  unopened: [
    { fact: 'mailing.returned', test: { op: 'no' } },
    { fact: 'mailing.opened', test: { op: 'no' } },
  ],
  followed: [{ fact: 'mailing.followed', test: { op: 'yes' } }],
};

/** The line of a selection that asks for clients whose copy of a mailing fared so. */
export function faredLine(mailingId: number, fared: Fared): Line | null {
  const tests = TESTS[fared];
  if (!tests) return null;
  return {
    through: 'client.mailed',
    has: true,
    of: [{ fact: 'mailing.which', test: { op: 'one of', values: [mailingId] } }, ...tests],
  };
}
