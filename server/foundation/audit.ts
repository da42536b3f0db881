import type { Knex } from 'knex';

/** Who did what to which record. */
export interface Audited {
  /** Null for somebody who is not signed in. */
  staffId: number | null;
  action: string;
  /** What kind of record, and its number. */
  subject: string;
  id: number;
  /** What it was before, and after; left out where that says nothing. */
  before?: unknown;
  after?: unknown;
}

/** Notes who did what, for good: in the transaction of the act. */
export async function noteAudit(
  db: Knex,
  { staffId, action, subject, id, before, after }: Audited,
): Promise<void> {
  await db('audit').insert({
    at: new Date(),
    staff_id: staffId,
    action,
    subject,
    subject_id: id,
    before_value: asText(before),
    after_value: asText(after),
  });
}

function asText(value: unknown): string | null {
  return value === undefined || value === null ? null : JSON.stringify(value);
}
