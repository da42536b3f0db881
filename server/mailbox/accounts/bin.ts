import type { AppContext } from '../../foundation/context.ts';
import { writableBoxIds } from '../../correspondence/boxes.ts';
import { imapClient } from '../../mailserver/imap.ts';
import { listFolders } from '../sync/folders.ts';
import { Refusal } from '../../foundation/refusal.ts';
import { accessOf, readMailbox } from '../../mailserver/access.ts';
import { connectionProblem } from '../../mailserver/problem.ts';

/** A name by which every program knows the folder for what it is, where the server does not tell. */
const BIN = 'Trash';

/** Makes a folder for what is thrown away, in a mailbox whose server has none. @throws when it does not want to */
export async function makeBin(context: AppContext, staffId: number, mailboxId: number): Promise<void> {
  const { db, config } = context;
  if (!(await writableBoxIds(db, staffId)).includes(mailboxId))
    throw new Refusal(403, 'In that mailbox you may not change anything.');
  const mailbox = await readMailbox(db, mailboxId);
  try {
    const client = imapClient(accessOf(mailbox, config));
    client.on('error', () => undefined);
    try {
      await client.connect();
      await client.mailboxCreate(BIN);
      await listFolders(db, client, mailboxId, (await context.firm()).personalFolders);
    } finally {
      client.close();
    }
  } catch (error) {
    throw new Refusal(502, `No folder could be made there. ${connectionProblem(error).words}`);
  }
  if (!(await db('folder').where({ mailbox_id: mailboxId, role: 'trash' }).first('id')))
    throw new Refusal(502, 'The mail server made the folder, but does not list it.');
}
