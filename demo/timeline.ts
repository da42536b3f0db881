import { DateTime } from 'luxon';
import type { DemoRegister } from './register.ts';

/** What the demo firm's colleagues wrote down: the same in every run of a day. */
const CALLS = [
  ['Asked how far the map has got', 'Will have it by the end of the month.'],
  ['Rang about the gate on the north side', 'The neighbour pays half.'],
  ['Called back: the agent was out', ''],
  ['Talked the first draft of the plan through', 'Happy with it, but for the last page.'],
] as const;
const MEETINGS = [
  ['The boundary walked', 'The hedge is theirs as far as the second oak.', 'at the gate'],
  ['A look at the wood', 'Thin the larch next winter; leave the oak.', 'by the ride'],
] as const;
const NOTES = [
  'Prefers a call before nine.',
  'The dog bites. Ring from the gate.',
  'Their accountant wants copies of all fee notes.',
];
/** Half past two, in hours. */
const AFTERNOON = 14.5;

/** Notes, calls and meetings of the demo firm, with who took part; some of them are still to come. */
export function timeline({ clients }: DemoRegister, zone: string, now: Date) {
  const today = DateTime.fromJSDate(now, { zone }).startOf('day');
  const at = (days: number, hours: number) => today.plus({ days }).plus({ hours }).toUTC().toJSDate();
  let id = 0;
  const entries = clients
    .filter(({ files, people }) => files.length && people.length)
    .flatMap((client, index) => {
      const file = client.files.find(({ general }) => !general) ?? client.files[0];
      const [person] = client.people;
      if (!file || !person || index % 3 === 2) return [];
      const about = { client_id: client.id, file_id: file.id, staff_id: client.adviserId ?? 1 };
      const call = CALLS[index % CALLS.length] ?? CALLS[0];
      const meeting = MEETINGS[index % MEETINGS.length] ?? MEETINGS[0];
      const entry = {
        ...about,
        kind: 'call' as 'note' | 'call' | 'meeting',
        state: 'done' as 'planned' | 'done',
        at: at(-(index % 60) - 1, 9 + (index % 8)),
        ends_at: null as Date | null,
        place: '',
        words: call[0] as string,
        outcome: call[1] as string,
        with: person.id as number | null,
      };
      const met = {
        ...entry,
        kind: 'meeting' as const,
        words: meeting[0],
        outcome: meeting[1],
        place: meeting[2],
      };
      const past = at(-(index % 90) - 3, AFTERNOON);
      const ahead = at(1 + (index % 12), AFTERNOON);
      const end = (begin: Date) => new Date(begin.getTime() + 5_400_000);
      return [
        entry,
        ...(index % 4 === 0 ? [{ ...met, at: past, ends_at: end(past) }] : []),
        ...(index % 9 === 0
          ? [{ ...met, state: 'planned' as const, at: ahead, ends_at: end(ahead), outcome: '' }]
          : []),
        ...(index % 5 === 0
          ? [
              {
                ...entry,
                kind: 'note' as const,
                words: NOTES[index % NOTES.length] ?? '',
                outcome: '',
                with: null,
              },
            ]
          : []),
      ];
    })
    .map((entry) => ({ ...entry, id: ++id }));
  // One colleague calls the office manager, and one meeting has passed without a word.
  const [first, second, third] = entries.filter(({ kind }) => kind === 'call');
  if (first) first.words = '@Maren please send them the revised plan once more';
  const ours = { kind: 'meeting' as const, state: 'planned' as const, staff_id: 1, outcome: '' };
  if (second) Object.assign(second, ours, { at: at(-1, 11), words: 'Fee talk', place: 'here' });
  if (third)
    Object.assign(third, ours, { at: at(3, 10), words: 'The year’s round of letters', place: 'here' });
  return {
    entries: entries.map(({ with: _, ...row }) => row),
    people: entries.flatMap(({ id: timeline_id, with: person_id }) =>
      person_id === null ? [] : [{ timeline_id, person_id }],
    ),
    told: first ? [{ timeline_id: first.id, staff_id: 1, tie: 'told' }] : [],
  };
}
