import { z } from 'zod';
import { ROWS, type Known } from '../../core/facts/catalogue.ts';
import { Addressee, Addressees } from '../../contract/writing.ts';
import { Doc, DocNodeSchema } from '../../contract/document.ts';
import { MessageState } from '../../contract/correspondence.ts';
import { Evidence, Likelihood, SortingGroup } from '../../contract/filing.ts';
import { ImportColumns } from '../../contract/import.ts';
import { Colleagues } from '../../contract/mailing.ts';
import { OrderTold } from '../../contract/orders.ts';
import { OwnReminding, RemindStep } from '../../contract/reminders.ts';
import { Selection } from '../../contract/selection.ts';
import { FieldMatching, WantedFields } from '../../contract/templates.ts';
import { Timing } from '../../contract/timing.ts';

const Words = z.record(z.string(), z.string());
const KnownFacts: z.ZodType<Known> = z.object({
  words: Words,
  values: Words.optional(),
  rows: z.partialRecord(z.enum(ROWS), z.array(z.lazy(() => KnownFacts))).optional(),
}) as z.ZodType<Known>;

const Ids = z.array(z.number().int());

/** Where a message is and why: all that a step changes, so that undoing restores it exactly. */
const Standing = z.object({
  state: MessageState,
  sorting: SortingGroup.nullable(),
  decided_at: z.string(),
  decided_by: z.number().nullable(),
  evidence: z.string(),
  candidates: z.string(),
  reason: z.string().nullable(),
  later_until: z.string().nullable(),
  corrected_at: z.string().nullable(),
  probability: z.number().nullable().default(null),
  fileIds: Ids,
});
export type Standing = z.infer<typeof Standing>;

const Lesson = z.object({
  at: z.number(),
  words: z.array(z.string()).readonly(),
  people: z.array(z.string()).readonly(),
  files: z.array(z.object({ id: z.number(), topics: z.array(z.string()).readonly() })).readonly(),
  stranger: z.string().nullable(),
  evident: z.literal(true).optional(),
});

const Row = z.record(z.string(), z.unknown()).nullable();
const RowChange = z.object({ table: z.string(), before: Row, after: Row });

/** What each column of text holds that is JSON. Older versions wrote some of it: what they left out has a default. */
const COLUMNS = {
  'client.postal': z.array(z.string()),
  'import_run.header': z.array(z.string()),
  'import_run.columns': ImportColumns,
  'import_row.cells': z.array(z.string()),
  'message.evidence': z.array(Evidence),
  'message.candidates': z.array(
    z.object({
      fileId: z.number(),
      probability: z.number().default(0),
      likelihood: Likelihood,
      evidence: z.array(Evidence),
    }),
  ),
  'filing_step_message.before_value': Standing,
  'filing_step_message.after_value': Standing,
  'lesson.lesson': Lesson,
  'draft.people': Addressees,
  'draft.body': Doc,
  'draft.file_ids': Ids,
  'mailing.plain': Doc,
  'wording.body': Doc,
  'wording.subject': Doc,
  'selection.tree': Selection,
  'preference.value': z.array(z.string()),
  'double_pair.reasons': z.array(z.string()),
  'record_merge.changes': z.array(RowChange),
  'mailing.subject': DocNodeSchema,
  'mailing.roles': z.array(z.string()),
  'mailing.colleagues': Colleagues,
  'paper_run.subject': Doc,
  'paper_run.body': Doc,
  'paper_run.mail_subject': Doc,
  'paper_run.mail_body': Doc,
  'paper_piece.people': z.array(Addressee),
  'paper_piece.postal': z.array(z.string()),
  'paper_piece.own_body': Doc,
  'paper_piece.problems': z.array(z.string()),
  'paper_piece.remarks': z.array(z.string()),
  'paper_piece.facts': KnownFacts,
  'docx_template.fields': WantedFields,
  'docx_template.matching': FieldMatching,
  'paper_run.template_matching': FieldMatching,
  'paper_piece.steps': z.array(RemindStep),
  'client.reminding': OwnReminding,
  'fee_note.reminding': OwnReminding,
  'order_version.told': OrderTold,
  'happening.value': z.unknown(),
  'mailing_own_copy.subject': DocNodeSchema,
  'mailing_own_copy.body': DocNodeSchema,
  'mailing.body': DocNodeSchema,
  'mailing.timing': Timing,
  'dispatch.facts': z.preprocess(
    // Until rows were known there were words alone.
    (kept) => (kept && typeof kept === 'object' && 'words' in kept ? kept : { words: kept }),
    KnownFacts,
  ) as unknown as z.ZodType<Known, Known>,
};
type JsonColumn = keyof typeof COLUMNS;
type Held<C extends JsonColumn> = z.output<(typeof COLUMNS)[C]>;

/** What a column of JSON holds. @throws ZodError when it is something else */
export function fromJson<C extends JsonColumn>(column: C, text: string): Held<C> {
  return COLUMNS[column].parse(JSON.parse(text)) as Held<C>;
}

/** The same of a column that may be empty. */
export function jsonOrNull<C extends JsonColumn>(column: C, text: string | null): Held<C> | null {
  return text === null ? null : fromJson(column, text);
}

/** What is to be kept in a column of JSON, as its text. */
export function toJson<C extends JsonColumn>(_column: C, value: z.input<(typeof COLUMNS)[C]>): string {
  return JSON.stringify(value);
}
