import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { FilingScore } from '../../contract/index.ts';
import { readFirm } from '../foundation/firm.ts';
import { HOUR, select } from '../foundation/rows.ts';

const WEEKS = 12;
/** A message settled by the filing itself; one that a person moved afterwards counts as such too. */
const ALONE =
  "(message.state IN ('logged', 'aside') AND message.decided_by IS NULL) OR message.corrected_at IS NOT NULL";
const BY_HAND =
  "message.state = 'logged' AND message.decided_by IS NOT NULL AND message.corrected_at IS NULL AND message.reason IS NULL";
/** Looked over and found right: settled alone all the same. */
const CONFIRMED =
  'message.decided_by IS NOT NULL AND message.corrected_at IS NULL AND message.reason IS NOT NULL';

/** How well filing does: by week, by mailbox, and which evidence had to be corrected most. */
export async function filingScore(db: Knex): Promise<FilingScore> {
  const { zone } = await readFirm(db);
  const monday = DateTime.now().setZone(zone).startOf('week');
  const from = monday.minus({ weeks: WEEKS - 1 });
  const since = from.toJSDate();
  const sums = {
    alone: db.raw<number>(`SUM((${ALONE}) OR (${CONFIRMED}))`),
    by_hand: db.raw<number>(`SUM(${BY_HAND})`),
    waiting: db.raw<number>("SUM(message.state = 'suggested')"),
    corrected: db.raw<number>('SUM(message.corrected_at IS NOT NULL)'),
  };
  const [byHour, byMailbox, reasons, lessons] = await Promise.all([
    select(db('message').where('at', '>=', since).groupByRaw(HOUR), { hour: db.raw<string>(HOUR), ...sums }),
    select(
      db('message')
        .join('message_copy', 'message_copy.message_id', 'message.id')
        .join('folder', 'folder.id', 'message_copy.folder_id')
        .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
        .join('staff', 'staff.id', 'mailbox.staff_id')
        .where('message.at', '>=', since)
        .groupBy('staff.id', 'staff.name')
        .orderBy('staff.name'),
      { owner: 'staff.name', ...sums },
    ),
    select(db('message').where('at', '>=', since).whereNotNull('reason').groupBy('reason'), {
      reason: 'message.reason',
      ...sums,
    }),
    db('lesson').sum({ count: 'sign' }).first(),
  ]);
  const weeks = new Map<string, FilingScore['weeks'][number]>();
  for (let index = 0; index < WEEKS; index++) {
    const week = from.plus({ weeks: index }).toISODate() ?? '';
    weeks.set(week, { week, alone: 0, byHand: 0, waiting: 0, corrected: 0 });
  }
  for (const row of byHour) {
    const week = weeks.get(DateTime.fromISO(row.hour, { zone }).startOf('week').toISODate() ?? '');
    if (!week) continue;
    week.alone += Number(row.alone);
    week.byHand += Number(row.by_hand);
    week.waiting += Number(row.waiting);
    week.corrected += Number(row.corrected);
  }
  return {
    weeks: [...weeks.values()],
    mailboxes: byMailbox.map((row) => ({
      owner: row.owner,
      alone: Number(row.alone),
      byHand: Number(row.by_hand),
      corrected: Number(row.corrected),
    })),
    reasons: reasons
      .map((row) => ({
        reason: row.reason ?? '',
        alone: Number(row.alone),
        corrected: Number(row.corrected),
      }))
      .sort((a, b) => b.corrected - a.corrected || b.alone - a.alone),
    lessons: Number(lessons?.count ?? 0),
  };
}
