import type { ImapFlow } from 'imapflow';
import type { Database } from '../foundation/database.ts';
import { openFolder } from '../mailserver/imap.ts';
import { composeDraft, type DraftRecord } from './compose.ts';

/** A draft is put into the mailbox's Drafts when nothing was typed for this long, in milliseconds. */
const QUIET = 4000;
const AT_ONCE = 20;

/**
 * Keeps the mailbox's Drafts folder in line with what is written here: each draft once, in its latest
 * version, and none that was sent or thrown away. Found again by its Message-ID, so that doing it twice
 * does no harm on any server.
 * @param alone carries out the work for one draft; what fails costs that draft only
 */
export async function mirrorDrafts(
  db: Database,
  client: ImapFlow,
  mailboxId: number,
  alone: (work: () => Promise<void>) => Promise<void>,
): Promise<void> {
  const drafts: DraftRecord[] = await db('draft')
    .where((any) =>
      any
        .where((changed) =>
          changed
            .where({ mailbox_id: mailboxId, state: 'draft' })
            .where('saved_at', '<', new Date(Date.now() - QUIET))
            .whereRaw('mirrored <> version'),
        )
        // Sent, thrown away, or now from another mailbox.
        .orWhere((over) =>
          over
            .where({ mirrored_in: mailboxId })
            .where((gone) => gone.whereNot('state', 'draft').orWhereRaw('NOT mailbox_id <=> ?', [mailboxId])),
        ),
    )
    .limit(AT_ONCE);
  if (!drafts.length) return;
  const folder = await db('folder').where({ mailbox_id: mailboxId, role: 'drafts' }).first('path');
  if (!folder) return;
  for (const draft of drafts)
    await alone(async () => {
      const lock = await openFolder(client, folder.path);
      try {
        await mirrorOne(db, client, folder.path, mailboxId, draft);
      } finally {
        lock.release();
      }
    });
}

async function mirrorOne(
  db: Database,
  client: ImapFlow,
  path: string,
  mailboxId: number,
  draft: DraftRecord,
): Promise<void> {
  const found = await client.search({ header: { 'message-id': `<${draft.message_id}>` } }, { uid: true });
  const old = Array.isArray(found) ? found : [];
  const stays = draft.state === 'draft' && draft.mailbox_id === mailboxId;
  if (stays) {
    const bytes = await composeDraft(db, draft, draft.saved_at).catch(() => null);
    // What cannot be composed stays here alone; it is tried again when it is changed.
    if (bytes) await client.append(path, bytes, ['\\Draft', '\\Seen']);
  }
  if (old.length) await client.messageDelete(old.join(','), { uid: true });
  const change = stays
    ? { mirrored: draft.version, mirrored_in: mailboxId }
    : { mirrored: 0, mirrored_in: null };
  await db('draft').where({ id: draft.id }).update(change);
}
