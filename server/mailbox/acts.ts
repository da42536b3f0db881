import type { z } from 'zod';
import type { MailAct, MailActDone } from '../../contract/index.ts';
import { transact, type Transaction } from '../database/database.ts';
import { beat } from '../database/pulse.ts';
import { Refusal } from '../http/problems.ts';
import type { Office } from '../office.ts';
import { groupBy } from '../register/filingRegister.ts';
import { writableBoxIds } from './boxes.ts';
import { refreshMarks } from './marks.ts';

interface Copy {
  folder_id: number;
  uid: number;
  message_id: number;
  mailbox_id: number;
  shown_in: number;
  role: string;
}

type Act = z.output<typeof MailAct>['act'];

/**
 * Does something to messages in every mailbox of those named that the person may write in and that holds
 * them: shown at once, and noted for the mailbox's server, which is told within seconds.
 */
export async function actOnMail(
  office: Office,
  staffId: number,
  { messageIds, boxes, act }: z.output<typeof MailAct>,
): Promise<MailActDone> {
  const done = await transact(office.db, async (trx) => {
    const may = await writableBoxIds(trx, staffId);
    const within = boxes ? may.filter((id) => boxes.includes(id)) : may;
    const copies = await copiesOf(trx, messageIds, within);
    if (!copies.length)
      throw new Refusal(403, 'These messages lie in mailboxes in which you may not change anything.');
    const result = await carryOut(trx, staffId, copies, act);
    await refreshMarks(
      trx,
      copies.map((copy) => copy.message_id),
    );
    return { ...result, messages: new Set(copies.map((copy) => copy.message_id)).size };
  });
  await beat(office.db, 'mail');
  return done;
}

async function copiesOf(
  trx: Transaction,
  messageIds: readonly number[],
  boxes: readonly number[],
): Promise<Copy[]> {
  return trx('message_copy')
    .join('folder', 'folder.id', 'message_copy.shown_in')
    .whereIn('message_id', messageIds)
    .whereIn('folder.mailbox_id', boxes)
    .select(
      'message_copy.folder_id',
      'message_copy.uid',
      'message_copy.message_id',
      'message_copy.shown_in',
      'folder.mailbox_id',
      'folder.role',
    );
}

async function carryOut(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  act: Act,
): Promise<Omit<MailActDone, 'messages'>> {
  switch (act.kind) {
    case 'read':
      await setFlag(trx, staffId, copies, 'seen', act.on);
      return { moved: [], gone: 0 };
    case 'star':
      await setFlag(trx, staffId, copies, 'flagged', act.on);
      return { moved: [], gone: 0 };
    case 'deal with':
      await trx('message')
        .whereIn('id', [...new Set(copies.map((copy) => copy.message_id))])
        .update({ handler_id: act.on ? staffId : null });
      return { moved: [], gone: 0 };
    case 'move': {
      const folder: { id: number; mailbox_id: number } | undefined = await trx('folder')
        .where({ id: act.folderId })
        .first('id', 'mailbox_id');
      const own = copies.filter((copy) => copy.mailbox_id === folder?.mailbox_id);
      if (!folder || !own.length)
        throw new Refusal(400, 'A message can be moved only within its own mailbox.', 'folderId');
      return { moved: await move(trx, staffId, own, () => folder.id), gone: 0 };
    }
    case 'throw away':
      return throwAway(trx, staffId, copies);
    case 'put back': {
      const folders: { id: number; mailbox_id: number }[] = await trx('folder')
        .whereIn('id', [...new Set(act.copies.map((copy) => copy.folderId))])
        .select('id', 'mailbox_id');
      const mailboxOf = new Map(folders.map((folder) => [folder.id, folder.mailbox_id]));
      // A message may lie in several mailboxes, and goes back to its place in each.
      const before = new Map(
        act.copies.map((copy) => [`${copy.messageId} ${mailboxOf.get(copy.folderId)}`, copy.folderId]),
      );
      const placeOf = (copy: Copy) => before.get(`${copy.message_id} ${copy.mailbox_id}`);
      const back = copies.filter((copy) => placeOf(copy) !== undefined);
      return { moved: await move(trx, staffId, back, (copy) => placeOf(copy) ?? 0), gone: 0 };
    }
  }
}

async function setFlag(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  column: 'seen' | 'flagged',
  on: boolean,
): Promise<void> {
  const changed: Copy[] = [];
  for (const [folderId, own] of groupBy(copies, (copy) => copy.folder_id)) {
    const uids = own.map((copy) => copy.uid);
    const different: number[] = await trx('message_copy')
      .where({ folder_id: folderId, [column]: !on })
      .whereIn('uid', uids)
      .pluck('uid');
    if (!different.length) continue;
    await trx('message_copy')
      .where({ folder_id: folderId })
      .whereIn('uid', different)
      .update({ [column]: on });
    changed.push(...own.filter((copy) => different.includes(copy.uid)));
  }
  await wish(trx, staffId, changed, column, () => ({ value: on, to_folder_id: null }));
}

/** Shows copies in another folder at once. @returns where they were */
async function move(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  target: (copy: Copy) => number,
): Promise<MailActDone['moved']> {
  const moving = copies.filter((copy) => copy.shown_in !== target(copy));
  const moved = moving.map((copy) => ({ messageId: copy.message_id, folderId: copy.shown_in }));
  for (const copy of moving)
    await trx('message_copy')
      .where({ folder_id: copy.folder_id, uid: copy.uid })
      .update({ shown_in: target(copy) });
  // Back where the server still has it: nothing is left to be asked of it.
  const home = moving.filter((copy) => copy.folder_id === target(copy));
  for (const copy of home)
    await trx('mail_change').where({ folder_id: copy.folder_id, uid: copy.uid, kind: 'move' }).delete();
  await wish(
    trx,
    staffId,
    moving.filter((copy) => !home.includes(copy)),
    'move',
    (copy) => ({ value: null, to_folder_id: target(copy) }),
  );
  return moved;
}

async function throwAway(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
): Promise<Omit<MailActDone, 'messages'>> {
  const bins: { id: number; mailbox_id: number }[] = await trx('folder')
    .whereIn('mailbox_id', [...new Set(copies.map((copy) => copy.mailbox_id))])
    .where({ role: 'trash' })
    .select('id', 'mailbox_id');
  const binOf = new Map(bins.map((bin) => [bin.mailbox_id, bin.id]));
  // What lies in the bin already, or has none to go to, goes for good.
  const gone = copies.filter((copy) => copy.role === 'trash' || !binOf.has(copy.mailbox_id));
  const binned = copies.filter((copy) => !gone.includes(copy));
  for (const copy of gone)
    await trx('message_copy').where({ folder_id: copy.folder_id, uid: copy.uid }).update({ shown_in: null });
  await wish(trx, staffId, gone, 'move', () => ({ value: null, to_folder_id: null }));
  return {
    moved: await move(trx, staffId, binned, (copy) => binOf.get(copy.mailbox_id) ?? 0),
    gone: gone.length,
  };
}

/** Notes for the server what was done here; the newest wish of a kind replaces the one before. */
async function wish(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  kind: 'seen' | 'flagged' | 'move',
  what: (copy: Copy) => { value: boolean | null; to_folder_id: number | null },
): Promise<void> {
  if (!copies.length) return;
  const at = new Date();
  await trx('mail_change')
    .insert(
      copies.map((copy) => ({
        mailbox_id: copy.mailbox_id,
        folder_id: copy.folder_id,
        uid: copy.uid,
        kind,
        staff_id: staffId,
        at,
        tries: 0,
        ...what(copy),
      })),
    )
    .onConflict(['folder_id', 'uid', 'kind'])
    .merge(['value', 'to_folder_id', 'staff_id', 'at', 'tries']);
}
