import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import { deliver, until, one } from '../server/helpers.ts';
import { accessible, openOffice, signIn, type BrowserOffice } from './office.ts';

const OFFICE = 'office@quillhurst.example';
const MAREN = 'maren.okell@quillhurst.example';

describe('the day’s mail, in the browser', function () {
  this.timeout(120_000);
  // A machine with two cores, a browser, a database and an exchange on them is slow at times.
  let office: BrowserOffice;
  /** What the exchange holds: the flags of the message in a folder, or null. */
  const onServer = (address: string, folder: string, id: string) => {
    const kept = office.firm.world.account(address)?.folder(folder);
    const uid = kept?.withMessageId(id)[0];
    return uid === undefined ? null : [...(kept?.find(uid)?.flags ?? [])];
  };
  const line = (subject: string) => office.page.locator('.line', { hasText: subject }).first();
  async function openMail(query = '') {
    await office.page.goto(`${office.address}/mail${query}`);
    await office.page.locator('.line').first().waitFor();
  }
  before(async () => {
    office = await openOffice({ clients: 20, files: 40, speed: 60, answerShare: 0 }, { waitScale: 1 });
    await signIn(office);
    await until(
      'all six are in step',
      async () => (await countOf(office.firm.db('mailbox').whereNotNull('in_step_at'))) === 6,
      60,
    );
  });
  after(() => office.close());

  it('unfolds a message in its place, which marks it read on its server', async () => {
    const { page, firm } = office;
    await openMail();
    const id = `read${Date.now()}@x.example`;
    deliver(firm, OFFICE, id, {
      headers: { Subject: 'Gate left open' },
      text: 'Your gate stood open this morning.',
    });
    // New mail appears by itself.
    await line('Gate left open').waitFor();
    expect(await line('Gate left open').getAttribute('class')).to.contain('unread');
    await accessible(page, 'Mail');
    await line('Gate left open').locator('.body').click();
    await page.getByText('Your gate stood open this morning.').waitFor();
    await accessible(page, 'Mail with a message unfolded');
    await until('the server knows', async () => onServer(OFFICE, 'INBOX', id)?.includes('\\Seen') ?? false);
    await page.getByRole('button', { name: 'I deal with it' }).click();
    await page.getByRole('button', { name: /Maren Okell deals with it/ }).waitFor();
  });

  it('moves, takes back and throws away, by mouse and by keyboard, here and on the server', async () => {
    const { page, firm } = office;
    await openMail();
    const [one, two] = ['one', 'two'].map((each) => `${each}${Date.now()}@x.example`) as [string, string];
    deliver(firm, MAREN, one, { headers: { Subject: 'First to move' } });
    deliver(firm, MAREN, two, { headers: { Subject: 'Second to move' } });
    await line('First to move').waitFor();
    await line('Second to move').waitFor();
    await line('First to move').getByRole('checkbox').check();
    await line('Second to move').getByRole('checkbox').check();
    await page.getByText('2 messages ticked').waitFor();
    await page.getByRole('button', { name: 'Move…' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Archive', exact: true }).click();
    await page.getByRole('status').getByText('Moved to Archive: 2 messages.').waitFor();
    await until('they are moved there', async () => onServer(MAREN, 'Archive', two) !== null);
    expect(onServer(MAREN, 'INBOX', one)).to.equal(null);
    await page.getByRole('button', { name: 'Undo' }).click();
    await until(
      'they are back',
      async () => onServer(MAREN, 'INBOX', two) !== null && onServer(MAREN, 'INBOX', one) !== null,
    );
    await openMail('?view=unread');
    await line('Second to move').getByRole('button', { name: 'Star it' }).click();
    await until(
      'the star is there',
      async () => onServer(MAREN, 'INBOX', two)?.includes('\\Flagged') ?? false,
    );
    await line('Second to move').locator('.body').click();
    await page.keyboard.press('Escape');
    await page.keyboard.press('Delete');
    await page.getByRole('status').getByText('Thrown away: 1 message.').waitFor();
    await until('it lies in the bin', async () => onServer(MAREN, 'Trash', two) !== null);
    await page.getByRole('button', { name: 'Thrown away' }).click();
    await line('Second to move').waitFor();
    await line('Second to move').getByRole('checkbox').check();
    await page.getByRole('button', { name: 'Throw away' }).click();
    await page.getByRole('button', { name: 'Throw away for good' }).click();
    await until('it is gone', async () => onServer(MAREN, 'Trash', two) === null);
  });

  it('finds words, narrows by mailbox and folder, and says when nothing is there', async () => {
    const { page, firm } = office;
    // Another word at each attempt, as the message of an earlier one is still there.
    const word = `gnomon${Date.now()}`;
    deliver(firm, MAREN, `found${Date.now()}@x.example`, {
      headers: { Subject: 'About the sundial' },
      text: `The ${word} is bent.`,
    });
    await openMail();
    await page.getByRole('searchbox').fill(word);
    await line('About the sundial').waitFor();
    await until('only that is shown', async () => (await page.locator('.line').count()) === 1);
    await page.getByRole('searchbox').fill(`${word} teapot`);
    await page.getByText('Nothing here has these words.').waitFor();
    await page.getByRole('button', { name: 'look on the server too' }).click();
    await page.getByRole('status').getByText('The servers have nothing more of that.').waitFor();
    await page.getByRole('searchbox').fill(word);
    await line('About the sundial').waitFor();
    await page.getByLabel('Maren Okell').uncheck();
    await page.getByText('Nothing here has these words.').waitFor();
    await page.getByLabel('Maren Okell').check();
    await line('About the sundial').waitFor();
    await page.getByRole('searchbox').fill('');
    await page.getByRole('button', { name: 'All folders…' }).click();
    await page.getByLabel('Part of its name').fill('sent');
    await page.getByRole('dialog').getByRole('button', { name: 'Sent' }).nth(1).click();
    await page.locator('.line.ours').first().waitFor();
    expect(await page.locator('.line:not(.ours)').count()).to.equal(0);
    await page.getByRole('button', { name: 'In and out together' }).click();
    await page.locator('.line').first().waitFor();
    // However long the list, only what is in sight stands on the page.
    const list = page.getByRole('region', { name: 'Messages' });
    for (let step = 0; step < 6; step++) {
      await list.evaluate((element) => (element.scrollTop = element.scrollHeight));
      await page.waitForTimeout(250);
    }
    expect(await page.locator('.line').count()).to.be.lessThan(60);
  });

  it('answers, takes it back within ten seconds, sends it, and finds it on the ledger', async () => {
    const { page, firm } = office;
    const row = await firm
      .db('filing')
      .join('message', 'message.id', 'filing.message_id')
      .join('file', 'file.id', 'filing.file_id')
      .join('message_copy', 'message_copy.message_id', 'message.id')
      .where({ direction: 'received', state: 'logged' })
      .whereNull('automatic')
      .whereIn(
        'message.from_address',
        firm.world
          .correspondents()
          .filter((each) => each.behaviour === 'ordinary')
          .map((each) => each.address),
      )
      .first('message.id', 'file.client_id', 'file.number', 'message.subject');
    await page.goto(`${office.address}/write?message=${row.id}&how=reply`);
    const text = page.getByRole('textbox', { name: 'Message' });
    await text.click();
    await page.keyboard.type('It will be done by Friday, I promise.');
    await page.locator('.side').getByText(row.number).first().waitFor();
    await page.getByRole('button', { name: /^Our reference/ }).click();
    await text.getByText(`Our reference is ${row.number}`).waitFor();
    await page.getByText(/^.*kept, \d\d:\d\d$/).waitFor();
    await accessible(page, 'writing');
    await page.getByRole('button', { name: /^Send Ctrl/ }).click();
    await page.getByRole('button', { name: 'Undo' }).click();
    await text.getByText('It will be done by Friday').waitFor();
    expect(await countOf(firm.db('dispatch').whereNotNull('draft_id'))).to.equal(0);
    await page.getByRole('button', { name: /^Send Ctrl/ }).click();
    await page.getByText('Sent.', { exact: true }).waitFor({ timeout: 25_000 });
    await page.goto(`${office.address}/clients/${row.client_id}`);
    await page.locator('.entry.right', { hasText: 'It will be done by Friday' }).waitFor({ timeout: 20_000 });
    // On a machine that stands still the ten seconds may be over before the click comes through.
  }).retries(2);

  it('keeps a message for later, shows it among the drafts, and takes it back', async () => {
    const { page, firm } = office;
    await page.goto(`${office.address}/clients/3`);
    await page
      .getByRole('main')
      .getByRole('link', { name: /^Write/ })
      .click();
    const text = page.getByRole('textbox', { name: 'Message' });
    await text.click();
    await page.keyboard.type('Until Monday, then.');
    await page.getByLabel('Subject').fill('Monday');
    await page.getByRole('button', { name: 'Send later…' }).click();
    await accessible(page, 'sending later');
    await page.getByRole('button', { name: 'Keep for later' }).click();
    await page.getByText('Kept for later.').waitFor();
    await page.goto(`${office.address}/writing`);
    const kept = page.locator('tr', { hasText: 'Monday' });
    await kept.getByText('kept for later').waitFor();
    await accessible(page, 'drafts');
    expect(await countOf(firm.db('dispatch').where({ state: 'waiting' }).whereNotNull('draft_id'))).to.equal(
      1,
    );
    await kept.getByRole('button', { name: 'take back' }).click();
    await kept.getByRole('button', { name: 'throw away' }).click();
    await page.getByRole('status').getByText('Thrown away.').waitFor();
  });

  it('connects a mailbox step by step, and pauses one', async () => {
    const { page, firm, address } = office;
    await page.goto(`${address}/mailboxes/connect`);
    await page.getByLabel('Email address').fill('tobias.fenn@quillhurst.example');
    await page.getByRole('button', { name: 'Go on' }).click();
    await page.getByLabel('Password').waitFor();
    await accessible(page, 'connecting');
    await page.getByLabel('Server').first().fill('127.0.0.1');
    await page.getByLabel('Password').fill('not it');
    await page.getByRole('button', { name: 'Try it' }).click();
    await page.locator('.steps li.bad').first().waitFor();
    const { id } = await one(firm.db('mailbox').where({ address: MAREN }).first('id'));
    await page.goto(`${address}/mailboxes/${id}`);
    await page.getByRole('button', { name: 'Pause' }).click();
    await page.getByRole('button', { name: 'Go on' }).waitFor();
    await accessible(page, 'a mailbox');
    await page.goto(`${address}/mailboxes`);
    await page.getByText(/^Paused/).waitFor();
    await page.goto(`${address}/mailboxes/${id}`);
    await page.getByRole('button', { name: 'Go on' }).click();
    await page.getByRole('button', { name: 'Pause' }).waitFor();
  });

  it('files to what the typed words mean, however quick the key', async () => {
    const { page, firm } = office;
    const files = await firm.db('file').where({ general: 0 }).orderBy('number').limit(2);
    const [first, second] = [files[0]!, files[1]!];
    const id = `quick${Date.now()}@x.example`;
    deliver(firm, OFFICE, id, { headers: { Subject: 'Quick fingers' } });
    await openMail();
    await line('Quick fingers').waitFor();
    await line('Quick fingers').locator('input[type=checkbox]').check();
    await page.keyboard.press('f');
    const words = page.getByRole('combobox', { name: /file|number/i }).last();
    await words.fill(first.number);
    await page.locator('#found-files').getByText(first.number).first().waitFor();
    // The search is slow from now on, and Enter comes before its answer.
    await page.route('**/api/search*', async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 700));
      await route.continue();
    });
    await words.fill(second.number);
    await page.keyboard.press('Enter');
    const filed = async () => {
      const message = await firm.db('message').where({ message_id: id }).first('id');
      return firm.db('filing').where({ message_id: message?.id }).pluck('file_id');
    };
    await until('it is filed', async () => (await filed()).length > 0);
    expect(await filed()).to.deep.equal([second.id]);
    await page.unroute('**/api/search*');
  });

  it('asks before anything goes for good where a mailbox has no bin, and says what a server did not do', async () => {
    const { page, firm } = office;
    const mailbox = await one(firm.db('mailbox').where({ address: MAREN }).first('id', 'name'));
    await firm.db('mailbox').where({ id: mailbox.id }).update({ paused_at: new Date() });
    // Who keeps it lets go of it in the next round; until then a listing may find the bin again.
    await until(
      'its connection is over',
      async () =>
        (await countOf(
          firm
            .db('mailbox')
            .where({ id: mailbox.id })
            .whereRaw('lease_until < UTC_TIMESTAMP(3) + INTERVAL 22 SECOND'),
        )) === 1,
    );
    await firm.db('folder').where({ mailbox_id: mailbox.id, role: 'trash' }).update({ role: 'other' });
    const inbox = await one(firm.db('folder').where({ mailbox_id: mailbox.id, role: 'inbox' }).first('id'));
    const { message_id } = await one(
      firm.db('message_copy').where({ shown_in: inbox.id }).orderBy('at', 'desc').first(),
    );
    const { subject } = await one(firm.db('message').where({ id: message_id }).first('subject'));
    await firm.db('mail_undone').insert({
      mailbox_id: mailbox.id,
      message_id,
      staff_id: 1,
      what: 'Star it',
      why: 'The folder was made anew on the mail server.',
      at: new Date(),
    });
    await openMail(`?q=${encodeURIComponent(subject)}`);
    await page.getByText('The folder was made anew on the mail server.').waitFor();
    await accessible(page, 'Mail with something not done');
    await page.getByRole('button', { name: 'Seen' }).click();
    await page.getByText('Not done on the mail server:').waitFor({ state: 'detached' });
    expect(await firm.db('mail_undone').whereNull('seen_at').pluck('id')).to.deep.equal([]);
    await line(subject).locator('input[type=checkbox]').check();
    await page.keyboard.press('Delete');
    await page.getByRole('heading', { name: 'There is no bin for 1 message' }).waitFor();
    await accessible(page, 'No bin');
    await page.getByRole('button', { name: 'Leave it' }).click();
    expect(await firm.db('message_copy').where({ message_id, shown_in: inbox.id })).to.have.length(1);
    await line(subject).locator('input[type=checkbox]').check();
    await page.keyboard.press('Delete');
    await page.getByRole('button', { name: 'Make a bin and throw away' }).click();
    await page.getByText('Thrown away: 1 message.').waitFor();
    const bin = await one(firm.db('folder').where({ mailbox_id: mailbox.id, role: 'trash' }).first('id'));
    expect(await firm.db('message_copy').where({ message_id, shown_in: bin.id })).to.have.length(1);
    await firm.db('mailbox').where({ id: mailbox.id }).update({ paused_at: null });
  });
});
