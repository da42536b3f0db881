import type { Knex } from 'knex';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm, type Firm } from '../foundation/firm.ts';
import type { Rows } from '../foundation/tables.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf } from '../foundation/rows.ts';
import { offeredSecret, periodOfCode, renewCodes, turnOff, turnOn } from '../security/secondStep.ts';

/** Whether one signs in with a second step, and whether the office asks for it. */
export async function secondStepState(
  db: Knex,
  staffId: number,
): Promise<{ on: boolean; demanded: boolean; codesLeft: number }> {
  const [firm, member, codesLeft] = await Promise.all([
    readFirm(db),
    db('staff').where({ id: staffId }).first('second_step'),
    countOf(db('recovery_code').where({ staff_id: staffId })),
  ]);
  return { on: Boolean(member?.second_step), demanded: firm.secondStep, codesLeft };
}

/**
 * Turns one's second step on, when a first code shows that the telephone took the secret in.
 * @returns the recovery codes, which are shown this once
 * @throws Refusal when the code is not right
 */
export async function confirmSecondStep(
  db: Database,
  key: Buffer,
  staffId: number,
  sealed: string,
  code: string,
): Promise<string[]> {
  const secret = offeredSecret(key, staffId, sealed);
  if (secret === null) throw new Refusal(400, 'That picture is not yours. Begin again.');
  if (periodOfCode(secret, code, Date.now()) === null)
    throw new Refusal(400, 'That code is not right. Is the clock of your telephone right?', 'code');
  return transact(db, async (trx) => {
    const codes = await turnOn(trx, key, staffId, secret);
    await noteAudit(trx, { staffId, action: 'second step turned on', subject: 'staff', id: staffId });
    await noteChange(trx, 'records', 'staff', [staffId]);
    return codes;
  });
}

/** Fresh recovery codes in the place of one's own. */
export async function renewRecoveryCodes(db: Database, staffId: number): Promise<string[]> {
  return transact(db, async (trx) => {
    if (!(await trx('staff').where({ id: staffId }).first('second_step'))?.second_step)
      throw new Refusal(409, 'You sign in without a second step.');
    await noteAudit(trx, { staffId, action: 'recovery codes renewed', subject: 'staff', id: staffId });
    return renewCodes(trx, staffId);
  });
}

/** Takes one's second step away. @throws Refusal when the office asks for it */
export async function turnOffOwn(db: Database, staffId: number): Promise<void> {
  await transact(db, async (trx) => {
    if ((await readFirm(trx)).secondStep)
      throw new Refusal(409, 'Your office asks everybody for a second step.');
    await turnOff(trx, staffId);
    await noteAudit(trx, { staffId, action: 'second step turned off', subject: 'staff', id: staffId });
    await noteChange(trx, 'records', 'staff', [staffId]);
  });
}

/** What stands below the messages of somebody who has put nothing of their own there. */
export function usualSignature(
  firm: Pick<Firm, 'name'>,
  staff: Pick<Rows['staff'], 'name' | 'title' | 'phone'> | undefined,
): string {
  return [
    [staff?.name, staff?.title].filter(Boolean).join(', '),
    [firm.name, staff?.phone].filter(Boolean).join(', '),
  ]
    .filter(Boolean)
    .join('\n');
}
