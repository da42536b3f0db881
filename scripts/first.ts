import { writeFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { fromJson } from '../server/foundation/json.ts';
import { groupBy, select } from '../server/foundation/rows.ts';
import { weigh } from '../server/filing/weighing.ts';
import { MailboxSync } from '../server/mailbox/sync/sync.ts';
import { openCorpusOffice } from './corpusOffice.ts';
import { decisionsCsv, type DecisionRow } from './decisions.ts';

/**
 * An office's first day: `npm run --silent filing:first -- DIR --out decisions.csv [--records before|after]`. The
 * corpus's register lies in a fresh database, its mail in an exchange; all mailboxes are taken in at once as the server
 * does it, the newest mail first, and weighed. Nobody tells it anything. With `--records after` the register is entered
 * only when that is done, and what came is weighed again.
 */
const { positionals, values } = parseArgs({
  allowPositionals: true,
  options: { out: { type: 'string' }, records: { type: 'string', default: 'before' } },
});
const folder = positionals[0];
if (!folder || !values.out || !['before', 'after'].includes(values.records)) {
  console.error('usage: npm run --silent filing:first -- DIR --out decisions.csv [--records before|after]');
  process.exit(2);
}
const office = await openCorpusOffice(folder);
try {
  const { db, context, messages, numberOf } = office;
  if (values.records === 'before') await office.enterRecords();
  await weigh(context);
  const started = performance.now();
  const mailboxes = await db('mailbox').select();
  await Promise.all(mailboxes.map((mailbox) => new MailboxSync(context, mailbox).runOnce()));
  const takenIn = performance.now();
  await weigh(context);
  if (values.records === 'after') {
    await office.enterRecords();
    await weigh(context);
  }
  const weighed = performance.now();
  const micros = ((weighed - started) * 1000) / messages.length;
  const copies = await select(
    db('message_copy')
      .join('folder', 'folder.id', 'message_copy.folder_id')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .join('message', 'message.id', 'message_copy.message_id'),
    {
      id: 'message.id',
      mailbox: 'mailbox.address',
      message_id: 'message.message_id',
      state: 'message.state',
      candidates: 'message.candidates',
    },
  );
  const filesOf = groupBy(await db('filing').select('message_id', 'file_id'), (row) => row.message_id);
  const byCopy = new Map(copies.map((copy) => [`${copy.mailbox} ${copy.message_id}`, copy]));
  const rows = messages.map((message): DecisionRow => {
    const copy = byCopy.get(`${message.mailbox} ${message.messageId}`);
    if (!copy) throw new Error(`${message.header} was not taken in`);
    const files = (filesOf.get(copy.id) ?? []).map((row) => numberOf(row.file_id));
    const suggested = copy.state === 'suggested';
    return {
      messageId: message.header,
      mailbox: message.mailbox,
      outcome: copy.state === 'logged' ? 'auto' : suggested ? 'suggest' : 'none',
      files: copy.state === 'logged' ? files : [],
      candidates: suggested
        ? fromJson('message.candidates', copy.candidates).map(({ fileId }) => numberOf(fileId))
        : [],
      micros,
    };
  });
  writeFileSync(values.out, decisionsCsv(rows));
  console.error(
    `taken in ${messages.length} copies in ${((takenIn - started) / 1000).toFixed(1)} s, weighed in ${((weighed - takenIn) / 1000).toFixed(1)} s`,
  );
} finally {
  await office.close();
}
process.exit(0);
