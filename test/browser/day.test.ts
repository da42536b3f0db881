import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import { until, one } from '../server/helpers.ts';
import { accessible, openOffice, signIn, type BrowserOffice } from './office.ts';

describe('the first working day, in the browser', function () {
  this.timeout(120_000);
  // A machine with two cores, a browser, a database and an exchange on them is slow at times.
  let office: BrowserOffice;
  before(async () => {
    office = await openOffice({ clients: 30, files: 70, speed: 400, answerShare: 1 });
  });
  after(() => office.close());

  it('signs in, after a refusal that keeps what was typed', async () => {
    const { page, address } = office;
    await page.context().clearCookies();
    await page.goto(`${address}/clients/1`);
    await page.getByLabel('Email address').fill('maren.okell@quillhurst.example');
    await page.getByLabel('Password').fill('wrong');
    await accessible(page, 'sign-in');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('alert').getByText('do not go together').waitFor();
    expect(await page.getByLabel('Email address').inputValue()).to.equal('maren.okell@quillhurst.example');
    await page.getByLabel('Password').fill('open the gate');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('heading', { name: 'Cosmo & Bryony Farrant' }).waitFor();
  });

  it('takes the mailboxes in and says so', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/mailboxes`);
    await until(
      'all six are in step',
      async () => (await page.getByText('In step', { exact: true }).count()) === 6,
      40,
    );
    await accessible(page, 'mailboxes');
    expect(await countOf(firm.db('message'))).to.be.greaterThan(100);
  });

  it('shows on Today what needs a person', async () => {
    const { page, address, firm } = office;
    await page.goto(address);
    const waiting = await countOf(firm.db('message').where({ state: 'suggested' }));
    await page
      .locator('.needs-list li', { hasText: 'without a file' })
      .getByText(String(waiting), { exact: true })
      .waitFor();
    await page.getByRole('img', { name: /Mail by day/ }).waitFor();
    await accessible(page, 'Today');
    await page.getByRole('link', { name: 'Sort them' }).click();
    await page.getByRole('heading', { name: 'Sorting' }).waitFor();
  });

  it('sorts three messages by keyboard, undoes one, and files another to a file found by search', async () => {
    const { page, address } = office;
    await page.goto(`${address}/sorting`);
    const left = async () =>
      Number(
        /(\d+) messages? ha/.exec((await page.locator('.head .quiet').first().textContent()) ?? '')?.[1],
      );
    await page.getByRole('heading', { name: 'Where does it belong?' }).waitFor();
    await accessible(page, 'Sorting');
    const before = await left();
    await page.keyboard.press('1');
    await until('one is filed', async () => (await left()) < before);
    const two = await left();
    await page.keyboard.press('1');
    await until('two are filed', async () => (await left()) < two);
    const three = await left();
    await page.keyboard.press('x');
    await until('the third is set aside', async () => (await left()) < three);
    await page.getByText('Set aside as not client mail').first().waitFor();
    await page.keyboard.press('u');
    await until('it is back', async () => (await left()) === three);
    await page.keyboard.press('f');
    await page
      .getByRole('combobox', { name: 'Number, title, client or person' })
      .fill('River bank repair, Farrant');
    await page.getByRole('option').first().waitFor();
    await page.keyboard.press('Enter');
    await until('it is filed', async () => (await left()) < three);
  });

  it('files to several with a remark, puts off, makes a client of a stranger, and keeps a rule', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/sorting`);
    const settled = async (step: string, words: string) =>
      until(step, async () => Boolean(await firm.db('filing_step').where('words', 'like', words).first()));
    await page.locator('.row', { hasText: 'Photos of the culvert' }).click();
    await page.getByRole('heading', { name: 'Photos of the culvert' }).waitFor();
    await page.locator('.candidate').nth(1).waitFor();
    await page.keyboard.press('c');
    await page.getByLabel('Remark, kept with the filing').and(page.locator(':focus')).waitFor();
    await page.getByLabel('Remark, kept with the filing').fill('Both, as she said.');
    await page.keyboard.press('Escape');
    await page.keyboard.press('Shift+Digit1');
    await page.keyboard.press('Shift+Digit2');
    await page.getByText('File to 2 files').waitFor();
    await page.keyboard.press('Enter');
    await settled('filed to two', 'Filed to % and %');
    expect(
      (await one(firm.db('filing_step').where('words', 'like', 'Filed to % and %').first())).note,
    ).to.equal('Both, as she said.');
    await page.locator('.row', { hasText: 'my new address' }).click();
    await page.getByRole('heading', { name: 'my new address' }).waitFor();
    await page.keyboard.press('l');
    await settled('put off', 'Put off%');
    await page.locator('.row', { hasText: 'Could you advise' }).click();
    await page.getByRole('heading', { name: 'Could you advise' }).waitFor();
    await page.keyboard.press('n');
    await page.getByRole('textbox', { name: 'Client' }).fill('Tarnside Orchard');
    await page.getByRole('textbox', { name: 'Last name' }).fill('Lowri');
    await accessible(page, 'new client');
    await page.getByRole('button', { name: 'Make the client and file this to General' }).click();
    await until('it is filed to the new client', async () =>
      Boolean(
        await firm
          .db('filing')
          .join('file', 'file.id', 'filing.file_id')
          .join('client', 'client.id', 'file.client_id')
          .where('client.name', 'Tarnside Orchard')
          .first('filing.file_id'),
      ),
    );
    await page.locator('.row', { hasText: 'Walling stone' }).click();
    await page.getByRole('heading', { name: 'Walling stone' }).waitFor();
    await page.keyboard.press('s');
    await page.getByRole('button', { name: 'Try it on the past' }).click();
    await page.getByText('would have moved').waitFor();
    await accessible(page, 'a rule');
    await page.getByRole('button', { name: 'Keep the rule' }).click();
    await until('the rule is kept', async () => Boolean(await firm.db('office_rule').first()));
  });

  it('looks over what was filed alone, corrects one, finds the next soon, and shows how well filing does', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/sorting/over`);
    await page.getByRole('heading', { name: 'Why it is there' }).waitFor();
    await accessible(page, 'look them over');
    await page.keyboard.press('y');
    await until('it is found right', async () =>
      Boolean(await firm.db('filing_step').where({ words: 'Found rightly filed' }).first()),
    );
    // A day that is done gives way to the one before.
    await page.locator('.line').first().waitFor();
    await page.getByRole('heading', { name: 'Why it is there' }).waitFor();
    await page.keyboard.press('x');
    await page.getByText('Set aside as not client mail').waitFor();
    await page.keyboard.press('u');
    await page.getByText('Taken back').waitFor();
    await page.goto(`${address}/filing`);
    await page.getByRole('heading', { name: 'What decided, and what failed most' }).waitFor();
    await page.getByText('is never client mail').waitFor();
    await accessible(page, 'filing');
    await page.getByRole('button', { name: 'Drop' }).click();
    await page.getByRole('button', { name: 'Drop it' }).click();
    await page.getByText('None yet.').waitFor();
  });

  it('shows the ledger, opens a message as it was, and its source', async () => {
    const { page, address, firm } = office;
    const busy = await firm
      .db('filing')
      .join('file', 'file.id', 'filing.file_id')
      .join('client', 'client.id', 'file.client_id')
      .groupBy('client.id', 'client.name')
      .orderByRaw('COUNT(*) DESC')
      .first('client.name');
    await page.goto(`${address}/clients`);
    await page.getByRole('textbox', { name: 'Name, place, person, address or file number' }).fill(busy.name);
    await page.getByRole('link', { name: busy.name }).first().click();
    await page.getByRole('region', { name: 'Correspondence' }).locator('.entry').first().waitFor();
    await accessible(page, 'client');
    await page.locator('.entry').first().click();
    await page.getByRole('heading', { name: 'Where it is filed' }).waitFor();
    await page.getByRole('link', { name: 'Source (.eml)' }).waitFor();
    await accessible(page, 'message');
    await page.getByRole('button', { name: 'Close', exact: true }).click();
  });

  it('pages and sorts the register', async () => {
    const { page, address } = office;
    await page.goto(`${address}/clients`);
    await page.getByText('1 to 31 of 31 clients').waitFor();
    await page.getByRole('button', { name: 'Open files' }).click();
    await page
      .getByRole('columnheader', { name: /Open files/ })
      .and(page.locator('[aria-sort="ascending"]'))
      .waitFor();
    await accessible(page, 'clients');
    await page.getByRole('textbox', { name: 'Name, place, person, address or file number' }).fill('zzzz');
    await page.getByText('Nobody fits.').waitFor();
  });

  it('makes a mailing, previews it for each, tests it, and releases it', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/mailings`);
    await accessible(page, 'mailings');
    await page.getByRole('button', { name: 'Begin a mailing' }).click();
    await page.getByLabel('Name of the mailing').fill('The gate');
    await page.getByRole('heading', { name: /recipients$/ }).waitFor();
    const narrow = async (words: string) => {
      await page.getByRole('button', { name: 'Narrow by …' }).click();
      await page.getByLabel('Find what to select by').last().fill(words);
      await page.keyboard.press('Enter');
      await page.getByRole('button', { name: 'done', exact: true }).waitFor();
    };
    await narrow('Email address');
    await page.getByRole('button', { name: 'done', exact: true }).click();
    await narrow('Woodland area');
    await page.getByRole('spinbutton', { name: 'Woodland area' }).fill('1');
    await page.getByRole('button', { name: 'done', exact: true }).click();
    await page.getByRole('checkbox', { name: 'Low Wray Commoners receives this' }).uncheck();
    await page.locator('.left-out').getByText('taken out by hand').waitFor();
    await accessible(page, 'recipients');
    const heading = (await page.getByRole('heading', { name: /\d recipients?$/ }).textContent()) ?? '';
    const recipients = Number(/\d+/.exec(heading)?.[0]);
    await page.getByRole('button', { name: 'Next: Message' }).click();
    await page.getByRole('textbox', { name: 'Subject' }).click();
    await page.keyboard.type('The gate at ');
    await page.getByRole('combobox', { name: 'Fact' }).fill('Place');
    await page.getByRole('option', { name: /^Place/ }).click();
    await page.getByLabel('Else say (when there is none)').fill('your place');
    await page.getByRole('button', { name: 'Put it in' }).click();
    await page.getByRole('textbox', { name: 'Message' }).locator('p').nth(1).click();
    await page.keyboard.type('Please leave the gate as you find it. ');
    await accessible(page, 'message step');
    await page.getByRole('button', { name: 'Next: Checks' }).click();
    await page.getByText(`1 of ${recipients}`).waitFor();
    await page.getByText('Nothing is missing').waitFor();
    const first = await page.locator('.side strong').first().textContent();
    await page.getByRole('button', { name: 'The next client' }).click();
    await page.getByText(`2 of ${recipients}`).waitFor();
    await until(
      'the next client is shown',
      async () => (await page.locator('.side strong').first().textContent()) !== first,
    );
    await page.frameLocator('iframe').getByText('Please leave the gate as you find it.').waitFor();
    await page.getByRole('button', { name: 'Send a test copy' }).click();
    await page.getByText('A test copy is on its way').waitFor();
    await accessible(page, 'checks');
    await page.getByRole('button', { name: 'Next: Timing' }).click();
    await page.getByRole('radio', { name: 'some at a time, then a pause' }).check();
    await page.getByText(/messages? in \d+ batch/).waitFor();
    await page.getByRole('checkbox', { name: /leave room to answer/ }).check();
    await page.getByRole('button', { name: 'Sat', exact: true }).click();
    await accessible(page, 'timing');
    await page.getByRole('radio', { name: 'one after another' }).check();
    await page.getByRole('checkbox', { name: 'only within these hours' }).uncheck();
    await page.getByRole('button', { name: 'Sun', exact: true }).click();
    await page.getByRole('checkbox', { name: 'not on the firm’s holidays' }).uncheck();
    await page.getByText(/messages? on one day/).waitFor();
    await page.getByRole('button', { name: 'Next: Release' }).click();
    await page.getByRole('button', { name: `Release ${recipients} messages…` }).click();
    await accessible(page, 'release');
    expect(await page.getByRole('region', { name: 'Who gets it' }).getByRole('row').count()).to.equal(
      recipients,
    );
    await page.getByRole('button', { name: 'Let them go' }).click();
    await page.getByText(new RegExp(`${recipients} of ${recipients} sent`)).waitFor({ timeout: 30_000 });
    await accessible(page, 'progress');
    const mailing = await one(
      firm.db('mailing').where({ name: 'The gate' }).orderBy('id', 'desc').first('id'),
    );
    expect(await countOf(firm.db('dispatch').where({ mailing_id: mailing.id }))).to.equal(recipients);
    const test = await firm
      .db('message_party')
      .join('message', 'message.id', 'message_party.message_id')
      .where({ role: 'to', email: 'maren.okell@quillhurst.example' })
      .where('subject', 'like', 'The gate at %')
      .first('state');
    expect(test?.state).to.equal('aside');
  });

  it('sees the answers land on the right files while it watches', async () => {
    const { page, address, firm } = office;
    await until(
      'somebody has answered',
      async () => Boolean(await firm.db('dispatch').whereNotNull('answered_message_id').first()),
      60,
    );
    const row = await one(firm.db('dispatch').whereNotNull('answered_message_id').first());
    // It may come before what it answers is logged; then it is looked at again.
    await until('it is on the file that was chosen at release', async () => {
      const files: number[] = await firm
        .db('filing')
        .where('message_id', row.answered_message_id)
        .pluck('file_id');
      return files.length === 1 && files[0] === row.file_id;
    });
    await page.goto(`${address}/mailings/${row.mailing_id}`);
    await page.getByText('answered', { exact: false }).first().waitFor();
    await page.goto(`${address}/clients/${row.client_id}`);
    const answer = page.locator('.entry.left', { hasText: 'Re: The gate at' }).first();
    await answer.waitFor();
    const silent = await one(
      firm
        .db('dispatch')
        .whereNull('answered_message_id')
        .where({ state: 'sent' })
        .whereNotNull('logged_message_id')
        .first(),
    );
    expect(silent, 'somebody who has not answered').to.be.an('object');
    await page.goto(`${address}/clients/${silent.client_id}`);
    await page.locator('.entry.right', { hasText: 'The gate at' }).first().waitFor();
    const inbox = await firm.world.inbox(silent.to_address);
    await firm.world.answerAs(silent.to_address, inbox[0]?.uid ?? 0, 'Watched and answered.');
    // Without reloading: the screen is told.
    await page.locator('.entry.left', { hasText: 'Watched and answered.' }).waitFor({ timeout: 10_000 });
  });

  it('signs out, and shows returned messages and unknown addresses of its own plainly', async () => {
    const { page, address } = office;
    await page.goto(`${address}/returned`);
    await page.getByRole('heading', { name: 'Returned messages' }).waitFor();
    await accessible(page, 'returned');
    await page.goto(`${address}/no-such-screen`);
    await page.getByText('There is nothing at this address').waitFor();
    await page.keyboard.press('/');
    await page.keyboard.type('brackenholt');
    await page
      .getByRole('option', { name: /Brackenholt Estate/ })
      .first()
      .waitFor();
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Brackenholt Estate' }).waitFor();
    await page.getByRole('button', { name: /Maren Okell/ }).click();
    await page.getByText('Sign out').click();
    await page.getByRole('button', { name: 'Sign in' }).waitFor();
    await signIn(office, 'petra.lund');
  });
});
