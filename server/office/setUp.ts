import freemail from 'email-providers/all.json' with { type: 'json' };
import type { Knex } from 'knex';
import type { SetUp } from '../../contract/index.ts';
import { domainOf } from '../../core/address/address.ts';
import { learnNumbers } from '../../core/office/fileNumbers.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { Firm, isSetUp } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { hashPassword } from '../security/passwords.ts';
import { hashOfCode, randomCode } from '../security/secondStep.ts';

/** So long the code for setting an office up serves, in hours; each start makes one. */
const HOURS = 7 * 24;
const CODE_LENGTH = 12;

/**
 * Makes the code that lets the first person set the office up, to be shown in the terminal and nowhere else.
 * @returns null when the office has been set up
 */
export async function offerSetUp(db: Knex): Promise<string | null> {
  if (await isSetUp(db)) return null;
  const code = randomCode(CODE_LENGTH);
  const now = new Date();
  await db('one_time_link').where({ kind: 'set up' }).where('expires_at', '<', now).delete();
  await db('one_time_link').insert({
    token_hash: hashOfCode(code),
    kind: 'set up',
    made_at: now,
    expires_at: new Date(now.getTime() + HOURS * 3600_000),
  });
  return code.replace(/.{4}(?=.)/g, '$&-');
}

/**
 * Makes the firm and its first manager.
 * @param webAddress where whoever sets it up reaches this server
 * @returns the manager
 * @throws Refusal when the code is not the terminal's, or the office has been set up
 */
export async function setUp(db: Database, wanted: SetUp, webAddress: string): Promise<number> {
  const password = await hashPassword(wanted.password);
  return transact(db, async (trx) => {
    if (await isSetUp(trx)) throw alreadySetUp();
    await takeSetUpCode(trx, wanted.code);
    // Of two who come at once the key lets one through.
    await trx('setting')
      .insert({ name: 'firm', value: JSON.stringify(newFirm(wanted, webAddress)) })
      .catch((error: unknown) => {
        throw isDuplicate(error) ? alreadySetUp() : error;
      });
    const [id = 0] = await trx('staff').insert({
      name: wanted.name,
      email: wanted.email,
      role: 'manager',
      password_hash: password,
    });
    await noteAudit(trx, {
      staffId: id,
      action: 'office set up',
      subject: 'firm',
      id: 0,
      after: { firm: wanted.firm, manager: wanted.email },
    });
    await noteChange(trx, 'records');
    return id;
  });
}

function alreadySetUp(): Refusal {
  return new Refusal(409, 'This office has been set up already. Sign in instead.');
}

async function takeSetUpCode(trx: Transaction, code: string): Promise<void> {
  const known = await trx('one_time_link')
    .where({ token_hash: hashOfCode(code), kind: 'set up' })
    .where('expires_at', '>', new Date())
    .first('kind');
  if (!known)
    throw new Refusal(
      400,
      'That is not the code that stands in the terminal where Patient Clerk was started.',
      'code',
    );
  await trx('one_time_link').where({ kind: 'set up' }).delete();
}

/** A firm of which no more is known than its name: numbers begin with its initials until it says how they look. */
function newFirm(wanted: SetUp, webAddress: string): Firm {
  const domain = domainOf(wanted.email);
  const initials = wanted.firm
    .split(/[^\p{L}\d]+/u)
    .map((word) => word[0] ?? '')
    .join('')
    .normalize('NFD')
    .toUpperCase()
    .replace(/[^A-Z]/g, '')
    .slice(0, 4);
  return Firm.parse({
    name: wanted.firm,
    domains: freemail.includes(domain) ? [] : [domain],
    fileNumberPattern: learnNumbers([`${initials || 'F'}-00000`]).pattern,
    numberExamples: [],
    firstNumber: `${initials || 'F'}-00000`,
    zone: wanted.zone,
    notice: '',
    webAddress,
  });
}
