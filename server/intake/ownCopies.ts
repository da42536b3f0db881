import { noteChange } from '../foundation/changes.ts';
import type { Transaction } from '../foundation/database.ts';
import { select } from '../foundation/rows.ts';
import type { Arrival, Prepared } from './prepare.ts';

/**
 * Many servers lay what is sent over them into Sent themselves, some only after a while. Where a copy of theirs
 * lies beside the one that we laid there, ours is taken away.
 */
export async function takeAwayOurs(
  trx: Transaction,
  arrivals: readonly Arrival[],
  prepared: readonly Prepared[],
): Promise<void> {
  const names = prepared.flatMap(({ ours, read }, index) =>
    ours && arrivals[index]?.sent && read.messageId ? [read.messageId] : [],
  );
  if (names.length) await takeAway(trx, names);
}

/** @param names Message-IDs of what was sent from here */
export async function takeAway(trx: Transaction, names: readonly string[]): Promise<void> {
  const copies = trx('dispatch')
    .join('folder', (join) =>
      join.on('folder.mailbox_id', 'dispatch.mailbox_id').andOnVal('folder.role', 'sent'),
    )
    .join('message_copy as ours', (join) =>
      join.on('ours.folder_id', 'folder.id').andOn('ours.uid', 'dispatch.sent_uid'),
    )
    .join('message_copy as theirs', (join) =>
      join
        .on('theirs.message_id', 'ours.message_id')
        .andOn('theirs.folder_id', 'ours.folder_id')
        .andOn('theirs.uid', '<>', 'ours.uid'),
    )
    .whereIn('dispatch.message_id', names);
  const doubled = await select(copies.distinct(), {
    id: 'dispatch.id',
    mailbox_id: 'dispatch.mailbox_id',
    folder_id: 'folder.id',
    sent_uid: 'dispatch.sent_uid',
  });
  for (const { id, mailbox_id, folder_id, sent_uid } of doubled) {
    if (sent_uid === null) continue;
    await noteChange(trx, 'pending', 'mailbox', [mailbox_id]);
    await trx('mail_change')
      .insert({ mailbox_id, folder_id, uid: sent_uid, kind: 'move', to_folder_id: null, at: new Date() })
      .onConflict(['folder_id', 'uid', 'kind'])
      .ignore();
    await trx('dispatch').where({ id }).update({ sent_uid: null });
  }
}
