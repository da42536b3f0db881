import type { z } from 'zod';
import type { MailAct, MailActDone } from '../../../contract/index.ts';
import { transact, type Transaction } from '../../foundation/database.ts';
import { noteChange } from '../../foundation/changes.ts';
import type { AppContext } from '../../foundation/context.ts';
import { writableBoxIds } from '../../correspondence/boxes.ts';
import { holdMessages, refreshMarks } from '../../correspondence/marks.ts';
import { Refusal } from '../../foundation/refusal.ts';
import { groupBy } from '../../foundation/rows.ts';

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
 * @throws Refusal when the messages lie in no mailbox in which the person may change anything
 */
export async function actOnMail(
  context: AppContext,
  staffId: number,
  { messageIds, boxes, act }: z.output<typeof MailAct>,
): Promise<MailActDone> {
  return transact(context.db, async (trx) => {
    const may = await writableBoxIds(trx, staffId);
    const within = boxes ? may.filter((id) => boxes.includes(id)) : may;
    await holdMessages(trx, messageIds);
    const copies = await copiesOf(trx, messageIds, within);
    if (!copies.length)
      throw new Refusal(403, 'These messages lie in mailboxes in which you may not change anything.');
    const result = await carryOut(trx, staffId, copies, act);
    await refreshMarks(
      trx,
      copies.map((copy) => copy.message_id),
    );
    await noteChange(trx, 'mail', 'message', messageIds);
    return { ...NOTHING, ...result, messages: new Set(copies.map((copy) => copy.message_id)).size };
  });
}

const NOTHING: Omit<MailActDone, 'messages'> = { moved: [], gone: 0, withoutBin: [] };

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
): Promise<Partial<MailActDone>> {
  switch (act.kind) {
    case 'read':
      await setFlag(trx, staffId, copies, 'seen', act.on);
      return {};
    case 'star':
      await setFlag(trx, staffId, copies, 'flagged', act.on);
      return {};
    case 'deal with':
      await trx('message')
        .whereIn('id', [...new Set(copies.map((copy) => copy.message_id))])
        .update({ handler_id: act.on ? staffId : null });
      return {};
    case 'move': {
      const folder = await trx('folder').where({ id: act.folderId }).first('id', 'mailbox_id');
      const own = copies.filter((copy) => copy.mailbox_id === folder?.mailbox_id);
      if (!folder || !own.length)
        throw new Refusal(400, 'A message can be moved only within its own mailbox.', 'folderId');
      return { moved: await move(trx, staffId, own, () => folder.id) };
    }
    case 'throw away':
      return throwAway(trx, staffId, copies, act.forGood);
    case 'put back':
      return { moved: await putBack(trx, staffId, copies, act.copies) };
  }
}

/**
 * Puts copies back where they were. A message may lie in several mailboxes, and more than once in one: each copy
 * that was moved goes back to one of the places, the one it still has on the server before any other.
 */
async function putBack(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  moved: MailActDone['moved'],
): Promise<MailActDone['moved']> {
  const open = new Set(copies);
  const places = new Map<Copy, number>();
  const waiting = [...moved];
  const settle = (fits: (copy: Copy, place: MailActDone['moved'][number]) => boolean) => {
    for (const place of waiting.splice(0)) {
      const copy = [...open].find(
        (each) => each.message_id === place.messageId && each.shown_in === place.nowIn && fits(each, place),
      );
      if (!copy) waiting.push(place);
      else {
        places.set(copy, place.folderId);
        open.delete(copy);
      }
    }
  };
  settle((copy, place) => copy.folder_id === place.folderId);
  const folders = await trx('folder')
    .whereIn('id', [...new Set(waiting.map(({ folderId }) => folderId))])
    .select('id', 'mailbox_id');
  const mailboxOf = new Map(folders.map((folder) => [folder.id, folder.mailbox_id]));
  settle((copy, place) => copy.mailbox_id === mailboxOf.get(place.folderId));
  return move(trx, staffId, [...places.keys()], (copy) => places.get(copy) ?? copy.shown_in);
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
  await notePending(trx, staffId, changed, column, () => ({ value: on, to_folder_id: null }));
}

/** Shows copies in another folder at once. @returns where they were */
async function move(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  target: (copy: Copy) => number,
): Promise<MailActDone['moved']> {
  const moving = copies.filter((copy) => copy.shown_in !== target(copy));
  const moved = moving.map((copy) => ({
    messageId: copy.message_id,
    folderId: copy.shown_in,
    nowIn: target(copy),
  }));
  for (const copy of moving)
    await trx('message_copy')
      .where({ folder_id: copy.folder_id, uid: copy.uid })
      .update({ shown_in: target(copy) });
  // Back where the server still has it: nothing is left to be asked of it, unless it is being told already.
  const home = moving.filter((copy) => copy.folder_id === target(copy));
  const settled = new Set<Copy>();
  for (const copy of home) {
    const pending = trx('mail_change').where({ folder_id: copy.folder_id, uid: copy.uid, kind: 'move' });
    await pending.clone().whereNull('going_to_id').delete();
    if (!(await pending.clone().first('id'))) settled.add(copy);
  }
  await notePending(
    trx,
    staffId,
    moving.filter((copy) => !settled.has(copy)),
    'move',
    (copy) => ({ value: null, to_folder_id: target(copy) }),
  );
  return moved;
}

/** @param forGood whether what has no bin to go to may go for good: nobody loses it without having been asked */
async function throwAway(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  forGood: boolean,
): Promise<Partial<MailActDone>> {
  const bins = await trx('folder')
    .whereIn('mailbox_id', [...new Set(copies.map((copy) => copy.mailbox_id))])
    .where({ role: 'trash' })
    .orderBy('id', 'desc')
    .select('id', 'mailbox_id');
  const binOf = new Map(bins.map((bin) => [bin.mailbox_id, bin.id]));
  const binless = copies.filter((copy) => !binOf.has(copy.mailbox_id));
  const gone = copies.filter((copy) => copy.role === 'trash' || (forGood && binless.includes(copy)));
  const binned = copies.filter((copy) => copy.role !== 'trash' && binOf.has(copy.mailbox_id));
  for (const copy of gone)
    await trx('message_copy').where({ folder_id: copy.folder_id, uid: copy.uid }).update({ shown_in: null });
  await notePending(trx, staffId, gone, 'move', () => ({ value: null, to_folder_id: null }));
  return {
    moved: await move(trx, staffId, binned, (copy) => binOf.get(copy.mailbox_id) ?? 0),
    gone: gone.length,
    withoutBin: forGood ? [] : [...new Set(binless.map((copy) => copy.mailbox_id))],
  };
}

/** Notes for the server what was done here; the newest change of a kind replaces the one before. */
async function notePending(
  trx: Transaction,
  staffId: number,
  copies: readonly Copy[],
  kind: 'seen' | 'flagged' | 'move',
  what: (copy: Copy) => { value: boolean | null; to_folder_id: number | null },
): Promise<void> {
  if (!copies.length) return;
  const at = new Date();
  await noteChange(
    trx,
    'pending',
    'mailbox',
    copies.map((copy) => copy.mailbox_id),
  );
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
    .merge({
      value: trx.raw('VALUES(value)'),
      to_folder_id: trx.raw('VALUES(to_folder_id)'),
      staff_id: staffId,
      at,
      tries: 0,
      version: trx.raw('version + 1'),
    });
}
