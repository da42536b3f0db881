import { countOf } from '../server/foundation/rows.ts';
import { weigh } from '../server/filing/weighing.ts';
import { MailboxSync } from '../server/mailbox/sync/sync.ts';
import { layGround, line, result, seconds } from './ground.ts';

/**
 * The past of a firm of so many clients: all mailboxes taken in at once, settled as a whole, and settled again as if the
 * records had been entered only then. Unlike `sync`, whose mailbox is full of strangers, nearly all of it is clients' mail.
 */
export async function benchSettle(clients = 1500): Promise<void> {
  const ground = await layGround(clients, () => undefined, 3);
  const { db, context } = ground;
  try {
    await weigh(context);
    const mailboxes = await db('mailbox').select();
    const taken = await seconds(() =>
      Promise.all(mailboxes.map((mailbox) => new MailboxSync(context, mailbox).runOnce())),
    );
    const messages = await countOf(db('message'));
    line('taken in, all mailboxes at once', taken, messages);
    const settled = await seconds(() => weigh(context));
    line('settled as a whole', settled, messages);
    console.log(
      `${'  of the time it took to take it in'.padEnd(58)} ${((100 * settled) / taken).toFixed(0)} %`,
    );
    const filed = await countOf(db('message').where({ state: 'logged' }));
    for (const table of ['address', 'client_person', 'file'] as const)
      await db(table).update({ new_at: new Date() });
    const again = await seconds(() => weigh(context));
    line('all records entered anew: what is open weighed once more', again, messages - filed);
    console.log(`filed without a person: ${filed} of ${messages}`);
    result('settle', { messages, taken: messages / taken, share: settled / taken, filed: filed / messages });
  } finally {
    await ground.close();
  }
}
