import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type {
  ReckoningDay,
  ReckoningDays,
  ReckoningLine,
  ReckoningSending,
  NeverRead,
  StaffMember,
  Yesterday,
} from '../../contract/index.ts';
import { sumOf } from '../../core/reckoning/account.ts';
import { visibleBoxes } from '../correspondence/boxes.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, groupBy, idsOf, select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';

/** So many differences are shown of a day. */
const MOST_SHOWN = 200;

/** The days that were counted, the last first, with how many differences are open. */
export async function listDays(
  db: Knex,
  { offset, limit }: { offset: number; limit: number },
): Promise<ReckoningDays> {
  const page = await db('reckoning')
    .orderBy('day', 'desc')
    .offset(offset)
    .limit(limit)
    .select('day', 'state');
  const days = page.map(({ day }) => day);
  const [total, sums, differences] = await Promise.all([
    countOf(db('reckoning')),
    select(db('reckoning_line').whereIn('day', days).whereNull('rule').groupBy('day'), {
      day: 'reckoning_line.day',
      onServer: db.raw<number>('SUM(on_server)'),
    }),
    select(db('reckoning_difference').whereIn('day', days).groupBy('day'), {
      day: 'reckoning_difference.day',
      open: db.raw<number>('SUM(seen_at IS NULL)'),
      seen: db.raw<number>('SUM(seen_at IS NOT NULL)'),
    }),
  ]);
  return {
    total,
    rows: page.map(({ day, state }) => {
      const found = differences.find((row) => row.day === day);
      return {
        ...{ day, state, onServer: Number(sums.find((row) => row.day === day)?.onServer ?? 0) },
        ...{ open: Number(found?.open ?? 0), seen: Number(found?.seen ?? 0) },
      };
    }),
  };
}

/** One day as it was counted. Of mailboxes a person may not look into, their sums are told, and nothing of what lies there. */
export async function viewDay(db: Knex, staff: StaffMember, day: string): Promise<ReckoningDay> {
  const [row, visible, lines, sendings, shown, all] = await Promise.all([
    db('reckoning')
      .leftJoin('staff', 'staff.id', 'reckoning.asked_by')
      .where('reckoning.day', day)
      .first({ state: 'reckoning.state', counted_at: 'reckoning.counted_at', by: 'staff.name' }) as Promise<
      { state: 'waiting' | 'done'; counted_at: Date | null; by: string | null } | undefined
    >,
    idsOf(visibleBoxes(db, staff.id), 'mailbox.id'),
    linesOf(db, [day]),
    db('reckoning_sending').where({ day }).orderBy('id'),
    differencesOf(db, day),
    countOf(db('reckoning_difference').where({ day })),
  ]);
  const may = new Set(visible);
  return {
    day,
    state: row?.state ?? 'none',
    countedAt: row?.counted_at?.toISOString() ?? null,
    askedBy: row?.by ?? null,
    sum: sumOf(lines.filter(({ rule }) => rule === null)),
    lines: [...groupBy(lines, ({ mailboxId }) => mailboxId)].flatMap(([id, own]) =>
      may.has(id) ? own : together(own),
    ),
    sendings: sendings.map(({ id: _id, day: _day, kind, ...rest }) => ({
      ...rest,
      kind: kind as ReckoningSending['kind'],
    })),
    differences: shown.map(({ mailbox_id, folder, words, messageId, ...rest }) => {
      const open = mailbox_id === null || may.has(mailbox_id) || rest.kind === 'unreached';
      return {
        ...rest,
        folder: open ? folder : '',
        words: open ? words : 'In a mailbox that you may not look into: whoever keeps it can say.',
        messageId: open ? messageId : null,
      };
    }),
    moreDifferences: Math.max(0, all - MOST_SHOWN),
  };
}

/** The folders of one mailbox as one line: their names tell of what lies in them. */
function together(own: readonly ReckoningLine[]): ReckoningLine[] {
  const [first] = own;
  if (!first) return [];
  const read = own.filter(({ rule }) => rule === null);
  return [{ ...sumOf(read), mailboxId: first.mailboxId, mailbox: first.mailbox, folder: '', rule: null }];
}

/** The lines of some days, by mailbox and folder. */
export async function linesOf(
  db: Knex,
  days: readonly string[],
): Promise<(ReckoningLine & { day: string })[]> {
  const rows = await select(
    db('reckoning_line')
      .join('mailbox', 'mailbox.id', 'reckoning_line.mailbox_id')
      .whereIn('reckoning_line.day', [...days])
      .orderBy(['reckoning_line.day', 'mailbox.id', 'reckoning_line.id']),
    {
      ...{
        day: 'reckoning_line.day',
        mailboxId: 'mailbox.id',
        name: 'mailbox.name',
        address: 'mailbox.address',
      },
      ...{
        folder: 'reckoning_line.folder_path',
        rule: 'reckoning_line.rule',
        onServer: 'reckoning_line.on_server',
      },
      ...{
        taken: 'reckoning_line.taken',
        toCome: 'reckoning_line.to_come',
        missing: 'reckoning_line.missing',
      },
      ...{
        logged: 'reckoning_line.logged',
        waiting: 'reckoning_line.waiting',
        aside: 'reckoning_line.aside',
      },
      private: 'reckoning_line.private',
    },
  );
  return rows.map(({ name, address, rule, ...rest }) => ({
    ...rest,
    mailbox: name || address,
    rule: rule as NeverRead | null,
  }));
}

async function differencesOf(db: Knex, day: string) {
  const rows = await select(
    db('reckoning_difference')
      .leftJoin('mailbox', 'mailbox.id', 'reckoning_difference.mailbox_id')
      .leftJoin('staff', 'staff.id', 'reckoning_difference.seen_by')
      .where('reckoning_difference.day', day)
      .orderByRaw('reckoning_difference.seen_at IS NOT NULL, reckoning_difference.id')
      .limit(MOST_SHOWN),
    {
      ...{
        id: 'reckoning_difference.id',
        kind: 'reckoning_difference.kind',
        words: 'reckoning_difference.words',
      },
      ...{ folder: 'reckoning_difference.folder_path', at: 'reckoning_difference.at' },
      ...{ messageId: 'reckoning_difference.message_id', seen_at: 'reckoning_difference.seen_at' },
      ...{
        mailbox_id: 'reckoning_difference.mailbox_id',
        name: 'mailbox.name?',
        address: 'mailbox.address?',
      },
      by: 'staff.name?',
    },
  );
  return rows.map(({ at, seen_at, name, address, by, ...rest }) => ({
    ...rest,
    mailbox: name || address,
    at: at?.toISOString() ?? null,
    seen: seen_at ? { by: by ?? '', at: seen_at.toISOString() } : null,
  }));
}

/** What Today says of yesterday. */
export async function readYesterday(db: Knex): Promise<Yesterday> {
  const { zone } = await readFirm(db);
  const day = DateTime.now().setZone(zone).minus({ days: 1 }).toISODate() ?? '';
  const row = await db('reckoning').where({ day }).first('state');
  const open = row ? await countOf(db('reckoning_difference').where({ day }).whereNull('seen_at')) : 0;
  return { day, state: row?.state ?? 'none', open };
}

/** Asks for a day to be counted, or counted anew. @throws Refusal for a day that is still to come, or is being counted */
export async function askFor(db: Database, staff: StaffMember, day: string): Promise<void> {
  const { zone } = await readFirm(db);
  if (day > (DateTime.now().setZone(zone).toISODate() ?? ''))
    throw new Refusal(400, 'That day is still to come.', 'day');
  await transact(db, async (trx) => {
    const row = await trx('reckoning').where({ day }).forUpdate().first('state', 'tries');
    if (row?.state === 'waiting' && row.tries === 0)
      throw new Refusal(409, 'That day is being counted already.');
    await trx('reckoning')
      .insert({ day, state: 'waiting', asked_by: staff.id, tries: 0 })
      .onConflict('day')
      .merge(['state', 'asked_by', 'tries']);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'day counted',
      subject: 'reckoning',
      id: 0,
      after: { day },
    });
    await noteChange(trx, 'reckoning');
  });
}

/** Says that a difference has been seen to, or has not after all. */
export async function settleDifference(
  db: Database,
  staff: StaffMember,
  id: number,
  seen: boolean,
): Promise<Rows['reckoning_difference']> {
  return transact(db, async (trx) => {
    const row = await trx('reckoning_difference').where({ id }).forUpdate().first();
    if (!row) throw notFound('That difference');
    await trx('reckoning_difference')
      .where({ id })
      .update({ seen_at: seen ? new Date() : null, seen_by: seen ? staff.id : null });
    const action = seen ? 'difference seen to' : 'difference open again';
    const after = { day: row.day, kind: row.kind, words: row.words };
    await noteAudit(trx, { staffId: staff.id, action, subject: 'reckoning', id, after });
    await noteChange(trx, 'reckoning');
    return row;
  });
}
