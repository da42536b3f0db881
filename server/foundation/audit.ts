import type { Knex } from 'knex';
import { happeningsOf, type Happening } from '../../core/orders/happening.ts';
import { toJson } from './json.ts';
import { insertAll } from './rows.ts';

/** Who does something, and with which import or for which standing order. */
export type Doer = Pick<Audited, 'staffId' | 'importId' | 'courseId'>;

/** Who did what to which record. */
export interface Audited {
  /** Null for somebody who is not signed in. */
  staffId: number | null;
  /** It was done by bringing a list in. */
  importId?: number | undefined;
  /** A standing order did it: what it has under way. */
  courseId?: number | undefined;
  action: string;
  /** What kind of record, and its number. */
  subject: string;
  id: number;
  /** What it was before, and after; left out where that says nothing. */
  before?: unknown;
  after?: unknown;
}

/**
 * Notes who did what, for good: in the transaction of the act. What standing orders may wait for is appended with it,
 * unless a list brought it in: a register that is taken over has not just come about.
 */
export async function noteAudit(db: Knex, audited: Audited): Promise<void> {
  const { staffId, importId, courseId, action, subject, id, before, after } = audited;
  if (importId === undefined) await noteHappenings(db, happeningsOf(audited), courseId);
  await db('audit').insert({
    at: new Date(),
    staff_id: staffId,
    import_id: importId ?? null,
    course_id: courseId ?? null,
    action,
    subject,
    subject_id: id,
    before_value: asText(before),
    after_value: asText(after),
  });
}

/** Appends what happened, for standing orders to hear of. @param courseId of the order that did it */
export async function noteHappenings(
  db: Knex,
  happenings: readonly Happening[],
  courseId: number | null = null,
): Promise<void> {
  await insertAll(
    db,
    'happening',
    happenings.map(({ kind, subject, id, fact, value }) => ({
      ...{ kind, subject, subject_id: id, fact, course_id: courseId },
      value: value === null || value === undefined ? null : toJson('happening.value', value),
    })),
  );
}

function asText(value: unknown): string | null {
  return value === undefined || value === null ? null : JSON.stringify(value);
}
