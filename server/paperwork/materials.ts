import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import { imageSize } from 'image-size';
import { PAGE_FACT } from '../../core/collection/link.ts';
import type { Known } from '../../core/facts/catalogue.ts';
import { picturesOf, type DocNode } from '../../core/merge/document.ts';
import { rowsWanted } from '../../core/merge/fill.ts';
import { dayWords } from '../../core/office/day.ts';
import { noteFacts, sumOf, type FeeNoteLine } from '../../core/paperwork/account.ts';
import { daysBetween, isOpenOn } from '../../core/paperwork/ageing.ts';
import { hundredths, moneyWords } from '../../core/paperwork/money.ts';
import { isSigned } from '../../core/paperwork/signed.ts';
import { gatherFacts } from '../facts/gather.ts';
import { readFirm, type Firm } from '../foundation/firm.ts';
import { fromJson, jsonOrNull } from '../foundation/json.ts';
import { groupBy, select } from '../foundation/rows.ts';
import type { Rows } from '../foundation/tables.ts';
import { readPicture } from '../writing/pictures.ts';
import { reach, type Wanted } from './reach.ts';
import { overdueNotes, remindersOf } from './reminders.ts';
import { draftOfRun, readRun, type RunRecord } from './runs.ts';
import { offeredFacts, rowsOfMatching } from './templates.ts';

/** No picture of a letter may have more elements than it is drawn with memory for. */
const MOST_PIXELS = 40_000_000;

export type Piece = Rows['paper_piece'];

/** What a piece is made of. */
export interface Materials {
  record: RunRecord;
  firm: Firm;
  known: Known;
  wanted: Wanted | undefined;
  adviser: { name: string; signed: string | null } | null;
  file: { number: string } | null;
  notes: readonly FeeNoteLine[];
  labels: ReadonlyMap<string, string>;
  pictures: Readonly<Record<string, string>>;
}

/** Everything that pieces of one run are made of, in their order. */
export async function gatherMaterials(
  db: Knex,
  runId: number,
  pieces: readonly Piece[],
): Promise<Materials[]> {
  const record = await readRun(db, runId);
  const draft = draftOfRun(record);
  const [firm, wanted, catalogue, notes] = await Promise.all([
    readFirm(db),
    reachOf(db, record, pieces),
    offeredFacts(db),
    notesOf(db, record, pieces),
  ]);
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  const wantedOf = new Map(wanted.map((each) => [each.about, each]));
  const bodies = [
    draft.body,
    ...pieces.flatMap(({ own_body }) => (own_body ? [fromJson('paper_piece.own_body', own_body)] : [])),
  ];
  const rows = [
    ...new Set([
      ...[...bodies, draft.subject, draft.mailSubject, draft.mailBody].flatMap(rowsWanted),
      ...rowsOfMatching(jsonOrNull('paper_run.template_matching', record.template_matching) ?? {}),
    ]),
  ];
  const known = await gatherFacts(
    db,
    pieces.map((piece) => {
      const own = wantedOf.get(piece.about);
      return {
        clientId: piece.client_id,
        fileId: piece.file_id,
        adviserId: own?.adviserId ?? null,
        person: own?.person ?? null,
        greeting: own?.greeting ?? null,
      };
    }),
    rows,
  );
  const [files, staff] = await Promise.all([
    db('file')
      .whereIn(
        'id',
        pieces.map(({ file_id }) => file_id),
      )
      .select('id', 'number'),
    db('staff').select('id', 'name', 'signed'),
  ]);
  const fileOf = new Map(files.map((file) => [file.id, file]));
  const staffOf = new Map(
    staff.map(({ id, name, signed }) => [id, { name, signed: signed?.toString('hex') ?? null }]),
  );
  const hashes = [firm.paper.logo, ...[...staffOf.values()].map(({ signed }) => signed)];
  const pictures = await picturesIn(db, bodies, bodies.some(isSigned) ? hashes : hashes.slice(0, 1));
  return pieces.map((piece, index) => {
    const own = notes.get(piece.id) ?? [];
    const adviserId = wantedOf.get(piece.about)?.adviserId ?? 0;
    return {
      ...{ record, firm, labels, pictures, notes: own },
      // On paper nobody follows a link.
      known: withNote(withoutPage(known[index] ?? { words: {} }), own, record.day, firm),
      wanted: wantedOf.get(piece.about),
      adviser: staffOf.get(adviserId) ?? null,
      file: fileOf.get(piece.file_id) ?? null,
    };
  });
}

const withoutPage = (known: Known): Known => ({ ...known, words: { ...known.words, [PAGE_FACT]: '' } });

/** The same people and ways as when they were laid on the desk, as the records have them now. */
function reachOf(db: Knex, record: RunRecord, pieces: readonly Piece[]): Promise<Wanted[]> {
  const draft = draftOfRun(record);
  const only = { client: 'client_id', person: 'person_id', file: 'file_id' } as const;
  const ids = [...new Set(pieces.flatMap((piece) => piece[only[draft.selection.subject]] ?? []))];
  const { subject } = draft.selection;
  // Accounts are of clients, whatever was picked.
  const narrowed = { ...draft, selection: { ...draft.selection, only: ids } };
  return reach(db, record, record.kind === 'letter' || subject === 'client' ? narrowed : draft);
}

/** The fee notes each piece is about: its own; or, of an account, all that are open and some that were paid. */
async function notesOf(
  db: Knex,
  { kind, day, paid_months }: RunRecord,
  pieces: readonly Piece[],
): Promise<Map<number, FeeNoteLine[]>> {
  if (kind === 'letter') return new Map();
  if (kind === 'reminder') return remindedNotes(db, day, pieces);
  const paidFrom = DateTime.fromISO(day).minus({ months: paid_months }).toISODate() ?? day;
  const all = db('fee_note')
    .leftJoin('file', 'file.id', 'fee_note.file_id')
    .orderBy(['fee_note.issued_on', 'fee_note.id']);
  if (kind === 'fee note')
    all.whereIn(
      'fee_note.id',
      pieces.flatMap(({ fee_note_id }) => fee_note_id ?? []),
    );
  else
    all
      .whereIn(
        'fee_note.client_id',
        pieces.map(({ client_id }) => client_id),
      )
      .where('fee_note.issued_on', '<=', day)
      .where((some) =>
        some
          .whereNull('fee_note.paid_on')
          .orWhere('fee_note.paid_on', '>', day)
          .orWhere((paid) => paid.where('fee_note.paid_on', '>=', paidFrom).whereRaw('?', [paid_months > 0])),
      );
  const rows = await select(all, {
    id: 'fee_note.id',
    clientId: 'fee_note.client_id',
    number: 'fee_note.number',
    words: 'fee_note.words',
    issuedOn: 'fee_note.issued_on',
    dueOn: 'fee_note.due_on',
    amount: 'fee_note.amount',
    tax: 'fee_note.tax',
    paidOn: 'fee_note.paid_on',
    fileNumber: 'file.number?',
  });
  const lines = rows.map((row) => ({ ...row, amount: Number(row.amount), tax: Number(row.tax) }));
  const ofClient = groupBy(lines, ({ clientId }) => clientId);
  return new Map(
    pieces.map((piece) => [
      piece.id,
      kind === 'fee note'
        ? lines.filter(({ id }) => id === piece.fee_note_id)
        : (ofClient.get(piece.client_id) ?? []),
    ]),
  );
}

/** What stands in each reminder: all that is over its day. */
async function remindedNotes(
  db: Knex,
  day: string,
  pieces: readonly Piece[],
): Promise<Map<number, FeeNoteLine[]>> {
  const clientIds = pieces.map(({ client_id }) => client_id);
  const all = await overdueNotes(db, await readFirm(db), day, (some) =>
    some.whereIn('fee_note.client_id', clientIds),
  );
  const found = remindersOf(all);
  return new Map(pieces.map(({ id, client_id }) => [id, found.get(client_id)?.notes ?? []]));
}

/** The facts of a piece with those of its fee note: the first that is open, where there are several. */
function withNote(known: Known, notes: readonly FeeNoteLine[], day: string, firm: Firm): Known {
  const { currency } = firm.paper;
  const open = notes.filter((each) => isOpenOn(each, day));
  const over = open.filter(({ dueOn }) => dueOn < day);
  const days = String(Math.max(0, ...over.map(({ dueOn }) => daysBetween(dueOn, day))));
  const note = open[0] ?? notes[0];
  // What it is dated stands in it, not when it was made.
  const dated = { words: { today: dayWords(day) }, values: { today: day } };
  const own: Pick<Known, 'words' | 'values'> = note
    ? {
        words: {
          'overdue.sum': moneyWords(sumOf(over), currency),
          'overdue.days': days,
          'note.number': note.number,
          'note.words': note.words,
          'note.issued': dayWords(note.issuedOn),
          'note.due': dayWords(note.dueOn),
          'note.amount': moneyWords(hundredths(note.amount), currency),
        },
        values: {
          'note.issued': note.issuedOn,
          'note.due': note.dueOn,
          'note.amount': String(note.amount),
          'overdue.sum': (Number(sumOf(over)) / 100).toFixed(2),
          'overdue.days': days,
        },
      }
    : { words: {}, values: {} };
  return {
    ...known,
    words: { ...known.words, ...dated.words, ...own.words },
    values: { ...known.values, ...dated.values, ...own.values },
    // What stands in the piece stands in its texts too.
    rows: {
      ...known.rows,
      ...(notes.length && known.rows?.['fee notes']
        ? { 'fee notes': open.map((each) => noteFacts(each, day, currency)) }
        : {}),
    },
  };
}

/** The pictures of texts and paper as a page takes them; one that no page can be drawn with is left out. */
export async function picturesIn(
  db: Knex,
  bodies: readonly DocNode[],
  others: readonly (string | null)[],
): Promise<Record<string, string>> {
  const hashes = [...new Set([...bodies.flatMap(picturesOf), ...others.flatMap((hash) => hash ?? [])])];
  const found: Record<string, string> = {};
  for (const hash of hashes) {
    const picture = await readPicture(db, hash).catch(() => null);
    if (!picture || picture.type === 'image/gif') continue;
    const { width, height } = imageSize(picture.content);
    if (width * height > MOST_PIXELS) continue;
    found[hash] = `data:${picture.type};base64,${picture.content.toString('base64')}`;
  }
  return found;
}
