import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { DifferenceKind } from '../../contract/index.ts';
import { dayWords } from '../../core/office/day.ts';
import { CSV_MARK, csvLines } from '../foundation/csv.ts';
import { readFirm } from '../foundation/firm.ts';
import { groupBy, select } from '../foundation/rows.ts';
import { pool } from '../reading/pool.ts';
import { linesOf } from './view.ts';

const PATIENCE = 60_000;

export const DIFFERENCE_WORDS: Record<DifferenceKind, string> = {
  missing: 'on the server, and not taken in',
  gone: 'taken in, and deleted on the server since',
  unknown: 'known here, and not on the server',
  unrecorded: 'sent, and not on record',
  uncertain: 'may or may not have been sent',
  unreached: 'could not be counted',
};

const HEAD = [
  ...['Day', 'Mailbox', 'On the server', 'Taken in', 'To come', 'Missing'],
  ...['Logged', 'In Sorting', 'Set aside', 'Private'],
];

/**
 * A month's sheet for whoever audits the firm: each day of each mailbox by figures alone, what was sent, and each
 * difference with who saw to it. Nothing of what is written in any message stands on it.
 */
export async function monthSheet(db: Knex, month: string, format: 'pdf' | 'csv'): Promise<Buffer> {
  const days: string[] = await db('reckoning')
    .where('day', '>=', `${month}-01`)
    .where('day', '<=', DateTime.fromISO(`${month}-01`, { zone: 'utc' }).endOf('month').toISODate() ?? '')
    .where({ state: 'done' })
    .orderBy('day')
    .pluck('day');
  const [firm, lines, sendings, differences] = await Promise.all([
    readFirm(db),
    linesOf(db, days),
    db('reckoning_sending').whereIn('day', days).orderBy(['day', 'id']),
    select(
      db('reckoning_difference')
        .leftJoin('mailbox', 'mailbox.id', 'reckoning_difference.mailbox_id')
        .leftJoin('staff', 'staff.id', 'reckoning_difference.seen_by')
        .whereIn('reckoning_difference.day', days)
        .orderBy('reckoning_difference.id'),
      {
        ...{
          day: 'reckoning_difference.day',
          kind: 'reckoning_difference.kind',
          seen: 'reckoning_difference.seen_at',
        },
        ...{ address: 'mailbox.address?', by: 'staff.name?' },
      },
    ),
  ]);
  const counted = lines.filter(({ rule }) => rule === null);
  const rows = [...groupBy(counted, ({ day, mailbox }) => `${day}\n${mailbox}`).values()].map((own) => {
    const sum = (
      name: 'onServer' | 'taken' | 'toCome' | 'missing' | 'logged' | 'waiting' | 'aside' | 'private',
    ) => own.reduce((total, line) => total + line[name], 0);
    const names = [
      'onServer',
      'taken',
      'toCome',
      'missing',
      'logged',
      'waiting',
      'aside',
      'private',
    ] as const;
    return [own[0]?.day ?? '', own[0]?.mailbox ?? '', ...names.map(sum)];
  });
  if (format === 'csv') return Buffer.from(CSV_MARK + csvLines([HEAD, ...rows]));
  const title = `The reckoning of ${DateTime.fromISO(`${month}-01`, { zone: 'utc', locale: 'en-GB' }).toFormat('LLLL yyyy')}`;
  const open = differences.filter(({ seen }) => seen === null).length;
  const said = [
    `${firm.name}. ${days.length} days counted; ${differences.length} differences, ${open} of them open.`,
    'Each figure was counted on the mail server and held against the records here, folder by folder.',
  ];
  const paper = await pool.run(
    'sheet',
    [
      title,
      said,
      [
        { heading: 'Mailboxes', columns: HEAD, rows, none: 'No day of this month was counted.' },
        {
          heading: 'What was sent',
          columns: ['Day', 'What', 'Released', 'Sent', 'Waiting', 'Returned', 'Uncertain', 'Cancelled'],
          rows: sendings.map((row) => [
            ...[row.day, row.name, row.released, row.sent],
            ...[row.waiting, row.returned, row.uncertain, row.cancelled],
          ]),
          none: 'Nothing was sent.',
        },
        {
          heading: 'Differences',
          columns: ['Day', 'What', 'Mailbox', 'Seen to'],
          rows: differences.map(({ day, kind, address, seen, by }) => [
            ...[day, DIFFERENCE_WORDS[kind], address ?? ''],
            seen ? `${by ?? ''}, ${dayWords(seen.toISOString().slice(0, 10))}` : 'open',
          ]),
          none: 'There were none.',
        },
      ],
    ],
    { urgent: false, time: PATIENCE },
  );
  return Buffer.from(paper);
}
