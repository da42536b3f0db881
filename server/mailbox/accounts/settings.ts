import { countOf, select } from '../../foundation/rows.ts';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type {
  MailboxAccess,
  MailboxChange,
  MailboxConnect,
  MailboxSettings,
  StaffMember,
} from '../../../contract/index.ts';
import { may } from '../../../contract/rights.ts';
import { addressKey } from '../../../core/address/address.ts';
import { noteAudit } from '../../foundation/audit.ts';
import { transact, type Transaction } from '../../foundation/database.ts';
import { noteChange } from '../../foundation/changes.ts';
import { readFirm, writeFirm } from '../../foundation/firm.ts';
import type { AppContext } from '../../foundation/context.ts';
import { seal, unseal } from '../../security/seal.ts';
import { columnsOf, refuseStrangeServers } from './connect.ts';
import { forgetCopies } from '../sync/folders.ts';
import { notFound, Refusal } from '../../foundation/refusal.ts';
import type { MailboxRow } from '../../mailserver/access.ts';

const CHUNK = 500;

/** Whoever may change a mailbox: its owner, and the office manager. @throws for anybody else */
export async function mailboxToManage(db: Knex, staff: StaffMember, id: number): Promise<MailboxRow> {
  const row: MailboxRow | undefined = await db('mailbox').where({ id }).whereNull('disconnected_at').first();
  if (!row) throw notFound('That mailbox');
  if (row.staff_id !== staff.id && staff.role !== 'manager')
    throw new Refusal(403, 'Only its owner or an office manager can change a mailbox.');
  return row;
}

/**
 * Connects a mailbox; it is taken in from now on, and verified by a message to itself.
 * @returns its number
 * @throws Refusal when the person has no right to, its address is connected, or a server is strange
 */
export async function connectMailbox(
  context: AppContext,
  staff: StaffMember,
  wish: z.output<typeof MailboxConnect>,
): Promise<number> {
  const { db } = context;
  const staffId = wish.staffId ?? staff.id;
  if (!may(staff.role, 'connect any mailbox')) {
    if (staffId !== staff.id || wish.shared)
      throw new Refusal(403, 'Only an office manager can connect a mailbox for others.', 'staffId');
    if (addressKey(wish.address) !== addressKey(staff.email))
      throw new Refusal(
        403,
        'Only an office manager can connect a mailbox at another address than your own.',
        'address',
      );
  }
  await refuseStrangeServers(context, staff, wish.access);
  const id = await transact(db, async (trx) => {
    const before = await trx('mailbox').where({ address: wish.address }).first('id', 'disconnected_at');
    if (before && !before.disconnected_at)
      throw new Refusal(409, 'That mailbox is connected already.', 'address');
    const row = {
      ...columnsOf(wish.access),
      staff_id: staffId,
      address: wish.address,
      name: wish.name || (await nameOf(trx, staffId)),
      shared: wish.shared,
      sealed_password: seal(context.config.key, wish.password),
      take_from: wish.takeFrom,
      verified_at: null,
      paused_at: null,
      disconnected_at: null,
      in_step_at: null,
      failing_since: null,
      problem: null,
    };
    let made = before?.id ?? 0;
    if (before) await trx('mailbox').where({ id: before.id }).update(row);
    else [made = 0] = await trx('mailbox').insert(row);
    // Noted before they are listed, so that they are never opened.
    if (wish.skipped.length)
      await trx('folder').insert(
        wish.skipped.map((path) => ({
          mailbox_id: made,
          path,
          role: 'other',
          skipped: true,
          checked_at: new Date(),
        })),
      );
    await setColleagues(trx, made, wish.colleagues);
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'mailbox connected',
      subject: 'mailbox',
      id: made,
      after: { address: wish.address },
    });
    await noteChange(trx, 'mailboxes');
    // Its address is one of ours from now on.
    await noteChange(trx, 'records');
    return made;
  });
  return id;
}

async function nameOf(trx: Transaction, staffId: number): Promise<string> {
  const row = await trx('staff').where({ id: staffId }).first('name');
  if (!row) throw new Refusal(400, 'There is nobody of that number.', 'staffId');
  return row.name;
}

async function setColleagues(
  trx: Transaction,
  mailboxId: number,
  colleagues: readonly { staffId: number; may: 'read' | 'write' }[],
): Promise<void> {
  await trx('mailbox_colleague').where({ mailbox_id: mailboxId }).delete();
  if (colleagues.length)
    await trx('mailbox_colleague').insert(
      colleagues.map(({ staffId, may }) => ({ mailbox_id: mailboxId, staff_id: staffId, may })),
    );
}

/** All that can be settled about a mailbox, as it is. @throws Refusal for whoever may not manage it */
export async function mailboxSettings(
  context: AppContext,
  staff: StaffMember,
  id: number,
): Promise<MailboxSettings> {
  const { db } = context;
  const row = await mailboxToManage(db, staff, id);
  const [folders, colleagues, people, owner, neverLogged, servers, silent] = await Promise.all([
    db('folder').where({ mailbox_id: id }).orderBy('path').select('id', 'path', 'skipped'),
    db('mailbox_colleague').where({ mailbox_id: id }).select('staff_id', 'may'),
    db('staff').where({ active: 1 }).orderBy('name').select('id', 'name'),
    db('staff').where({ id: row.staff_id }).first('name'),
    countOf(onlyHere(db, id)),
    vouchingServers(db, id),
    db('mailbox').where({ id }).first('checks_silently'),
  ]);
  return {
    id,
    address: row.address,
    name: row.name,
    owner: owner?.name ?? '',
    ownerId: row.staff_id,
    shared: Boolean(row.shared),
    access: {
      imapHost: row.imap_host,
      imapPort: row.imap_port,
      imapSecurity: row.imap_security,
      smtpHost: row.smtp_host,
      smtpPort: row.smtp_port,
      smtpSecurity: row.smtp_security,
      user: row.user,
    },
    takeFrom: row.take_from,
    perMinute: row.per_minute,
    usualPerMinute: context.config.sendGap ? Math.round(60_000 / context.config.sendGap) : null,
    verifiedAt: row.verified_at?.toISOString() ?? null,
    pausedAt: row.paused_at?.toISOString() ?? null,
    folders: folders.map((folder) => ({
      id: folder.id,
      path: folder.path,
      skipped: Boolean(folder.skipped),
    })),
    colleagues: colleagues.map(({ staff_id, may }) => ({ staffId: staff_id, may })),
    staff: people,
    neverLogged,
    servers,
    checksSilently: Boolean(silent?.checks_silently),
  };
}

/** Messages that no other mailbox holds and that are on no file: what goes when a mailbox is disconnected wholly. */
function onlyHere(db: Knex, mailboxId: number): Knex.QueryBuilder {
  const copies = (within: boolean) =>
    db('message_copy')
      .join('folder', 'folder.id', 'message_copy.folder_id')
      .whereRaw('message_copy.message_id = message.id')
      .where('folder.mailbox_id', within ? '=' : '<>', mailboxId)
      .select(db.raw('1'));
  return db('message')
    .whereNot('message.state', 'logged')
    .whereExists(copies(true))
    .whereNotExists(copies(false))
    .whereNotExists(db('filing').whereRaw('filing.message_id = message.id').select(db.raw('1')));
}

/**
 * Changes what is asked for; a new way in has to be verified again.
 * @throws Refusal for whoever may not manage it, a strange server, or a password that is wanted again
 */
export async function changeMailbox(
  context: AppContext,
  staff: StaffMember,
  id: number,
  change: z.output<typeof MailboxChange>,
): Promise<void> {
  const { db } = context;
  const before = await mailboxToManage(db, staff, id);
  const columns: Record<string, unknown> = {};
  if (change.name !== undefined) columns.name = change.name || before.name;
  if (change.shared !== undefined) {
    if (!may(staff.role, 'connect any mailbox'))
      throw new Refusal(403, 'Only an office manager can share a mailbox with all.');
    columns.shared = change.shared;
  }
  if (change.checksSilently !== undefined) columns.checks_silently = change.checksSilently;
  if (change.paused !== undefined) columns.paused_at = change.paused ? new Date() : null;
  if (change.access) {
    await refuseStrangeServers(context, staff, change.access);
    if (
      change.password === undefined &&
      !(keptFor(before, change.access, 'incoming') && keptFor(before, change.access, 'outgoing'))
    )
      throw new Refusal(400, PASSWORD_AGAIN, 'password');
    Object.assign(columns, columnsOf(change.access), { verified_at: null });
  }
  if (change.password !== undefined)
    Object.assign(columns, { sealed_password: seal(context.config.key, change.password), verified_at: null });
  if (change.access || change.password !== undefined)
    Object.assign(columns, { problem: null, failing_since: null, needs_person: 0, retry_at: new Date() });
  const earlier = change.takeFrom !== undefined && (change.takeFrom ?? '') < (before.take_from ?? '');
  if (change.takeFrom !== undefined) columns.take_from = change.takeFrom;
  if (change.perMinute !== undefined) columns.per_minute = change.perMinute;
  await transact(db, async (trx) => {
    if (Object.keys(columns).length) await trx('mailbox').where({ id }).update(columns);
    // Older mail is wanted now: history is gone through again, which logs nothing twice.
    if (earlier)
      await trx('folder')
        .where({ mailbox_id: id })
        .update({ history_uid: trx.raw('next_uid') });
    if (change.colleagues) await setColleagues(trx, id, change.colleagues);
    if (change.believed) await setServers(trx, staff.id, id, change.believed);
    const told = Object.keys(change).filter((key) => key !== 'password');
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'mailbox changed',
      subject: 'mailbox',
      id,
      after: { changed: told },
    });
    await noteChange(trx, 'mailboxes', 'mailbox', [id]);
  });
  if (change.skippedFolders) await skipFolders(db, id, change.skippedFolders);
  await transact(db, (trx) => noteChange(trx, 'mail', 'mailbox', [id]));
}

/** Folders that are not read any more are forgotten; those that are again begin anew. */
async function skipFolders(db: Knex, mailboxId: number, skipped: readonly number[]): Promise<void> {
  const rows = await db('folder').where({ mailbox_id: mailboxId }).select('id', 'skipped');
  for (const row of rows) {
    const now = skipped.includes(row.id);
    if (now === Boolean(row.skipped)) continue;
    // UIDVALIDITY 0 is never a server's: the folder is read from the start.
    await db('folder')
      .where({ id: row.id })
      .update(now ? { skipped: true } : { skipped: false, uid_validity: 0 });
    if (now) await forgetCopies(db, row.id, false);
  }
}

/**
 * Disconnects a mailbox. What is logged stays in any case.
 * @param remove whether what only this mailbox brought, and is on no file, goes
 * @throws Refusal for whoever may not manage it, or while messages are still to leave from it
 */
export async function disconnectMailbox(
  context: AppContext,
  staff: StaffMember,
  id: number,
  remove: boolean,
): Promise<void> {
  const { db } = context;
  const mailbox = await mailboxToManage(db, staff, id);
  const open = await db('dispatch')
    .where({ mailbox_id: id })
    .whereIn('state', ['waiting', 'delayed', 'going'])
    .first('id');
  if (open)
    throw new Refusal(
      409,
      'Messages are still to leave from this mailbox. Cancel them or let them leave first.',
    );
  await db('mailbox')
    .where({ id })
    .update({ paused_at: new Date(), lease_owner: null, lease_until: new Date(0) });
  if (remove) await removeNeverLogged(db, id);
  const folders: number[] = await db('folder').where({ mailbox_id: id }).pluck('id');
  for (const folder of folders) await forgetCopies(db, folder, false);
  await transact(db, async (trx) => {
    await trx('folder').where({ mailbox_id: id }).delete();
    await trx('mailbox_colleague').where({ mailbox_id: id }).delete();
    await trx('mailbox')
      .where({ id })
      .update({
        disconnected_at: new Date(),
        sealed_password: seal(context.config.key, ''),
        verified_at: null,
        problem: null,
        failing_since: null,
      });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'mailbox disconnected',
      subject: 'mailbox',
      id,
      before: { address: mailbox.address },
      after: {
        removed: remove,
      },
    });
    for (const topic of ['mailboxes', 'mail', 'sorting'] as const) await noteChange(trx, topic);
  });
}

async function removeNeverLogged(db: Knex, mailboxId: number): Promise<void> {
  for (;;) {
    const rows = await select(onlyHere(db, mailboxId).limit(CHUNK), {
      id: 'message.id',
      raw_hash: 'message.raw_hash',
    });
    if (!rows.length) return;
    await transact(db, async (trx) => {
      await trx('message')
        .whereIn(
          'id',
          rows.map((row) => row.id),
        )
        .delete();
      const hashes = rows.map((row) => row.raw_hash);
      const used = [
        ...(await trx('message').whereIn('raw_hash', hashes).pluck('raw_hash')),
        ...(await trx('dispatch').whereIn('raw_hash', hashes).pluck('raw_hash')),
        ...(await trx('draft_enclosure').whereIn('hash', hashes).pluck('hash')),
      ];
      const kept = new Set(used.map((hash) => hash?.toString('hex')));
      await trx('raw')
        .whereIn(
          'hash',
          hashes.filter((hash) => !kept.has(hash.toString('hex'))),
        )
        .delete();
    });
  }
}

const PASSWORD_AGAIN = 'Give the password again: the one we keep is only for the server it was saved for.';

/** Whether a way in is the very one that the kept password was saved for. */
function keptFor(mailbox: MailboxRow, access: MailboxAccess, step: 'incoming' | 'outgoing'): boolean {
  if (mailbox.user !== access.user) return false;
  return step === 'incoming'
    ? mailbox.imap_host === access.imapHost &&
        mailbox.imap_port === access.imapPort &&
        mailbox.imap_security === access.imapSecurity
    : mailbox.smtp_host === access.smtpHost &&
        mailbox.smtp_port === access.smtpPort &&
        mailbox.smtp_security === access.smtpSecurity;
}

/**
 * The password kept for a mailbox, for trying its way in again. It goes to no other server than the one it
 * was saved for: whoever listens there would have it.
 * @throws when the way in was changed
 */
export function keptPassword(
  context: AppContext,
  mailbox: MailboxRow,
  access: MailboxAccess,
  step: 'incoming' | 'outgoing',
): string {
  if (!keptFor(mailbox, access, step)) throw new Refusal(400, PASSWORD_AGAIN, 'password');
  return unseal(context.config.key, mailbox.sealed_password);
}

/** What the settings say of the servers that vouch for senders: the names seen in the mail, those believed first. */
async function vouchingServers(db: Knex, mailboxId: number): Promise<MailboxSettings['servers']> {
  const rows = await db('mailbox_server')
    .where({ mailbox_id: mailboxId })
    .orderBy('believed', 'desc')
    .orderBy('seen', 'desc')
    .limit(MOST_SERVERS)
    .select('name', 'seen', 'believed', 'believed_by');
  return rows.map(({ name, seen, believed, believed_by }) => ({
    name,
    seen,
    believed: Boolean(believed),
    learned: Boolean(believed) && believed_by === null,
  }));
}

const MOST_SERVERS = 6;

/** A person says which servers' words about senders are believed. */
async function setServers(
  trx: Transaction,
  staffId: number,
  mailboxId: number,
  believed: readonly string[],
): Promise<void> {
  const own = () => trx('mailbox_server').where({ mailbox_id: mailboxId });
  await own().whereNotIn('name', believed).update({ believed: 0, believed_by: staffId });
  for (const name of believed)
    await trx('mailbox_server')
      .insert({ mailbox_id: mailboxId, name, believed: 1, believed_since: new Date(), believed_by: staffId })
      .onConflict(['mailbox_id', 'name'])
      .merge(['believed', 'believed_since', 'believed_by']);
}

/**
 * Sets the firm's private filing address. It must reach a mailbox that is connected, or nothing would come of it.
 * @throws Refusal when no connected mailbox is reached by it
 */
export async function setFilingAddress(
  context: AppContext,
  staff: StaffMember,
  address: string,
): Promise<void> {
  const { db } = context;
  if (address) {
    const [local = '', domain = ''] = address.split('@');
    // Many servers deliver name+anything to name (RFC 5233 calls it a detail).
    const reaches = [address, `${local.split('+')[0]}@${domain}`];
    if (!(await db('mailbox').whereIn('address', reaches).whereNull('disconnected_at').first('id')))
      throw new Refusal(400, 'That address reaches none of the connected mailboxes.', 'address');
  }
  await transact(db, async (trx) => {
    const firm = await readFirm(trx);
    await writeFirm(trx, { ...firm, filingAddress: address });
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'filing address set',
      subject: 'firm',
      id: 0,
      before: firm.filingAddress,
      after: address,
    });
    await noteChange(trx, 'records');
    await noteChange(trx, 'mailboxes');
  });
}
