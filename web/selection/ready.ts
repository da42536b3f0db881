import { ME } from '../../core/selection/evaluate.ts';
import { SELECTION_VERSION, type Line, type Selection, type Subject } from '../../core/selection/tree.ts';

/** A selection that any office has a use for. */
export interface Ready {
  name: string;
  selection: Selection;
}

const of = (subject: Subject, name: string, ...lines: Line[]): Ready => ({
  name,
  selection: { version: SELECTION_VERSION, subject, past: false, of: lines, added: [], removed: [] },
});
const MINE: Line = { fact: 'client.adviser', test: { op: 'one of', values: [ME] } };

/** Common ones, ready made: of every office's own facts alone. */
export const READY: readonly Ready[] = [
  of('client', 'My clients', MINE),
  of('client', 'Not heard from for a year', {
    match: 'any',
    of: [
      { fact: 'client.heard', test: { op: 'longer ago than', count: 1, unit: 'years' } },
      { fact: 'client.heard', test: { op: 'empty' } },
    ],
  }),
  of('client', 'Not written to for half a year', {
    match: 'none',
    of: [{ fact: 'client.written', test: { op: 'in the last', count: 6, unit: 'months' } }],
  }),
  of('client', 'Waiting for our answer', { fact: 'client.weOwe', test: { op: 'yes' } }),
  of('client', 'Owe us an answer', { fact: 'client.theyOwe', test: { op: 'yes' } }),
  of('client', 'Fees overdue for a month', { fact: 'client.overdue', test: { op: 'at least', value: 30 } }),
  of('client', 'Without an email address', { fact: 'client.email', test: { op: 'no' } }),
  of('client', 'Without an adviser', { fact: 'client.adviser', test: { op: 'empty' } }),
  of('client', 'Without an open piece of work', {
    through: 'client.files',
    has: false,
    of: [
      { fact: 'file.isOpen', test: { op: 'yes' } },
      { fact: 'file.general', test: { op: 'no' } },
    ],
  }),
  of('client', 'Without a postcode', { fact: 'client.postcode', test: { op: 'empty' } }),
  of('person', 'Without a first name', { fact: 'person.firstName', test: { op: 'empty' } }),
  of('person', 'Mail came back from', { fact: 'person.returned', test: { op: 'yes' } }),
  of('person', 'Without an address in use', { fact: 'person.email', test: { op: 'no' } }),
  of('person', 'Of no client', { through: 'person.clients', has: false, of: [] }),
  of(
    'file',
    'My open files',
    { fact: 'file.isOpen', test: { op: 'yes' } },
    {
      fact: 'file.adviser',
      test: { op: 'one of', values: [ME] },
    },
  ),
  of(
    'file',
    'Open without an adviser',
    { fact: 'file.isOpen', test: { op: 'yes' } },
    {
      fact: 'file.adviser',
      test: { op: 'empty' },
    },
  ),
  of(
    'file',
    'Open and quiet for three months',
    { fact: 'file.isOpen', test: { op: 'yes' } },
    {
      fact: 'file.general',
      test: { op: 'no' },
    },
    {
      through: 'file.messages',
      has: false,
      of: [{ fact: 'message.at', test: { op: 'in the last', count: 3, unit: 'months' } }],
    },
  ),
];
