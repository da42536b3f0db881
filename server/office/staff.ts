import type { Knex } from 'knex';
import type { OneTimeLink, StaffDraft, StaffRecord } from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { isDuplicate, transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, insertAll, groupBy, select } from '../foundation/rows.ts';
import { closeSessions } from '../security/sessions.ts';
import { turnOff } from '../security/secondStep.ts';
import { makeLink, type LinkKind } from './links.ts';

/** Everybody of the office, those who left last. */
export async function listStaff(db: Knex): Promise<StaffRecord[]> {
  const [rows, mailboxes] = await Promise.all([
    select(db('staff').orderByRaw('staff.active DESC, staff.name'), {
      id: 'staff.id',
      name: 'staff.name',
      email: 'staff.email',
      title: 'staff.title',
      phone: 'staff.phone',
      role: 'staff.role',
      left_at: 'staff.left_at',
      joined: db.raw<number>("staff.password_hash <> ''"),
      second_step: db.raw<number>('staff.second_step IS NOT NULL'),
      link_until: db.raw<Date | null>(
        '(SELECT MAX(expires_at) FROM one_time_link WHERE staff_id = staff.id AND expires_at > UTC_TIMESTAMP(3))',
      ),
      clients: db.raw<number>('(SELECT COUNT(*) FROM client WHERE adviser_id = staff.id)'),
      open_files: db.raw<number>(
        '(SELECT COUNT(*) FROM file WHERE adviser_id = staff.id AND closed IS NULL)',
      ),
    }),
    db('mailbox').whereNull('disconnected_at').select('staff_id', 'address'),
  ]);
  const boxesOf = groupBy(mailboxes, ({ staff_id }) => staff_id);
  return rows.map((row) => ({
    id: row.id,
    name: row.name,
    email: row.email,
    title: row.title,
    phone: row.phone,
    role: row.role,
    joined: Boolean(row.joined),
    secondStep: Boolean(row.second_step),
    linkUntil: row.link_until?.toISOString() ?? null,
    leftAt: row.left_at?.toISOString() ?? null,
    clients: row.clients,
    openFiles: row.open_files,
    mailboxes: (boxesOf.get(row.id) ?? []).map(({ address }) => address),
  }));
}

/** Adds a colleague, who chooses a password by the link. @throws Refusal when somebody has that address */
export async function addStaff(db: Database, by: number, draft: StaffDraft): Promise<OneTimeLink> {
  return transact(db, async (trx) => {
    const [id = 0] = await trx('staff')
      .insert({ ...draft, password_hash: '' })
      .catch(refuseTaken);
    await noteAudit(trx, { staffId: by, action: 'colleague added', subject: 'staff', id, after: draft });
    await noteChange(trx, 'records', 'staff', [id]);
    return newLink(trx, by, id, 'invite');
  });
}

/** Changes what the office keeps of a colleague. @throws Refusal when nobody would be left to run the office */
export async function changeStaff(db: Database, by: number, id: number, draft: StaffDraft): Promise<void> {
  await transact(db, async (trx) => {
    const { name, email, title, phone, role } = await staffHeld(trx, id);
    if (role === 'manager' && draft.role !== 'manager') await refuseLastManager(trx, id);
    await trx('staff').where({ id }).update(draft).catch(refuseTaken);
    const before = { name, email, title, phone, role };
    await noteAudit(trx, {
      staffId: by,
      action: 'colleague changed',
      subject: 'staff',
      id,
      before,
      after: draft,
    });
    await noteChange(trx, 'records', 'staff', [id]);
  });
}

/** A fresh link for a colleague: to join, or to choose a new password. @throws Refusal for somebody who left */
export async function linkFor(db: Database, by: number, id: number): Promise<OneTimeLink> {
  return transact(db, async (trx) => {
    const member = await staffHeld(trx, id);
    if (!member.active) throw new Refusal(409, `${member.name} has left. Let them in again first.`);
    return newLink(trx, by, id, member.password_hash ? 'reset' : 'invite');
  });
}

async function newLink(trx: Transaction, by: number, staffId: number, kind: LinkKind): Promise<OneTimeLink> {
  const { path, until } = await makeLink(trx, kind, staffId);
  await noteAudit(trx, { staffId: by, action: `link made: ${kind}`, subject: 'staff', id: staffId });
  return { staffId, path, until: until.toISOString() };
}

/** Takes a colleague's second step away, when telephone and recovery codes are lost; they sign in and set it up anew. */
export async function dropSecondStep(db: Database, by: number, id: number): Promise<void> {
  await transact(db, async (trx) => {
    await staffHeld(trx, id);
    await turnOff(trx, id);
    await closeSessions(trx, id);
    await noteAudit(trx, { staffId: by, action: 'second step taken away', subject: 'staff', id });
    await noteChange(trx, 'records', 'staff', [id]);
  });
}

/**
 * Somebody leaves: the account is closed, a colleague takes over clients, open files and what was begun, and reads and
 * writes as their mailboxes. What was private to them stays private: nobody is shown it.
 * @throws Refusal when it is oneself, the last manager, or somebody who left takes over
 */
export async function leave(db: Database, by: number, id: number, to: number): Promise<void> {
  await transact(db, async (trx) => {
    const member = await staffHeld(trx, id);
    const heir = await staffHeld(trx, to);
    if (id === by) throw new Refusal(409, 'You cannot close your own account.');
    if (id === to || !heir.active) throw new Refusal(400, 'Choose a colleague who is still here.', 'to');
    if (member.role === 'manager') await refuseLastManager(trx, id);
    const clients: number[] = await trx('client').where({ adviser_id: id }).pluck('id');
    const files: number[] = await trx('file').where({ adviser_id: id }).whereNull('closed').pluck('id');
    await handOver(trx, id, to);
    await trx('staff').where({ id }).update({ active: false, left_at: new Date() });
    await closeSessions(trx, id);
    await trx('one_time_link').where({ staff_id: id }).delete();
    await noteAudit(trx, {
      staffId: by,
      action: 'colleague left',
      subject: 'staff',
      id,
      before: { clients, files },
      after: { to },
    });
    await noteChange(trx, 'records');
    await noteChange(trx, 'mailboxes');
    await noteChange(trx, 'drafts');
    await noteChange(trx, 'timeline');
  });
}

async function handOver(trx: Transaction, id: number, to: number): Promise<void> {
  await trx('client').where({ adviser_id: id }).update({ adviser_id: to });
  await trx('file').where({ adviser_id: id }).whereNull('closed').update({ adviser_id: to });
  await trx('mailing').where({ owner_id: id, state: 'draft' }).update({ owner_id: to });
  const boxes: number[] = await trx('mailbox').where({ staff_id: id }).pluck('id');
  if (boxes.length)
    await trx('mailbox_colleague')
      .insert(boxes.map((mailbox_id) => ({ mailbox_id, staff_id: to, may: 'write' as const })))
      .onConflict(['mailbox_id', 'staff_id'])
      .merge(['may']);
  await trx('mailbox_colleague').where({ staff_id: id }).delete();
  // What was begun goes on from mailboxes the colleague may write as; what is on its way goes as it was released.
  await trx('draft')
    .where({ staff_id: id, state: 'draft' })
    .where((theirs) =>
      theirs
        .whereIn('mailbox_id', boxes)
        .orWhereNull('mailbox_id')
        .orWhereIn('mailbox_id', trx('mailbox').where({ shared: 1 }).select('id')),
    )
    .update({ staff_id: to });
  await handOverTimeline(trx, id, to);
}

/** What they were to be reminded of, what they were called to and had not seen to, and what was planned. */
async function handOverTimeline(trx: Transaction, id: number, to: number): Promise<void> {
  await trx('timeline').where({ remind_id: id }).update({ remind_id: to });
  const unseen = () => trx('timeline_staff').where({ staff_id: id, tie: 'told' }).whereNull('seen_at');
  const told: number[] = await unseen().pluck('timeline_id');
  const planned: number[] = await trx('timeline')
    .where({ state: 'planned' })
    .where((theirs) =>
      theirs
        .where({ staff_id: id })
        .orWhereIn(
          'id',
          trx('timeline_staff').where({ staff_id: id, tie: 'took part' }).select('timeline_id'),
        ),
    )
    .pluck('id');
  await unseen().delete();
  await insertAll(
    trx,
    'timeline_staff',
    [
      ...told.map((timeline_id) => ({ timeline_id, staff_id: to, tie: 'told' })),
      ...planned.map((timeline_id) => ({ timeline_id, staff_id: to, tie: 'took part' })),
    ],
    { ignore: true },
  );
}

/** Lets somebody in who left; their clients stay where they are now. */
export async function comeBack(db: Database, by: number, id: number): Promise<OneTimeLink> {
  return transact(db, async (trx) => {
    await staffHeld(trx, id);
    await trx('staff').where({ id }).update({ active: true, left_at: null, password_hash: '' });
    await noteAudit(trx, { staffId: by, action: 'colleague came back', subject: 'staff', id });
    await noteChange(trx, 'records', 'staff', [id]);
    return newLink(trx, by, id, 'invite');
  });
}

async function staffHeld(trx: Transaction, id: number) {
  const member = await trx('staff').where({ id }).forUpdate().first();
  if (!member) throw notFound('That colleague');
  return member;
}

async function refuseLastManager(trx: Transaction, id: number): Promise<void> {
  const managers = await countOf(
    trx('staff').where({ role: 'manager', active: 1 }).whereNot({ id, password_hash: '' }).whereNot({ id }),
  );
  if (!managers)
    throw new Refusal(409, 'Somebody must run the office: make another office manager first.', 'role');
}

function refuseTaken(error: unknown): never {
  throw isDuplicate(error) ? new Refusal(409, 'A colleague has that address already.', 'email') : error;
}
