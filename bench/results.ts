import { createMailing, saveMailing } from '../server/mailing/mailings.ts';
import { listAnswers, listDispatch, readResults } from '../server/mailing/results.ts';
import { AT_ONCE, type StaffMember } from '../contract/index.ts';
import { selectionOf } from '../core/selection/tree.ts';
import { countOf } from '../server/foundation/rows.ts';
import { layGround, line, result, seconds, type Ground } from './ground.ts';
import { cancelOptedOut } from '../server/mailing/optOut.ts';
import { addToSeries, advance, listSeries, viewSeries } from '../server/mailing/series.ts';

const MAREN: StaffMember = {
  id: 1,
  name: 'Maren Okell',
  email: 'maren.okell@quillhurst.example',
  role: 'manager',
};
/** Each is measured so often; the middle one counts. */
const TIMES = 15;

/** What became of a mailing of so many copies, as its page asks for it, against the database merely counting its rows. */
export async function benchResults(count = 10_000): Promise<void> {
  console.log(`What became of ${count.toLocaleString('en-GB')} copies …`);
  const ground = await layGround(count, () => undefined);
  const { db } = ground;
  try {
    const id = await createMailing(db, MAREN, { copyOf: null });
    const link = {
      type: 'text',
      text: 'the plan',
      marks: [{ type: 'link', attrs: { href: 'https://a.example/' } }],
    };
    await saveMailing(
      db,
      id,
      {
        name: 'Bench',
        selection: selectionOf(),
        topicId: null,
        subject: {
          type: 'doc',
          content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Bench' }] }],
        },
        body: { type: 'doc', content: [{ type: 'paragraph', content: [link] }] },
        plain: null,
        framed: false,
        channel: 'email' as const,
        laidOut: false,
        waitDays: null,
        ...{
          senderId: null,
          answersId: null,
          eachOf: 'client',
          roles: [],
          colleagues: null,
          fileChoice: 'general',
        },
        ...{ timing: AT_ONCE, optOut: true, counted: true },
      },
      1,
    );
    // As after ten days: sent over the first, opened and followed since, some came back.
    await db.raw(
      `INSERT INTO dispatch (kind, mailing_id, client_id, person_id, mailbox_id, to_name, to_address, message_id, facts, state,
         next_at, sent_at, opened_at, followed_at, answer)
       SELECT 'mailing', ?, client.id,
         (SELECT MIN(person_id) FROM client_person WHERE client_id = client.id AND writes = 1), 1, client.name, CONCAT('c', client.id, '@x.example'),
         CONCAT('bench-', client.id, '@x.example'), '{"words":{}}', IF(client.id % 50 = 0, 'returned', 'sent'),
         UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) - INTERVAL 10 DAY + INTERVAL client.id % 86400 SECOND,
         IF(client.id % 3 = 0, UTC_TIMESTAMP(3) - INTERVAL client.id % 864000 SECOND, NULL),
         IF(client.id % 9 = 0, UTC_TIMESTAMP(3) - INTERVAL client.id % 864000 SECOND, NULL), '250 ok'
       FROM client ORDER BY client.id LIMIT ?`,
      [id, count],
    );
    await db.raw(
      'INSERT INTO link_followed (dispatch_id, position, first_at) SELECT id, 0, followed_at FROM dispatch WHERE mailing_id = ? AND followed_at IS NOT NULL',
      [id],
    );
    await db.raw('ANALYZE TABLE dispatch, link_followed, client');
    const copies = await countOf(db('dispatch').where({ mailing_id: id }));
    const middle = async (work: () => Promise<unknown>) => {
      const taken: number[] = [];
      for (let time = 0; time < TIMES; time++) taken.push(await seconds(work));
      return taken.sort((a, b) => a - b)[Math.floor(TIMES / 2)] ?? 0;
    };
    const page = { offset: 0, limit: 100 };
    const bare = await middle(() => db('dispatch').where({ mailing_id: id, state: 'sent' }).count());
    const figures = await middle(() => readResults(db, id));
    const first = await middle(() => listDispatch(db, id, { fared: 'all', ...page }));
    const unopened = await middle(() => listDispatch(db, id, { fared: 'unopened', ...page }));
    const answers = await middle(() => listAnswers(db, MAREN.id, id, page));
    const whole = await middle(() =>
      Promise.all([readResults(db, id), listDispatch(db, id, { fared: 'all', ...page })]),
    );
    line('its figures, links and when', figures, copies);
    line('its first page of copies', first, copies);
    line('a page of those that were not opened', unopened, copies);
    line('a page of its answers', answers, copies);
    line('the page as it opens: both at once', whole, copies);
    line('limit: the database merely counts what was sent', bare, copies);
    console.log(`${'the page, of 200 ms asked'.padEnd(58)} ${(1000 * whole).toFixed(0)} ms`);
    result('results', { copies, page: whole, figures, first, limit: bare, ratio: whole / bare });
    await benchSeries(ground, id, copies, middle);
  } finally {
    await ground.close();
  }
}

/** A message that follows the mailing: what a look costs that finds nobody, and one that moves as many on as it may. */
async function benchSeries(
  { db, context }: Ground,
  id: number,
  copies: number,
  middle: (work: () => Promise<unknown>) => Promise<number>,
): Promise<void> {
  const second = await addToSeries(db, MAREN, id);
  await db('mailing').where({ id }).update({ state: 'finished', released_at: new Date() });
  await db('mailing')
    .where({ id: second })
    .update({ state: 'going', released_at: new Date(), wait_days: 300 });
  const idle = await middle(() => advance(context, second));
  const out = await middle(() => cancelOptedOut(db));
  await db('mailing').where({ id: second }).update({ wait_days: 1 });
  const moving = await seconds(() => advance(context, second));
  const moved = await countOf(db('dispatch').where({ mailing_id: second }));
  const seen = await middle(() => viewSeries(db, { id, head_id: null }));
  const people = await middle(() => listSeries(db, id, { offset: 0, limit: 100 }));
  line('a look at a series in which nobody is due', idle, copies);
  line('a look at what waits for those who opted out', out, copies);
  line(`${moved} people moved on to their next message`, moving, moved);
  line('how many stand where', seen, copies);
  line('a page of who stands where', people, copies);
  result('series', { copies, idle, out, moved, moving, seen, people });
}
