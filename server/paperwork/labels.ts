import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import type { z } from 'zod';
import type { LabelsAsk, StaffMember } from '../../contract/index.ts';
import { wrongWith } from '../../core/paperwork/labels.ts';
import { Refusal } from '../foundation/refusal.ts';
import { pool } from '../reading/pool.ts';
import { reach } from './reach.ts';

/** So many labels are printed at once. */
const MOST = 20_000;
const PATIENCE = 120_000;

/**
 * Labels with the postal addresses of those picked out; whoever has none gets none.
 * @returns the bytes of a PDF
 * @throws Refusal when the measures do not fit a sheet, or nobody has an address
 */
export async function labelsFor(
  db: Knex,
  staff: StaffMember,
  { selection, sheet, start }: z.output<typeof LabelsAsk>,
): Promise<Buffer> {
  const wrong = wrongWith(sheet);
  if (wrong) throw new Refusal(400, wrong, 'sheet');
  if (start > sheet.columns * sheet.rows)
    throw new Refusal(400, 'There are not so many labels on a sheet.', 'start');
  const day = DateTime.now().toISODate();
  const wanted = await reach(
    db,
    { kind: 'letter', tone: null, id: 0, owner_id: staff.id },
    { selection, day },
  );
  const addresses = wanted.flatMap(({ postal }) => (postal.length ? [postal] : []));
  if (!addresses.length) throw new Refusal(400, 'Nobody of them has a postal address.');
  if (addresses.length > MOST) throw new Refusal(400, 'Those are more than 20,000: print some at a time.');
  return Buffer.from(await pool.run('labels', [addresses, sheet, start], { urgent: false, time: PATIENCE }));
}
