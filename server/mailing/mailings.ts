import { transact, type Transaction } from '../foundation/database.ts';
import { copyOwn } from './ownEnclosures.ts';
import type { Rows } from '../foundation/tables.ts';
import type { Knex } from 'knex';
import { selectionOf } from '../../core/selection/tree.ts';
import { changeSelection, saveSelection } from '../selection/kept.ts';
import {
  AT_ONCE,
  MailingDraft,
  type MailingBegin,
  type MailingProgress,
  type MailingRow,
  type StaffMember,
} from '../../contract/index.ts';
import { may } from '../../contract/rights.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { emptyProgress, progressOf } from './progress.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { insertAll, select } from '../foundation/rows.ts';

/** As they stand in `dispatch.kind`: copies by email, and those that go as text messages. */
export const MAILING = 'mailing';
export const TEXT_MAILING = 'text mailing';

/** A mailing with the tree of its selection, its owner's name and that of whoever handed it over. */
export type MailingRecord = Rows['mailing'] & { selection: string; owner: string; handed: string | null };

/** What a mailing begins with. */
export const NOTHING_WRITTEN: MailingDraft = {
  name: 'New mailing',
  selection: {
    ...selectionOf({ fact: 'client.status', test: { op: 'one of', values: ['active'] } }),
    past: false,
  },
  topicId: null,
  plain: null,
  framed: false,
  channel: 'email',
  laidOut: false,
  subject: { type: 'doc', content: [{ type: 'paragraph' }] },
  body: {
    type: 'doc',
    content: [
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'Dear ' },
          { type: 'mergeField', attrs: { field: 'greeting', fallback: '' } },
          { type: 'text', text: ',' },
        ],
      },
      { type: 'paragraph' },
      {
        type: 'paragraph',
        content: [
          { type: 'mergeField', attrs: { field: 'adviser.name', fallback: '' } },
          { type: 'hardBreak' },
          { type: 'mergeField', attrs: { field: 'firm.name', fallback: '' } },
        ],
      },
    ],
  },
  senderId: null,
  answersId: null,
  eachOf: 'client',
  roles: [],
  colleagues: null,
  fileChoice: 'general',
  timing: AT_ONCE,
  optOut: true,
  counted: true,
  waitDays: null,
};

function records(db: Knex) {
  return db('mailing')
    .join('staff', 'staff.id', 'mailing.owner_id')
    .join('selection', 'selection.id', 'mailing.selection_id')
    .leftJoin({ handing: 'staff' }, 'handing.id', 'mailing.handed_by')
    .select<MailingRecord[]>(
      'mailing.*',
      'selection.tree as selection',
      'staff.name as owner',
      'handing.name as handed',
    );
}

/** Whether messages that follow a mailing at hand are still under way. */
export const GOES_ON = `((SELECT 1 FROM mailing other WHERE other.head_id = mailing.id
  AND other.state IN ('going', 'paused') LIMIT 1) IS NOT NULL)`;

/** A page of mailings, a series as one, with how far each is: what leaves first, then drafts, then what is over. */
export async function listMailings(db: Knex, offset: number, limit: number): Promise<MailingRow[]> {
  const rows = await records(db)
    .whereNull('mailing.head_id')
    .orderByRaw(
      `FIELD(IF(mailing.state = 'finished' AND ${GOES_ON}, 'going', mailing.state),
        'ready', 'going', 'paused', 'draft', 'finished', 'cancelled')`,
    )
    .orderBy('mailing.saved_at', 'desc')
    .offset(offset)
    .limit(limit);
  const progress = await progressOf(
    db,
    rows.map((row) => row.id),
  );
  const followers = await select(
    db('mailing')
      .whereIn(
        'head_id',
        rows.map((row) => row.id),
      )
      .groupBy('head_id'),
    {
      head_id: 'mailing.head_id',
      count: db.raw<number>('COUNT(*)'),
      under_way: db.raw<number>("SUM(state IN ('going', 'paused'))"),
    },
  );
  const following = new Map(followers.map((row) => [row.head_id, row]));
  return rows.map((row) => {
    const { count = 0, under_way = 0 } = following.get(row.id) ?? {};
    return asRow(row, progress.get(row.id), { messages: 1 + Number(count), goesOn: Number(under_way) > 0 });
  });
}

/** A mailing as lists have it. */
export function asRow(
  row: MailingRecord,
  progress: MailingProgress | undefined,
  series: Pick<MailingRow, 'messages' | 'goesOn'>,
): MailingRow {
  return {
    id: row.id,
    name: row.name,
    state: row.state,
    owner: row.owner,
    savedAt: row.saved_at.toISOString(),
    releasedAt: row.released_at?.toISOString() ?? null,
    progress: progress ?? emptyProgress(),
    ...series,
  };
}

/** A mailing as it is kept. @throws Refusal when there is none of that number */
export async function readRecord(db: Knex, id: number): Promise<MailingRecord> {
  const row = await records(db).where('mailing.id', id).first();
  if (!row) throw notFound('That mailing');
  return row;
}

/** What is written and chosen of a mailing. */
export function draftOf(row: MailingRecord): MailingDraft {
  return MailingDraft.parse({
    name: row.name,
    selection: fromJson('selection.tree', row.selection),
    topicId: row.topic_id,
    subject: fromJson('mailing.subject', row.subject),
    body: fromJson('mailing.body', row.body),
    plain: row.plain === null ? null : fromJson('mailing.plain', row.plain),
    framed: Boolean(row.framed),
    laidOut: Boolean(row.laid_out),
    channel: row.channel,
    senderId: row.sender_id,
    answersId: row.answers_id,
    eachOf: row.each_of,
    roles: fromJson('mailing.roles', row.roles),
    colleagues: row.colleagues === null ? null : fromJson('mailing.colleagues', row.colleagues),
    fileChoice: row.file_choice,
    timing: fromJson('mailing.timing', row.timing),
    optOut: Boolean(row.opt_out),
    counted: Boolean(row.counted),
    waitDays: row.wait_days,
  });
}

/** What each message of a series says for itself. */
export function ownColumns(draft: MailingDraft) {
  return {
    name: draft.name,
    subject: toJson('mailing.subject', draft.subject),
    body: toJson('mailing.body', draft.body),
    plain: draft.plain && toJson('mailing.plain', draft.plain),
    framed: draft.framed,
    laid_out: draft.laidOut,
    wait_days: draft.waitDays,
    opt_out: draft.optOut,
    counted: draft.counted,
    saved_at: new Date(),
  };
}

/** What the first message of a series settles for all of it. */
export function sharedColumns(draft: MailingDraft) {
  return {
    channel: draft.channel,
    topic_id: draft.topicId,
    sender_id: draft.senderId,
    answers_id: draft.answersId,
    each_of: draft.eachOf,
    roles: toJson('mailing.roles', draft.roles),
    colleagues: draft.colleagues && toJson('mailing.colleagues', draft.colleagues),
    // What colleagues are told is no client's correspondence.
    file_choice: draft.colleagues ? ('nowhere' as const) : draft.fileChoice,
    timing: toJson('mailing.timing', draft.timing),
  };
}

/** Begins a mailing, empty, for those of a selection, or as a copy of another. */
export async function createMailing(
  db: Knex,
  staff: StaffMember,
  { copyOf, selection }: MailingBegin,
): Promise<number> {
  const original = copyOf === null ? null : draftOf(await readRecord(db, copyOf));
  // Its first day has passed, or is not this one's.
  const start = original
    ? {
        ...original,
        name: `Copy of ${original.name}`.slice(0, 200),
        timing: { ...original.timing, from: null },
      }
    : NOTHING_WRITTEN;
  const draft = selection ? { ...start, selection, colleagues: null } : start;
  return transact(db, async (trx) => {
    const [id = 0] = await trx('mailing').insert({
      ...ownColumns({ ...draft, waitDays: null }),
      ...sharedColumns(draft),
      owner_id: staff.id,
      selection_id: await saveSelection(trx, staff.id, draft.selection),
    });
    if (copyOf !== null) await copyRest(trx, copyOf, id);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'begun',
      subject: 'mailing',
      id,
      after: { name: draft.name },
    });
    await noteChange(trx, 'mailings', 'mailing', [id]);
    return id;
  });
}

/** What a copy has of its original beside its words: enclosures, and the messages that follow it. */
async function copyRest(trx: Transaction, from: number, to: number): Promise<void> {
  const enclosed = await trx('mailing_enclosure').where({ mailing_id: from }).orderBy('id');
  await insertAll(
    trx,
    'mailing_enclosure',
    enclosed.map(({ id: _id, ...row }) => ({ ...row, mailing_id: to })),
  );
  await copyOwn(trx, from, to);
  const head = await readRecord(trx, to);
  const following: number[] = await trx('mailing').where({ head_id: from }).orderBy('step').pluck('id');
  for (const each of following) {
    const record = await readRecord(trx, each);
    const [made = 0] = await trx('mailing').insert({
      ...ownColumns(draftOf(record)),
      ...sharedColumns(draftOf(head)),
      head_id: to,
      step: record.step,
      owner_id: head.owner_id,
      selection_id: head.selection_id,
    });
    await copyRest(trx, each, made);
  }
}

/** Saves a draft; the first message of a series settles for all of it whom it goes to, and when. @throws when somebody else saved it since, or it has been released */
export async function saveMailing(
  db: Knex,
  id: number,
  draft: MailingDraft,
  version: number,
): Promise<number> {
  const saved = await transact(db, async (trx) => {
    const kept = await trx('mailing').where({ id, version, state: 'draft' }).forUpdate().first();
    if (!kept) return false;
    const now = ownColumns(draft);
    const shared = sharedColumns(draft);
    // What somebody had as a test copy was the message as it was then.
    const same =
      kept.subject === now.subject &&
      kept.body === now.body &&
      kept.plain === now.plain &&
      Boolean(kept.framed) === now.framed &&
      Boolean(kept.laid_out) === now.laid_out &&
      (kept.head_id !== null || kept.channel === shared.channel) &&
      Boolean(kept.opt_out) === now.opt_out &&
      Boolean(kept.counted) === now.counted;
    await trx('mailing')
      .where({ id })
      .update({
        ...now,
        ...(kept.head_id === null ? { ...shared, wait_days: null } : {}),
        version: version + 1,
        ...(same ? {} : { tested_at: null }),
      });
    if (kept.head_id === null) {
      await trx('mailing').where({ head_id: id }).update(shared);
      await changeSelection(trx, kept.selection_id, draft.selection);
    }
    await noteChange(trx, 'mailings', 'mailing', [id]);
    return true;
  });
  if (!saved) {
    const row = await readRecord(db, id);
    throw new Refusal(
      409,
      row.state === 'draft'
        ? 'A colleague has changed this mailing meanwhile. Copy your words, then load it again.'
        : row.state === 'ready'
          ? 'This mailing has been handed over. Make it a draft again before you change it.'
          : 'This mailing has been released and cannot be changed any more.',
    );
  }
  return version + 1;
}

/** Throws a draft away. @throws Refusal for whoever may not, or when it has been released */
export async function deleteMailing(db: Knex, staff: StaffMember, id: number): Promise<void> {
  const row = await readRecord(db, id);
  if (row.owner_id !== staff.id && !may(staff.role, 'drop mailings'))
    throw new Refusal(403, `Only ${row.owner} or an office manager can throw this mailing away.`);
  await transact(db, async (trx) => {
    if (!(await trx('mailing').where({ id, state: 'draft' }).delete()))
      throw new Refusal(409, 'Only a draft can be thrown away.');
    // The others of a series go to the same.
    if (row.head_id === null) await trx('selection').where({ id: row.selection_id }).delete();
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'thrown away',
      subject: 'mailing',
      id,
      before: { name: row.name },
    });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}
