import { z } from 'zod';
import { FileRef, Id, Page } from './common.ts';
import { Doc } from './document.ts';
import { DispatchState } from './mailing.ts';
import { Day } from './office.ts';
import { Tone } from './reminders.ts';
import { Selection } from './selection.ts';
import { Addressee } from './writing.ts';

/** What a run makes: a letter of each, each fee note that was not sent yet, an account of what is open, or of what is overdue. */
export const PaperKind = z.enum(['letter', 'fee note', 'statement', 'reminder']);
export type PaperKind = z.infer<typeof PaperKind>;

/** `made`: its pieces are on the desk; `done`: each has gone or was dropped. */
export const RunState = z.enum(['draft', 'made', 'done', 'cancelled']);
export type RunState = z.infer<typeof RunState>;

/** How a piece goes to its client. */
export const PaperWay = z.enum(['email', 'post', 'both']);
export type PaperWay = z.infer<typeof PaperWay>;

/** `waiting`: not made yet; `read`: somebody looked at it; `held`: it is not to go for now. */
export const PieceState = z.enum(['waiting', 'made', 'read', 'held', 'released', 'dropped']);
export type PieceState = z.infer<typeof PieceState>;

/** What is written and chosen of a run. */
export const RunDraft = z.object({
  name: z.string().trim().min(1, 'Give it a name.').max(200, 'At most 200 letters.'),
  selection: Selection,
  /** What it is dated; accounts are drawn as of that day. */
  day: Day,
  subject: Doc,
  body: Doc,
  /** Of the message that carries it, where it goes by email. */
  mailSubject: Doc,
  mailBody: Doc,
  /** The mailbox it comes from; null: that of each client's adviser. */
  senderId: Id.nullable(),
  /** The mailbox that answers go to; null: whoever it comes from. */
  answersId: Id.nullable(),
  /** An address that gets a hidden copy of each message; empty for none. */
  hiddenCopy: z.union([z.literal(''), z.email('That is no email address.')]),
  /** A slip to be sent with what is paid. */
  slip: z.boolean(),
  /** So many months of what was paid stand on a statement. */
  paidMonths: z.number().int().min(0).max(60),
  /** A word-processor template in the place of its words. */
  templateId: Id.nullable(),
  /** What an email has enclosed of it: of words written here always the PDF. */
  carries: z.enum(['pdf', 'docx']),
});
export type RunDraft = z.infer<typeof RunDraft>;

/** Saving names the version it was made from, so that two people never overwrite each other unseen. */
export const RunSave = RunDraft.extend({ version: z.number().int() });
export const RunSaved = z.object({ version: z.number() });

/** Begins a run: for those of a selection, or for one client or person, or about one file, alone. */
export const RunBegin = z.object({
  /** Reminders are prepared all at once, by their tones. */
  kind: PaperKind.exclude(['reminder']),
  selection: Selection.optional(),
  clientId: Id.nullable().default(null),
  fileId: Id.nullable().default(null),
  personId: Id.nullable().default(null),
});
export type RunBegin = z.output<typeof RunBegin>;

/** How many pieces of a run stand where. */
export const RunCounts = z.object({
  total: z.number(),
  /** Still being made. */
  waiting: z.number(),
  /** With something that stands in the way. */
  wrong: z.number(),
  /** In whose way nothing stands: of those on the desk, and of those that were read. */
  ready: z.number(),
  readyRead: z.number(),
  made: z.number(),
  read: z.number(),
  held: z.number(),
  released: z.number(),
  dropped: z.number(),
  /** Of those released: to be printed and posted still. */
  toPrint: z.number(),
  /** Of those released by email: sent, and come back. */
  sent: z.number(),
  returned: z.number(),
});
export type RunCounts = z.infer<typeof RunCounts>;

export const RunRow = z.object({
  id: z.number(),
  kind: PaperKind,
  /** Of reminders; else null. */
  tone: Tone.nullable(),
  name: z.string(),
  state: RunState,
  owner: z.string(),
  day: z.string(),
  savedAt: z.string(),
  counts: RunCounts,
});
export type RunRow = z.infer<typeof RunRow>;
export const RunsPage = z.object({ total: z.number(), rows: z.array(RunRow) });
export type RunsPage = z.infer<typeof RunsPage>;
export const RunsQuery = Page;

export const RunView = RunRow.extend({ draft: RunDraft, version: z.number(), madeAt: z.string().nullable() });
export type RunView = z.infer<typeof RunView>;

/** How many pieces a draft would make, and for whom at first. */
export const RunReach = z.object({ pieces: z.number(), clients: z.number(), first: z.array(z.string()) });
export type RunReach = z.infer<typeof RunReach>;

/** What became of a piece that was released. */
export const PieceGone = z.object({
  at: z.string(),
  by: z.string(),
  /** Of its message; null where it goes by post alone. */
  mail: z
    .object({
      dispatchId: z.number(),
      state: DispatchState,
      answer: z.string().nullable(),
      messageId: z.number().nullable(),
    })
    .nullable(),
  /** Null while it is to be printed, or goes by email alone. */
  printedAt: z.string().nullable(),
  packId: z.number().nullable(),
});

export const PieceRow = z.object({
  id: z.number(),
  client: z.string(),
  clientId: z.number(),
  file: FileRef.nullable(),
  state: PieceState,
  way: PaperWay,
  /** To whom it goes by email. */
  people: z.array(Addressee),
  pages: z.number().nullable(),
  /** Whether there is a PDF of it, and the document it was printed from. */
  pdf: z.boolean(),
  docx: z.boolean(),
  amount: z.number().nullable(),
  /** What stands in the way of releasing it. */
  problems: z.array(z.string()),
  /** What is odd about it. */
  remarks: z.array(z.string()),
  heldWhy: z.string(),
  own: z.boolean(),
  version: z.number(),
  gone: PieceGone.nullable(),
  documentId: z.number().nullable(),
});
export type PieceRow = z.infer<typeof PieceRow>;

/** Which pieces of a run: those with something wrong, those nobody has read, and so on. */
export const PieceShow = z.enum(['all', 'wrong', 'unread', 'read', 'held', 'released', 'returned']);
export type PieceShow = z.infer<typeof PieceShow>;
export const PiecesQuery = Page.extend({ show: PieceShow.default('all'), q: z.string().max(100).optional() });
export const PiecesPage = z.object({ total: z.number(), rows: z.array(PieceRow) });
export type PiecesPage = z.infer<typeof PiecesPage>;

/** A piece with its own words and where it goes. */
export const PieceView = PieceRow.extend({ body: Doc, postal: z.array(z.string()) });
export type PieceView = z.infer<typeof PieceView>;

/** What is to be otherwise about one piece; its words as null: those of all again. */
export const PieceChange = z.object({
  version: z.number().int(),
  body: Doc.nullable().optional(),
  way: PaperWay.optional(),
  people: z.array(Addressee).max(20).optional(),
  postal: z.array(z.string().max(100)).max(10).optional(),
});
export type PieceChange = z.infer<typeof PieceChange>;

/** As what a piece is taken out. */
export const PieceAs = z.object({ as: z.enum(['pdf', 'docx']).default('pdf') });
/** A document in the place of the one a piece was made as. */
export const PieceDocument = z.object({ version: z.coerce.number().int() });

/** Marks some pieces, or says how they go. */
export const PiecesAct = z.object({
  ids: z.array(Id).min(1).max(5000),
  act: z.enum(['read', 'unread', 'hold', 'drop', 'take up', 'email', 'post', 'both']),
  why: z.string().trim().max(300).default(''),
});
export type PiecesAct = z.infer<typeof PiecesAct>;

/** Releases those that were read, or all in whose way nothing stands; how many one expects. */
export const RunRelease = z.object({ what: z.enum(['read', 'all']), expected: z.number().int().min(1) });
export type RunRelease = z.infer<typeof RunRelease>;
/** What was released; `overtaken` stayed: another run has sent it, or its figures are others now and it is made anew. */
export const Released = z.object({
  released: z.number(),
  byEmail: z.number(),
  byPost: z.number(),
  overtaken: z.number(),
});

export const PackState = z.enum(['waiting', 'made', 'failed']);
export const PackRow = z.object({
  id: z.number(),
  madeAt: z.string(),
  by: z.string(),
  state: PackState,
  duplex: z.boolean(),
  pieces: z.number(),
  /** Sheets of paper, without the cover list. */
  pages: z.number().nullable(),
  posted: z.number(),
});
export type PackRow = z.infer<typeof PackRow>;
/** Print packs, the newest first, and how many pieces wait to be put into one. */
export const PacksPage = z.object({ total: z.number(), rows: z.array(PackRow), waiting: z.number() });
export type PacksPage = z.infer<typeof PacksPage>;
export const PackBegin = z.object({ duplex: z.boolean() });

/** A piece of a pack, in its order. */
export const PackPiece = z.object({
  id: z.number(),
  place: z.number(),
  client: z.string(),
  clientId: z.number(),
  run: z.string(),
  runId: z.number(),
  postcode: z.string(),
  pages: z.number(),
  printedAt: z.string().nullable(),
});
export const PackView = PackRow.extend({ list: z.array(PackPiece) });
export type PackView = z.infer<typeof PackView>;
/** Those that were printed and posted; or, spoiled, are to be printed again. */
export const PackTick = z.object({ ids: z.array(Id).min(1).max(5000), posted: z.boolean() });

const Millimetres = z
  .number('Give millimetres.')
  .min(0, 'Not less than nothing.')
  .max(297, 'A sheet has 297.');
/** How labels stand on a sheet, in millimetres. */
export const LabelSheet = z.object({
  columns: z.number().int().min(1, 'At least one.').max(20),
  rows: z.number().int().min(1, 'At least one.').max(40),
  width: Millimetres.min(15, 'At least 15 millimetres.'),
  height: Millimetres.min(12, 'At least 12 millimetres.'),
  left: Millimetres,
  top: Millimetres,
  across: Millimetres,
  down: Millimetres,
});
/** Labels for those of a selection, from the first that is still on the sheet. */
export const LabelsAsk = z.object({
  selection: Selection,
  sheet: LabelSheet,
  start: z.number().int().min(1),
});
