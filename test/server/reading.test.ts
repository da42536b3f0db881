import { expect } from 'chai';
import { readAgain, readingOf } from '../../server/reading/kept.ts';
import { readingIn } from '../../server/reading/pack.ts';
import { CouldNotBeRead, pool, ReadingPool, readSources } from '../../server/reading/pool.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { deliver, openFirm, rawMessage, until, type TestFirm, one } from './helpers.ts';

const RUFUS = 'rufus.adair@quillhurst.example';
const letter = (subject: string, text = 'Good morning.') =>
  rawMessage(
    { From: 'Ada Fell <ada@fell.example>', Subject: subject, 'Message-ID': `<${subject}@fell.example>` },
    text,
  );

describe('the threads that read', () => {
  /** Several texts of more lines to be flowed together than are in the time there is. */
  const endless = () =>
    Buffer.from(
      `From: Ada Fell <ada@fell.example>\r\nSubject: Endless\r\nMessage-ID: <endless@fell.example>\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${`--b\r\nContent-Type: text/plain; format=flowed\r\n\r\n${'> this goes on and on and \r\n'.repeat(290_000)}`.repeat(8)}--b--`,
    );

  it('give up one message that takes too long, and read those before and after it', async () => {
    const impatient = new ReadingPool({ each: 700, perByte: 0 });
    const read = (raw: Uint8Array) =>
      impatient.run('read', [raw], { urgent: false }).then(
        ({ kept }) => readingIn(kept)?.read.subject,
        (error: Error) => error.message,
      );
    const started = performance.now();
    const messages = [
      letter('one'),
      endless(),
      ...Array.from({ length: 30 }, (_, index) => letter(`more${index}`)),
    ];
    const subjects = await Promise.all(messages.map(read));
    expect(subjects).to.deep.equal([
      'one',
      'it takes longer than 1 seconds',
      ...Array.from({ length: 30 }, (_, index) => `more${index}`),
    ]);
    // Its time, its second try, and threads made anew.
    expect(performance.now() - started).to.be.below(15_000);
    expect(await read(letter('afterwards'))).to.equal('afterwards');
  }).timeout(40_000);

  it('keep the headers of what they cannot read', async () => {
    const pieces = Buffer.from(
      `From: Ada Fell <ada@fell.example>\r\nSubject: Pieces\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${'--b\r\n\r\n\r\n'.repeat(60_000)}`,
    );
    const [before, kept, after] = await readSources([letter('before'), pieces, letter('after')]);
    expect(kept?.kept.read).to.include({
      subject: 'Pieces',
      problem: 'it consists of more than 10,000 pieces',
    });
    expect([before?.kept.read.problem, after?.kept.read.problem]).to.deep.equal([null, null]);
  });

  it('do for a person what waits, though all are at work', async () => {
    let all = false;
    const bulk = readSources(
      Array.from({ length: 800 }, (_, index) => letter(`bulk${index}`, 'x '.repeat(60_000))),
    );
    void bulk.then(() => (all = true));
    expect(await pool.run('page', [letter('page', 'For a person'), false])).to.contain('For a person');
    expect(all).to.equal(false);
    await bulk;
  });

  it('say what went wrong with a task, and go on', async () => {
    const wrong = await pool
      .run('part', [null as unknown as string, [], ''])
      .catch((error: unknown) => error);
    expect(wrong).to.be.instanceOf(CouldNotBeRead);
    expect((await pool.run('part', ['Yes.\n\nBest\nAda', ['Ada'], ''])).own).to.equal('Yes.');
  });
});

describe('what cannot be kept', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 4, files: 6, conversationsPerClient: 0.2 });
    await firm.sync();
  });
  after(() => firm.close());

  it('is found out by halves, kept as its source, and keeps nothing else from coming in', async () => {
    await firm.db.raw(
      `CREATE TRIGGER refuse BEFORE INSERT ON message_party FOR EACH ROW
        IF NEW.email LIKE 'refused%' AND NOT EXISTS (SELECT 1 FROM message WHERE id = NEW.message_id AND problem IS NOT NULL)
        THEN SIGNAL SQLSTATE '22001' SET MESSAGE_TEXT = 'too long'; END IF`,
    );
    for (let index = 0; index < 40; index++)
      deliver(firm, RUFUS, `half${index}@x.example`, {
        headers: { From: index === 17 || index === 30 ? 'refused@x.example' : 'Ada <ada@x.example>' },
        text: `Letter ${index}`,
      });
    const row = await one(firm.db('mailbox').where({ address: RUFUS }).first());
    await new MailboxSync(firm.context, row).runOnce();
    await firm.db.raw('DROP TRIGGER refuse');
    const kept: { message_id: string; problem: string | null }[] = await firm
      .db('message')
      .where('message_id', 'like', 'half%')
      .select('message_id', 'problem');
    expect(kept).to.have.lengthOf(40);
    const without = kept.filter(({ problem }) => problem !== null).map(({ message_id }) => message_id);
    expect(without.sort()).to.deep.equal(['half17@x.example', 'half30@x.example']);
  });

  it('is read anew when reading has learned something, or nothing was kept of it', async () => {
    const { raw_hash: hash } = await one(
      firm.db('message').where({ message_id: 'half3@x.example' }).first('raw_hash'),
    );
    const before = await readingOf(firm.db, hash);
    await firm.db('raw').where({ hash }).update({ reading: null });
    expect(await readingOf(firm.db, hash)).to.deep.equal(before);
    await until(
      'it is kept',
      async () => (await one(firm.db('raw').where({ hash }).first('reading'))).reading !== null,
    );
    expect((await readAgain(firm.db, hash)).read.text).to.contain('Letter 3');
    expect(before.read.date).to.be.instanceOf(Date);
    expect(before.read.headers).to.be.instanceOf(Map);
  });
});
