import { AT_ONCE } from '../contract/index.ts';
import { selectionOf } from '../core/selection/tree.ts';
import { countOf } from '../server/foundation/rows.ts';
import nodemailer from 'nodemailer';
import type { StaffMember } from '../contract/index.ts';
import { readRaw } from '../server/foundation/sources.ts';
import { DispatchWorker } from '../server/dispatch/worker.ts';
import { MailboxSync } from '../server/mailbox/sync/sync.ts';
import { createMailing, saveMailing } from '../server/mailing/mailings.ts';
import { layGround, line, result, seconds } from './ground.ts';
import { outgoing } from '../server/parts.ts';
import { keepPicture } from '../server/writing/pictures.ts';
import { PNG } from 'pngjs';
import { checkMailing } from '../server/mailing/checking.ts';
import { releaseMailing } from '../server/mailing/release.ts';
import { viewMailing } from '../server/mailing/view.ts';
import type { Database } from '../server/foundation/database.ts';

const maren: StaffMember = {
  id: 1,
  name: 'Maren Okell',
  email: 'maren.okell@quillhurst.example',
  role: 'manager',
};
const text = (words: string) => ({ type: 'text', text: words });
const paragraph = (...content: object[]) => ({ type: 'paragraph', content: content as { type: string }[] });

/** A picture of 120 by 80 points that cannot be packed small: some 25 KB would be a photograph; this has 9. */
function smallPicture(): Buffer {
  const png = new PNG({ width: 120, height: 80 });
  for (let at = 0; at < png.data.length; at++)
    png.data[at] = at % 4 === 3 ? 255 : ((at * 2654435761) >>> 13) & (at % 4 ? 0x3f : 0xff);
  return PNG.sync.write(png);
}

/** In so many lots. */
const LOTS = 5;

/** Sends so many merged messages, against Nodemailer's pool merely sending the same bytes. */
export async function benchDispatch(count = 2000): Promise<void> {
  console.log(`Sending ${count.toLocaleString('en-GB')} merged messages …`);
  const ground = await layGround(Math.round(count * 1.12), () => undefined);
  const { db, context } = ground;
  try {
    for (const mailbox of await db('mailbox').select()) await new MailboxSync(context, mailbox).runOnce();
    const id = await createMailing(db, maren, { copyOf: null });
    const subject = {
      type: 'doc',
      content: [
        paragraph(text('News for '), { type: 'mergeField', attrs: { field: 'client.name', fallback: '' } }),
      ],
    };
    const hash = await keepPicture(db, maren.id, smallPicture());
    const body = {
      type: 'doc',
      content: [
        { type: 'picture', attrs: { hash, alt: 'The gate', width: 120 } },
        paragraph(
          text('Dear '),
          { type: 'mergeField', attrs: { field: 'greeting', fallback: 'all' } },
          text(','),
        ),
        ...Array.from({ length: 6 }, () =>
          paragraph(
            text(
              'The window closes on 12 December, and what we have in our records of your holding would qualify. Please tell us which week would suit for a visit.',
            ),
          ),
        ),
        paragraph({ type: 'mergeField', attrs: { field: 'adviser.name', fallback: '' } }),
      ],
    };
    const draft = {
      name: 'Bench',
      topicId: null,
      subject,
      body,
      plain: null,
      framed: false,
      channel: 'email' as const,
      laidOut: false,
      roles: [],
      colleagues: null,
      waitDays: null,
      senderId: null,
      answersId: null,
      eachOf: 'client' as const,
      fileChoice: 'general' as const,
      timing: AT_ONCE,
      optOut: true,
      counted: true,
    };
    await saveMailing(db, id, { ...draft, selection: selectionOf() }, 1);
    const { order } = await checkMailing(db, id);
    const clients = order.map((key) => Number(key.split('-')[0])).slice(0, count);
    const worker = new DispatchWorker(context, outgoing(context));
    const resting = process.memoryUsage.rss();
    let most = resting;
    const watching = setInterval(() => (most = Math.max(most, process.memoryUsage.rss())), 200);
    const sum = { messages: 0, release: 0, left: 0, done: 0, limit: 0 };
    // A machine's speed may change within minutes: in lots, each beside its limit.
    for (let lot = 0; lot < LOTS; lot++) {
      const only = clients.filter((_, at) => at % LOTS === lot);
      const mailing = lot ? await createMailing(db, maren, { copyOf: id }) : id;
      const { version } = await viewMailing(db, mailing);
      await saveMailing(db, mailing, { ...draft, selection: { ...selectionOf(), only } }, version);
      sum.release += await seconds(async () =>
        releaseMailing(context, maren, mailing, {
          version: version + 1,
          recipients: only.length,
          untestedWhy: 'a trial',
        }),
      );
      const { left, done } = await letAllLeave(db, worker, mailing);
      const raws = await bytesOf(db, mailing);
      sum.left += left;
      sum.done += done;
      sum.messages += raws.length;
      sum.limit += await seconds(() => sendPlain(ground.smtp, raws));
    }
    clearInterval(watching);
    await worker.stop();
    const { messages, release, left, done, limit } = sum;
    line('release: list, Message-IDs and facts fixed', release, messages);
    line('ours: merged, handed over, logged and copied as it goes', left, messages);
    line('ours: all of it, with the last log entry and Sent copy', done, messages);
    line('limit: Nodemailer’s pool merely sends the same bytes', limit, messages);
    console.log(
      `${'share of the limit’s speed'.padEnd(58)} ${((100 * limit) / left).toFixed(0)} % until all have left, ${((100 * limit) / done).toFixed(0)} % until all is done`,
    );
    console.log(
      `${'memory: at rest, at most'.padEnd(58)} ${(resting / 1e6).toFixed(0)} MB, ${(most / 1e6).toFixed(0)} MB`,
    );
    result('dispatch', {
      messages,
      limit: messages / limit,
      left: messages / left,
      share: limit / left,
      done: limit / done,
      resting,
      most,
    });
  } finally {
    await ground.close();
  }
}

/** Dispatches until all of a mailing has left, then until all is on record and in Sent. @returns seconds from the start */
async function letAllLeave(
  db: Database,
  worker: DispatchWorker,
  mailing: number,
): Promise<{ left: number; done: number }> {
  const started = performance.now();
  const passed = () => (performance.now() - started) / 1000;
  const any = async (query: string) =>
    (await countOf(db('dispatch').where({ mailing_id: mailing }).whereRaw(query))) > 0;
  let left = 0;
  for (;;) {
    await worker.work();
    if (!left && !(await any("state IN ('waiting', 'going')"))) left = passed();
    if (
      !(await any(
        "(state IN ('waiting', 'going', 'delayed') OR (state = 'sent' AND (logged_message_id IS NULL OR sent_copy_at IS NULL)))",
      ))
    )
      return { left, done: passed() };
  }
}

/** The bytes that left, with whom each was to and from. */
async function bytesOf(db: Database, mailing: number) {
  const rows: { raw_hash: Buffer; to_address: string; mailbox_id: number }[] = await db('dispatch')
    .where({ state: 'sent', mailing_id: mailing })
    .select('raw_hash', 'to_address', 'mailbox_id');
  const mailboxes = new Map((await db('mailbox').select()).map((row) => [row.id, row.address as string]));
  return Promise.all(
    rows.map(async (row) => ({
      raw: await readRaw(db, row.raw_hash),
      to: row.to_address,
      from: mailboxes.get(row.mailbox_id) ?? '',
    })),
  );
}

async function sendPlain(port: number, mails: { raw: Buffer; to: string; from: string }[]): Promise<void> {
  const pools = new Map(
    [...new Set(mails.map((mail) => mail.from))].map((from) => [
      from,
      nodemailer.createTransport({
        pool: true,
        maxConnections: 3,
        maxMessages: Infinity,
        host: '127.0.0.1',
        port,
        secure: false,
        ignoreTLS: true,
        auth: { user: from, pass: `mail-${from.split('@')[0]}` },
      }),
    ]),
  );
  await Promise.all(
    mails.map(({ raw, to, from }) => pools.get(from)?.sendMail({ envelope: { from, to: [to] }, raw })),
  );
  for (const pool of pools.values()) pool.close();
}
