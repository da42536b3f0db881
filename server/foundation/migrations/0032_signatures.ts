import type { Knex } from 'knex';
import { apply } from '../apply.ts';

/** A text of lines, as the editor keeps it. */
function asText(lines: string): string {
  const content = lines
    .split('\n')
    .flatMap((line, at) => [
      ...(at ? [{ type: 'hardBreak' }] : []),
      ...(line ? [{ type: 'text', text: line }] : []),
    ]);
  return JSON.stringify({ type: 'doc', content: [{ type: 'paragraph', content }] });
}
const EMPTY = JSON.stringify({ type: 'doc', content: [{ type: 'paragraph' }] });

/** Signatures lie in the cupboard, with what they were before; whoever wrote lines of their own finds them there. */
export async function up(knex: Knex): Promise<void> {
  await apply(
    knex,
    `ALTER TABLE wording MODIFY COLUMN kind
      ENUM('template','paragraph','note','article','enclosure','signature') NOT NULL`,
  );
  await apply(
    knex,
    `ALTER TABLE staff
      ADD COLUMN signature_id INT UNSIGNED NULL COMMENT 'what stands below their messages; null: the usual lines',
      ADD KEY staff_signature (signature_id),
      ADD CONSTRAINT staff_signs FOREIGN KEY (signature_id) REFERENCES wording (id) ON DELETE SET NULL`,
  );
  if (!(await knex.schema.hasColumn('staff', 'signature'))) return;
  const staff: { id: number; name: string; signature: string }[] = await knex
    .from<object>('staff' as string)
    .whereNot({ signature: '' })
    .whereNull('signature_id')
    .select('id', 'name', 'signature');
  for (const { id, name, signature } of staff)
    await knex.transaction(async (trx) => {
      const [made] = await trx('wording').insert({
        kind: 'signature',
        // Two people may bear one name.
        name: `Signature of ${name} (${id})`.slice(0, 120),
        description: '',
        own: 1,
        letters: '',
        staff_id: id,
        subject: EMPTY,
        body: asText(signature),
        changed_at: new Date(),
      });
      await trx('staff').where({ id }).update({ signature_id: made });
    });
  await apply(knex, 'ALTER TABLE staff DROP COLUMN signature');
}

/** Migrations only go forward: a wrong one is mended by the next. */
export async function down(): Promise<void> {
  throw new Error('migrations only go forward');
}
