import { createHash, randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';
import { selectFirst } from '../foundation/rows.ts';
import { setPassword } from '../security/sessions.ts';

/** What a link lets its bearer do, and for how many hours. */
const HOURS = { invite: 7 * 24, reset: 24 } as const;
export type LinkKind = keyof typeof HOURS;

const hashToken = (token: string) => createHash('sha256').update(token).digest();
const GONE = 'That link has been used, or its time is over. Ask your office manager for another.';

/**
 * Makes a link that lets a person choose a password once; one made before serves no more.
 * @param hours it serves; as long as its kind does when left out
 * @returns its path, which is kept nowhere
 */
export async function makeLink(
  trx: Transaction,
  kind: LinkKind,
  staffId: number,
  hours: number = HOURS[kind],
): Promise<{ path: string; until: Date }> {
  const token = randomBytes(24).toString('base64url');
  const now = new Date();
  const until = new Date(now.getTime() + hours * 3600_000);
  await trx('one_time_link').where('expires_at', '<', now).delete();
  await trx('one_time_link').where({ staff_id: staffId }).delete();
  await trx('one_time_link').insert({
    token_hash: hashToken(token),
    kind,
    staff_id: staffId,
    made_at: now,
    expires_at: until,
  });
  return { path: `/key/${token}`, until };
}

/** Whose link this is, while it serves. @throws Refusal when it does not */
export async function openedLink(
  db: Knex,
  token: string,
): Promise<{ kind: LinkKind; staffId: number; name: string; email: string }> {
  const link = db('one_time_link')
    .join('staff', 'staff.id', 'one_time_link.staff_id')
    .where('one_time_link.token_hash', hashToken(token))
    .where('one_time_link.expires_at', '>', new Date())
    .where('staff.active', 1);
  const row = await selectFirst(link, {
    kind: 'one_time_link.kind',
    id: 'staff.id',
    name: 'staff.name',
    email: 'staff.email',
  });
  if (!row || row.kind === 'set up') throw new Refusal(410, GONE);
  return { kind: row.kind, staffId: row.id, name: row.name, email: row.email };
}

/** Uses a link up: its person has the password from now on, and is signed out everywhere else. @returns who it is */
export async function useLink(db: Database, token: string, password: string): Promise<number> {
  return transact(db, async (trx) => {
    const { staffId, kind } = await openedLink(trx, token);
    // Of two who come with it at once only one finds it.
    if (
      !(await trx('one_time_link')
        .where({ token_hash: hashToken(token) })
        .delete())
    )
      throw new Refusal(410, GONE);
    await setPassword(trx, staffId, password);
    await noteAudit(trx, {
      staffId,
      action: kind === 'invite' ? 'invitation taken' : 'password chosen anew',
      subject: 'staff',
      id: staffId,
    });
    return staffId;
  });
}
