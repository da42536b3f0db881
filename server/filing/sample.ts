import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { Sample, SampleVerdict } from '../../contract/index.ts';
import { shownName } from '../../core/address/address.ts';
import { estimate } from '../../core/filing/sample.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound } from '../foundation/refusal.ts';
import { insertAll, select, selectFirst } from '../foundation/rows.ts';

/** So many messages of a week are looked at again. */
const SIZE = 20;
/** The estimate is of what was judged in so many weeks. */
const WEEKS = 12;

/**
 * The sample of the week that ended last: drawn once, by lot, among the client mail of that week which was filed
 * without a person; and what all samples of late say of how much is filed wrongly.
 */
export async function readSample(db: Database): Promise<Sample> {
  const { zone } = await readFirm(db);
  const week = DateTime.now().setZone(zone).startOf('week').minus({ weeks: 1 });
  const monday = week.toISODate() ?? '';
  await draw(db, week, monday);
  const [rows, judged] = await Promise.all([
    rowsOf(db, monday),
    judgedSince(db, week.minus({ weeks: WEEKS - 1 })),
  ]);
  const wrong = Number(judged?.wrong ?? 0);
  const looked = Number(judged?.looked ?? 0);
  return { week: monday, rows, estimate: looked ? { wrong, looked, ...estimate(wrong, looked) } : null };
}

/** Of two who ask at once both draw, and what the first keeps is the sample. */
async function draw(db: Database, week: DateTime, monday: string): Promise<void> {
  if (await db('filing_sample').where({ week: monday }).first('message_id')) return;
  const drawn = await select(
    db('message')
      .join('filing', 'filing.message_id', 'message.id')
      .where({ 'message.state': 'logged' } as object)
      .whereNull('message.decided_by')
      .whereRaw("NOT message.reason <=> 'mailing'")
      .where('message.at', '>=', week.toJSDate())
      .where('message.at', '<', week.plus({ weeks: 1 }).toJSDate())
      .groupBy('message.id')
      .orderByRaw('RAND()')
      .limit(SIZE),
    { id: 'message.id', fileId: db.raw<number>('MIN(filing.file_id)') },
  );
  await transact(db, async (trx) => {
    // A lock is a write: the week is drawn by one.
    await trx('turn').where({ name: 'lessons' }).increment('taken', 1);
    if (await trx('filing_sample').where({ week: monday }).first('message_id')) return;
    await insertAll(
      trx,
      'filing_sample',
      drawn.map(({ id, fileId }) => ({ week: monday, message_id: id, file_id: fileId })),
    );
  });
}

async function rowsOf(db: Knex, week: string): Promise<Sample['rows']> {
  const rows = await select(
    db('filing_sample')
      .join('message', 'message.id', 'filing_sample.message_id')
      .leftJoin('file', 'file.id', 'filing_sample.file_id')
      .leftJoin('client', 'client.id', 'file.client_id')
      .leftJoin('staff', 'staff.id', 'filing_sample.judged_by')
      .where('filing_sample.week', week)
      // Made private since, it is nobody's but its owner's.
      .whereNot('message.state', 'private')
      .orderBy(['message.at', 'message.id']),
    {
      ...{
        messageId: 'message.id',
        at: 'message.at',
        name: 'message.from_name',
        address: 'message.from_address',
      },
      ...{ subject: 'message.subject', snippet: 'message.snippet', verdict: 'filing_sample.verdict' },
      ...{
        fileId: 'filing_sample.file_id',
        number: 'file.number?',
        title: 'file.title?',
        client: 'client.name?',
      },
      judgedBy: 'staff.name?',
    },
  );
  return rows.map(({ at, name, address, fileId, number, title, client, ...rest }) => ({
    ...rest,
    at: at.toISOString(),
    from: shownName(name, address),
    file:
      fileId !== null && number !== null
        ? { id: fileId, number, title: title ?? '', client: client ?? '' }
        : null,
  }));
}

function judgedSince(db: Knex, from: DateTime) {
  return selectFirst(
    db('filing_sample')
      .whereNotNull('verdict')
      .where('week', '>=', from.toISODate() ?? ''),
    { wrong: db.raw<number>("SUM(verdict = 'wrong')"), looked: db.raw<number>('COUNT(*)') },
  );
}

/** Says of a message of a sample whether it was filed rightly. Where it lies is put right elsewhere, like any other. */
export async function judge(
  db: Database,
  staffId: number,
  { week, messageId, verdict }: SampleVerdict,
): Promise<void> {
  await transact(db, async (trx) => {
    const done = await trx('filing_sample')
      .where({ week, message_id: messageId })
      .update({ verdict, judged_by: verdict && staffId, judged_at: verdict && new Date() });
    if (!done) throw notFound('That message of the sample');
    const what = { staffId, subject: 'message', id: messageId };
    await noteAudit(trx, { ...what, action: verdict ? `sample: ${verdict}` : 'sample: open again' });
    await noteChange(trx, 'filing');
  });
}
