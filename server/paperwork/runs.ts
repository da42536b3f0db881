import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import {
  RunDraft,
  type PaperKind,
  type RunBegin,
  type RunCounts,
  type RunRow,
  type RunsPage,
  type RunView,
  type StaffMember,
} from '../../contract/index.ts';
import { paragraph } from '../../core/merge/letter.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { selectionOf, type Selection } from '../../core/selection/tree.ts';
import type { Tone } from '../../core/paperwork/reminding.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { changeSelection, saveSelection } from '../selection/kept.ts';

/** A run with the tree of its selection and its owner's name. */
export type RunRecord = Rows['paper_run'] & { selection: string; owner: string };

const field = (key: string, format = ''): DocNode => ({
  type: 'mergeField',
  attrs: { field: key, fallback: '', format },
});
const text = (words: string): DocNode => ({ type: 'text', text: words });
const line = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
const doc = (...content: DocNode[]): RunDraft['body'] => ({ type: 'doc', content }) as RunDraft['body'];

const GREETED = line(text('Dear '), field('greeting'), text(','));
/** The fee notes of a piece, as a table in its message. */
const NOTES_TABLE: DocNode = {
  type: 'table',
  attrs: { lines: true },
  content: [
    tableRow('tableHeader', [text('Fee note')], [text('What for')], [text('Due')], [text('Amount')]),
    {
      ...tableRow(
        'tableCell',
        ...['row.number', 'row.words', 'row.due', 'row.amount'].map((key) => [field(key)]),
      ),
      attrs: { of: 'fee notes' },
    },
  ],
};

function tableRow(type: 'tableHeader' | 'tableCell', ...cells: DocNode[][]): DocNode {
  return { type: 'tableRow', content: cells.map((cell) => ({ type, content: [line(...cell)] })) };
}

const CLOSED = [
  paragraph('With kind regards'),
  line(field('adviser.name'), { type: 'hardBreak' }, field('firm.name')),
];

/** The words of a run, and what it is called. */
export type Words = Pick<RunDraft, 'name' | 'subject' | 'body' | 'mailSubject' | 'mailBody'>;

/** What nobody has said yet of a run. */
const UNSAID = {
  ...{ senderId: null, answersId: null, hiddenCopy: '' as const, slip: false, paidMonths: 0 },
  ...{ templateId: null, carries: 'pdf' as const },
};

/** What a run of each kind begins with; of reminders see {@link REMINDED}. */
const BEGUN: Record<Exclude<PaperKind, 'reminder'>, Words> = {
  letter: {
    name: 'New letters',
    subject: doc({ type: 'paragraph' }),
    body: doc(GREETED, { type: 'paragraph' }, ...CLOSED),
    mailSubject: doc(line(text('A letter from '), field('firm.name'))),
    mailBody: doc(GREETED, paragraph('Our letter is enclosed.'), ...CLOSED),
  },
  'fee note': {
    name: 'Fee notes',
    subject: doc(line(text('Fee note '), field('note.number'))),
    body: doc(GREETED, paragraph('For our work we ask for the following.')),
    mailSubject: doc(line(text('Fee note '), field('note.number'), text(' from '), field('firm.name'))),
    mailBody: doc(
      GREETED,
      line(
        text('Our fee note '),
        field('note.number'),
        text(' for '),
        field('note.words'),
        text(' is enclosed. It comes to '),
        field('note.amount'),
        text(' and is due on '),
        field('note.due'),
        text('.'),
      ),
      ...CLOSED,
    ),
  },
  statement: {
    name: 'Statements',
    subject: doc(line(text('Statement of '), field('today'))),
    body: doc(GREETED, paragraph('This is how your account stands with us.')),
    mailSubject: doc(line(text('Your account with '), field('firm.name'))),
    mailBody: doc(
      GREETED,
      line(text('Our statement is enclosed: '), field('fees.open'), text(' is open in all.')),
      ...CLOSED,
    ),
  },
};

/** What reminders begin with; later with the words they went with last. */
const REMINDED: Record<Tone, Words> = {
  friendly: reminded(
    'Reminders, friendly',
    line(text('A reminder of '), field('note.number')),
    paragraph(
      'It may have slipped by: what is listed here was due, and has not reached us yet. If you have paid it in the last few days, please take no notice.',
    ),
  ),
  plain: reminded(
    'Reminders, plain',
    line(text('Still open: '), field('overdue.sum')),
    line(
      text('We wrote to you before about what is listed here, '),
      field('overdue.sum'),
      text(' in all. Please pay it within seven days, or tell us what stands in the way.'),
    ),
  ),
  firm: reminded(
    'Reminders, firm',
    line(text('Overdue: '), field('overdue.sum')),
    line(
      text('We have reminded you of what is listed here, and nothing has come. The oldest has been due for '),
      field('overdue.days'),
      text(' days. Please pay '),
      field('overdue.sum'),
      text(' now. If there is a reason that we do not know of, tell us by return.'),
    ),
  ),
};

function reminded(name: string, about: DocNode, words: DocNode): Words {
  return {
    name,
    subject: doc(about),
    body: doc(GREETED, words),
    mailSubject: doc(about),
    mailBody: doc(GREETED, words, NOTES_TABLE, ...CLOSED),
  };
}

function records(db: Knex) {
  return db('paper_run')
    .join('staff', 'staff.id', 'paper_run.owner_id')
    .join('selection', 'selection.id', 'paper_run.selection_id')
    .select<RunRecord[]>('paper_run.*', 'selection.tree as selection', 'staff.name as owner');
}

/** A run as it is kept. @throws Refusal when there is none of that number */
export async function readRun(db: Knex, id: number): Promise<RunRecord> {
  const row = await records(db).where('paper_run.id', id).first();
  if (!row) throw notFound('That run');
  return row;
}

/** What is written and chosen of a run. */
export function draftOfRun(row: RunRecord): RunDraft {
  return RunDraft.parse({
    name: row.name,
    selection: fromJson('selection.tree', row.selection),
    day: row.day,
    subject: fromJson('paper_run.subject', row.subject),
    body: fromJson('paper_run.body', row.body),
    mailSubject: fromJson('paper_run.mail_subject', row.mail_subject),
    mailBody: fromJson('paper_run.mail_body', row.mail_body),
    senderId: row.sender_id,
    answersId: row.answers_id,
    hiddenCopy: row.hidden_copy,
    slip: Boolean(row.slip),
    paidMonths: row.paid_months,
    templateId: row.template_id,
    carries: row.carries,
  });
}

function columns(draft: RunDraft) {
  return {
    name: draft.name,
    day: draft.day,
    subject: toJson('paper_run.subject', draft.subject),
    body: toJson('paper_run.body', draft.body),
    mail_subject: toJson('paper_run.mail_subject', draft.mailSubject),
    mail_body: toJson('paper_run.mail_body', draft.mailBody),
    sender_id: draft.senderId,
    answers_id: draft.answersId,
    hidden_copy: draft.hiddenCopy,
    slip: draft.slip,
    paid_months: draft.paidMonths,
    template_id: draft.templateId,
    carries: draft.carries,
    saved_at: new Date(),
  };
}

/** For whom a run is that begins: those of a selection, one client, one person, one file; else all who are active. */
function forWhom({ selection, clientId, fileId, personId }: RunBegin): Selection {
  if (selection) return selection;
  const one = (subject: Selection['subject'], id: number): Selection => ({
    ...selectionOf(),
    subject,
    only: [id],
  });
  if (personId !== null) return one('person', personId);
  if (fileId !== null) return one('file', fileId);
  if (clientId !== null) return one('client', clientId);
  return {
    ...selectionOf({ fact: 'client.status', test: { op: 'one of', values: ['active'] } }),
    past: false,
  };
}

/** Begins a run. @returns its number */
export async function beginRun(db: Database, staff: StaffMember, begin: RunBegin): Promise<number> {
  return transact(db, (trx) => beginWithin(trx, staff, begin.kind, forWhom(begin)));
}

/** The same within a transaction. @param words that it begins with instead of the usual ones */
export async function beginWithin(
  trx: Transaction,
  staff: Pick<StaffMember, 'id'>,
  kind: Exclude<PaperKind, 'reminder'>,
  selection: Selection,
  words: Partial<Words> = {},
): Promise<number> {
  const { zone } = await readFirm(trx);
  const day = DateTime.now().setZone(zone).toISODate() ?? '';
  const [id = 0] = await trx('paper_run').insert({
    kind,
    owner_id: staff.id,
    selection_id: await saveSelection(trx, staff.id, selection),
    ...columns({ ...BEGUN[kind], ...words, selection, day, ...UNSAID }),
  });
  await noted(trx, staff.id, 'begun', id, { kind });
  return id;
}

/**
 * A run of reminders of a tone that is not made yet: one that lies ready in words, else one begun with the words that
 * the last of its tone had.
 */
export async function reminderRun(
  db: Database,
  staff: Pick<StaffMember, 'id'>,
  tone: Tone,
  day: string,
): Promise<{ id: number; version: number }> {
  return transact(db, async (trx) => {
    const kept = await trx('paper_run')
      .where({ tone, state: 'draft' })
      .orderBy('id')
      .forUpdate()
      .first('id', 'version');
    if (kept) {
      await trx('paper_run').where({ id: kept.id }).update({ day });
      return kept;
    }
    const last = await records(trx).where({ tone }).orderBy('paper_run.id', 'desc').first();
    const selection = selectionOf();
    const fresh = {
      ...REMINDED[tone],
      ...UNSAID,
    };
    const selectionId = await saveSelection(trx, staff.id, selection);
    const [id = 0] = await trx('paper_run').insert({
      ...{ kind: 'reminder', tone, owner_id: staff.id, selection_id: selectionId },
      ...columns({
        ...(last ? draftOfRun(last) : fresh),
        ...{ name: REMINDED[tone].name, selection, day },
      }),
    });
    if (last) await copyEnclosures(trx, last.id, id);
    await noted(trx, staff.id, 'begun', id, { kind: 'reminder', tone });
    return { id, version: 1 };
  });
}

async function copyEnclosures(trx: Transaction, from: number, to: number): Promise<void> {
  await trx.raw(
    `INSERT INTO paper_run_enclosure (run_id, wording_id, filename, mime_type, hash)
      SELECT ?, wording_id, filename, mime_type, hash FROM paper_run_enclosure WHERE run_id = ?`,
    [to, from],
  );
}

/** Keeps what is written. @returns its version now @throws Refusal when somebody else changed it, or it is made already */
export async function saveRun(db: Database, id: number, draft: RunDraft, version: number): Promise<number> {
  return transact(db, async (trx) => {
    const row = await trx('paper_run').where({ id }).forUpdate().first('state', 'version', 'selection_id');
    if (!row) throw notFound('That run');
    if (row.state !== 'draft')
      throw new Refusal(409, 'Its pieces are made. Take it back to its words to change them for all.');
    if (row.version !== version)
      throw new Refusal(409, 'Somebody else changed it meanwhile. Read it again before you go on.');
    await trx('paper_run')
      .where({ id })
      .update({ ...columns(draft), version: version + 1 });
    await changeSelection(trx, row.selection_id, draft.selection);
    await noteChange(trx, 'paperwork');
    return version + 1;
  });
}

/** Throws a run away none of whose pieces was released. @throws Refusal when some were */
export async function dropRun(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('paper_run').where({ id }).forUpdate().first('id', 'name', 'selection_id');
    if (!row) throw notFound('That run');
    await refuseReleased(trx, id);
    await trx('paper_run').where({ id }).delete();
    await trx('selection').where({ id: row.selection_id }).whereNull('name').delete();
    await noted(trx, staff.id, 'thrown away', id, { name: row.name });
  });
}

/** Takes a run back to its words: its pieces are made anew, and go by themselves no more. @throws Refusal when some were released */
export async function backToWords(db: Database, staff: StaffMember, id: number): Promise<void> {
  await transact(db, async (trx) => {
    const row = await trx('paper_run').where({ id }).forUpdate().first('state');
    if (!row) throw notFound('That run');
    await refuseReleased(trx, id);
    await trx('paper_piece').where({ run_id: id }).delete();
    await trx('paper_run').where({ id }).update({
      state: 'draft',
      made_at: null,
      template_hash: null,
      template_matching: null,
      released_for: null,
    });
    await noted(trx, staff.id, 'taken back to its words', id);
  });
}

async function refuseReleased(trx: Transaction, id: number): Promise<void> {
  const gone = await countOf(trx('paper_piece').where({ run_id: id, state: 'released' }));
  if (gone)
    throw new Refusal(
      409,
      `${gone === 1 ? 'One piece has' : `${gone} pieces have`} been released already. The others can be put on hold or dropped.`,
    );
}

/** Notes what somebody did with a run, and tells the screens. */
export async function noted(
  trx: Transaction,
  staffId: number,
  action: string,
  id: number,
  after?: object,
): Promise<void> {
  await noteAudit(trx, { staffId, action, subject: 'paper run', id, after });
  await noteChange(trx, 'paperwork');
}

const NOTHING: RunCounts = {
  ...{ total: 0, waiting: 0, wrong: 0, ready: 0, readyRead: 0, made: 0, read: 0, held: 0 },
  ...{ released: 0, dropped: 0, toPrint: 0, sent: 0, returned: 0 },
};

/** How many pieces of runs stand where. */
export async function countsOf(db: Knex, ids: readonly number[]): Promise<Map<number, RunCounts>> {
  if (!ids.length) return new Map();
  const state = (name: string) => db.raw<number>('SUM(paper_piece.state = ?)', [name]);
  const ready = (states: string) =>
    db.raw<number>(
      `SUM(paper_piece.state IN ${states} AND paper_piece.problems = '[]' AND paper_piece.raw_hash IS NOT NULL)`,
    );
  const rows = await select(
    db('paper_piece')
      .leftJoin('dispatch', 'dispatch.piece_id', 'paper_piece.id')
      .whereIn('paper_piece.run_id', [...ids])
      .groupBy('paper_piece.run_id'),
    {
      id: 'paper_piece.run_id',
      total: db.raw<number>('COUNT(*)'),
      waiting: state('waiting'),
      wrong: db.raw<number>(
        "SUM(paper_piece.state IN ('made', 'read', 'held') AND paper_piece.problems <> '[]')",
      ),
      ready: ready("('made', 'read')"),
      readyRead: ready("('read')"),
      made: state('made'),
      read: state('read'),
      held: state('held'),
      released: state('released'),
      dropped: state('dropped'),
      toPrint: db.raw<number>(
        "SUM(paper_piece.state = 'released' AND paper_piece.way <> 'email' AND paper_piece.printed_at IS NULL)",
      ),
      sent: db.raw<number>("SUM(dispatch.state = 'sent')"),
      returned: db.raw<number>("SUM(dispatch.state = 'returned')"),
    },
  );
  return new Map(
    rows.map(({ id, ...counts }) => [
      id,
      Object.fromEntries(
        Object.entries(counts).map(([name, count]) => [name, Number(count ?? 0)]),
      ) as unknown as RunCounts,
    ]),
  );
}

function asRow(row: RunRecord, counts: RunCounts | undefined): RunRow {
  return {
    id: row.id,
    kind: row.kind,
    tone: row.tone,
    name: row.name,
    state: row.state,
    owner: row.owner,
    day: row.day,
    savedAt: row.saved_at.toISOString(),
    counts: counts ?? NOTHING,
  };
}

/** A page of runs: what is at hand first, the latest of it at the top. */
export async function listRuns(
  db: Knex,
  { offset, limit }: { offset: number; limit: number },
): Promise<RunsPage> {
  const [rows, total] = await Promise.all([
    records(db)
      .orderByRaw(
        "FIELD(paper_run.state, 'made', 'draft', 'done', 'cancelled'), paper_run.saved_at DESC, paper_run.id DESC",
      )
      .offset(offset)
      .limit(limit),
    countOf(db('paper_run')),
  ]);
  const counts = await countsOf(
    db,
    rows.map(({ id }) => id),
  );
  return { total, rows: rows.map((row) => asRow(row, counts.get(row.id))) };
}

/** A run with what is written of it. */
export async function viewRun(db: Knex, id: number): Promise<RunView> {
  const row = await readRun(db, id);
  const counts = (await countsOf(db, [id])).get(id);
  return {
    ...asRow(row, counts),
    draft: draftOfRun(row),
    version: row.version,
    madeAt: row.made_at?.toISOString() ?? null,
  };
}
