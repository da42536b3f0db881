import type { ImapFlow } from 'imapflow';
import type { LookedOnServer } from '../../../contract/index.ts';
import type { AppContext } from '../../foundation/context.ts';
import { boxIds } from '../../correspondence/boxes.ts';
import { imapClient, openFolder } from '../../mailserver/imap.ts';
import { listFolders, type FolderRow } from '../sync/folders.ts';
import { IntakeLine } from '../../intake/line.ts';
import { asArrival } from '../sync/sync.ts';
import { accessOf, type MailboxRow } from '../../mailserver/access.ts';
import { connectionProblem } from '../../mailserver/problem.ts';

/** So many messages of a folder are fetched at most: whoever finds more should ask for less. */
const MOST = 100;

/**
 * Looks on the mail servers for words, in mail that is not here: older than what is taken in, or not yet
 * taken in. What is found is taken in, and then found here like everything else.
 */
export async function lookOnServer(
  context: AppContext,
  staffId: number,
  words: string,
  wanted: readonly number[] | undefined,
): Promise<LookedOnServer> {
  const boxes = await boxIds(context.db, staffId, wanted);
  const mailboxes: MailboxRow[] = await context.db('mailbox').whereIn('id', boxes);
  const results = await Promise.all(
    mailboxes.map(async (mailbox) => {
      try {
        return { found: await lookIn(context, mailbox, words), problem: null };
      } catch (error) {
        return { found: 0, problem: `${mailbox.address}: ${connectionProblem(error).words}` };
      }
    }),
  );
  return {
    found: results.reduce((sum, result) => sum + result.found, 0),
    problems: results.flatMap((result) => result.problem ?? []),
  };
}

async function lookIn(context: AppContext, mailbox: MailboxRow, words: string): Promise<number> {
  const client = imapClient(accessOf(mailbox, context.config));
  client.on('error', () => undefined);
  try {
    await client.connect();
    const { personalFolders } = await context.firm();
    let found = 0;
    for (const { row } of await listFolders(context.db, client, mailbox.id, personalFolders))
      found += await lookInFolder(context, client, row, words);
    return found;
  } finally {
    client.close();
  }
}

async function lookInFolder(
  context: AppContext,
  client: ImapFlow,
  folder: FolderRow,
  words: string,
): Promise<number> {
  const lock = await openFolder(client, folder.path, { readOnly: true });
  try {
    const found = await client.search({ text: words }, { uid: true });
    if (!Array.isArray(found) || !found.length) return 0;
    const here = new Set<number>(
      await context.db('message_copy').where({ folder_id: folder.id }).whereIn('uid', found).pluck('uid'),
    );
    const missing = found.filter((uid) => !here.has(uid)).slice(-MOST);
    if (!missing.length) return 0;
    const line = new IntakeLine(context, folder.mailbox_id);
    for await (const message of client.fetch(
      missing.join(','),
      { uid: true, source: true, flags: true, internalDate: true },
      { uid: true },
    )) {
      const arrival = asArrival(folder, message, true);
      if (arrival) await line.hand([arrival]);
    }
    await line.done();
    return missing.length;
  } finally {
    lock.release();
  }
}
