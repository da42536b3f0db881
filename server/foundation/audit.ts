import type { Knex } from 'knex';

/** Who does something, and with which import if it is done by one. */
export type Doer = Pick<Audited, 'staffId' | 'importId'>;

/** Who did what to which record. */
export interface Audited {
  /** Null for somebody who is not signed in. */
  staffId: number | null;
  /** It was done by bringing a list in. */
  importId?: number | undefined;
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
  { staffId, importId, action, subject, id, before, after }: Audited,
): Promise<void> {
  await db('audit').insert({
    at: new Date(),
    staff_id: staffId,
    import_id: importId ?? null,
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
