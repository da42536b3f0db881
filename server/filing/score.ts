import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { FilingScore } from '../../contract/index.ts';
import { LIMITS } from '../../core/filing/weights.ts';
import { readFirm } from '../foundation/firm.ts';
import { HOUR, select } from '../foundation/rows.ts';
import { unconnectedKinds } from './unconnected.ts';

const WEEKS = 12;
/** A message settled by the filing itself; one that a person moved afterwards counts as such too. */
const ALONE =
  "(message.state IN ('logged', 'aside') AND message.decided_by IS NULL) OR message.corrected_at IS NOT NULL";
const BY_HAND =
  "message.state = 'logged' AND message.decided_by IS NOT NULL AND message.corrected_at IS NULL AND message.reason IS NULL";
/** Looked over and found right: settled alone all the same. */
const CONFIRMED =
  'message.decided_by IS NOT NULL AND message.corrected_at IS NULL AND message.reason IS NOT NULL';

/** Filed alone, and then found right, seen and left, or put right by a person. */
const JUDGED =
  '(message.probability IS NOT NULL AND (message.decided_by IS NOT NULL OR message.corrected_at IS NOT NULL OR message.kept_at IS NOT NULL))';
/** What was said is told in these bands, from the least with which filing acts alone. */
const BANDS = [LIMITS.file, 0.99, 0.999];

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
  const judged = {
    judged: db.raw<number>(`SUM(${JUDGED})`),
    right: db.raw<number>(`SUM(${JUDGED} AND message.corrected_at IS NULL)`),
    said: db.raw<number | null>(`AVG(IF(${JUDGED}, message.probability, NULL))`),
  };
  const band = `INTERVAL(ROUND(message.probability, 6), ${BANDS.join(', ')})`;
  const [byHour, byMailbox, reasons, lessons, bands, judgedByHour, unconnected] = await Promise.all([
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
    select(db('lesson').groupBy('evident'), {
      evident: 'lesson.evident',
      count: db.raw<number>('SUM(sign)'),
    }),
    select(db('message').where('at', '>=', since).whereNotNull('probability').groupByRaw(band), {
      band: db.raw<number>(band),
      filed: db.raw<number>('COUNT(*)'),
      ...judged,
    }),
    select(db('message').where('at', '>=', since).whereRaw(JUDGED).groupByRaw(HOUR), {
      hour: db.raw<string>(HOUR),
      ...judged,
    }),
    unconnectedKinds(db),
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
    lessons: Number(lessons.find(({ evident }) => !evident)?.count ?? 0),
    evident: Number(lessons.find(({ evident }) => evident)?.count ?? 0),
    calibration: {
      bands: BANDS.map((least, index) => {
        const row = bands.find((each) => each.band === index + 1);
        return { from: least, filed: row?.filed ?? 0, ...asCalibrated(row) };
      }),
      weeks: calibratedWeeks(judgedByHour, [...weeks.keys()], zone),
    },
    unconnected,
  };
}

interface JudgedRow {
  judged: number;
  right: number;
  said: number | null;
}

function asCalibrated(row: JudgedRow | undefined) {
  return {
    judged: Number(row?.judged ?? 0),
    right: Number(row?.right ?? 0),
    said: Number(row?.said ?? 0),
  };
}

/** Of each week with anything judged what was said of it, in the mean, and how much of it was right. */
function calibratedWeeks(
  rows: readonly (JudgedRow & { hour: string })[],
  weeks: readonly string[],
  zone: string,
): FilingScore['calibration']['weeks'] {
  const sums = new Map(weeks.map((week) => [week, { week, judged: 0, right: 0, said: 0 }]));
  for (const row of rows) {
    const { judged, right, said } = asCalibrated(row);
    const sum = sums.get(DateTime.fromISO(row.hour, { zone }).startOf('week').toISODate() ?? '');
    if (!sum) continue;
    sum.judged += judged;
    sum.right += right;
    sum.said += said * judged;
  }
  return [...sums.values()]
    .filter(({ judged }) => judged > 0)
    .map((sum) => ({ ...sum, said: sum.said / sum.judged }));
}
