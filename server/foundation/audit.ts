import type { Knex } from 'knex';

/** Notes who did what to which record, with what it was before and after. @param staffId null for somebody who is not signed in */
export async function noteAudit(
  db: Knex,
  staffId: number | null,
  action: string,
  subject: string,
  subjectId: number,
  before: unknown,
  after: unknown,
): Promise<void> {
  await db('audit').insert({
    at: new Date(),
    staff_id: staffId,
    action,
    subject,
    subject_id: subjectId,
    before_value: before === null ? null : JSON.stringify(before),
    after_value: after === null ? null : JSON.stringify(after),
  });
}
