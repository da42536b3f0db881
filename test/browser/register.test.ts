import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Locator, Page } from 'playwright-core';
import { makeWorld } from '../../demo/load.ts';
import { World } from '../../outside/world.ts';
import { startServer, type RunningServer } from '../../server/server.ts';
import { openEmptyOffice, rawMessage, until, vouchedFor } from '../server/helpers.ts';
import { accessible, openBrowser, openOffice, signIn, type BrowserOffice } from './office.ts';

/** Puts a list before the file chooser. */
async function choose(page: Page, csv: string): Promise<void> {
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'clients.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) });
}

/** Chooses from a list that opens below its field. */
async function pick(page: Page, field: Locator, option: string): Promise<void> {
  const wanted = page.locator('.v-select__content').getByRole('option', { name: option, exact: true }).last();
  await field.press('ArrowDown');
  // A key pressed while another list is still closing opens none: it is pressed again, as a person would.
  const opened = await wanted.waitFor({ timeout: 3000 }).then(
    () => true,
    () => false,
  );
  if (!opened) await field.press('ArrowDown');
  await wanted.click();
}

describe('an office from nothing, in the browser', () => {
  let office: Awaited<ReturnType<typeof openEmptyOffice>>;
  let server: RunningServer;
  let browser: Awaited<ReturnType<typeof openBrowser>>;
  let world: World;
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-world-'));
  before(async () => {
    await makeWorld(dir, { seed: 'empty', now: new Date(), clients: 1, files: 1 });
    world = await World.open({ dir, imapPort: 0, smtpPort: 0, speed: 1 });
    office = await openEmptyOffice();
    server = await startServer({ ...office.config, workers: true }, 'silent');
    browser = await openBrowser();
  });
  after(async () => {
    await browser.close();
    await server.stop();
    await office.close();
    await world.close();
    rmSync(dir, { recursive: true, force: true });
  });

  it('is set up by the code, led through its beginning, and files its first message', async () => {
    const { page } = browser;
    const keep = async () => {
      await page.getByRole('button', { name: 'Keep', exact: true }).click();
      await page.getByText('Kept.').waitFor();
    };
    await page.goto(`http://127.0.0.1:${server.port}/`);
    await page.getByRole('heading', { name: 'A new office' }).waitFor();
    await accessible(page, 'setting an office up');
    await page.getByLabel('Code from the terminal').fill('NOT-THE-CODE');
    await page.getByLabel('Name of the firm').fill('Fernhollow Rural Practice');
    await page.getByLabel('Your name').fill('Petra Lund');
    await page.getByLabel('Your email address').fill('petra.lund@quillhurst.example');
    await page.getByLabel('A password, ten letters or more').fill('a quiet morning');
    await page.getByRole('button', { name: 'Begin' }).click();
    await page.getByText('That is not the code').waitFor();
    // Nothing typed is lost.
    expect(await page.getByLabel('Name of the firm').inputValue()).to.equal('Fernhollow Rural Practice');
    await page.getByLabel('Code from the terminal').fill(server.setUpCode ?? '');
    await page.getByRole('button', { name: 'Begin' }).click();
    await page.getByRole('heading', { name: 'Settings' }).waitFor();
    await page.getByLabel('Postal address').fill('The Mill\nFernhollow');
    await page.getByLabel('Telephone').fill('01632 960 200');
    await keep();
    await accessible(page, 'the firm');
    await page.getByRole('link', { name: 'Next: hours and holidays' }).click();
    await page.getByRole('button', { name: 'It can stay as it is' }).click();
    await page.getByLabel('Some of your file numbers').fill('FR24-0153\nFR25-0007');
    await page.getByLabel('Try others').fill('fr25-0099\n01632 960 200');
    await page.getByText('is a file number').waitFor();
    await keep();
    await accessible(page, 'file numbers');
    await page.getByRole('link', { name: 'Next: stages of a file' }).click();
    await page.getByRole('button', { name: 'Begin with 5 usual ones' }).click();
    await keep();
    await page.getByRole('link', { name: 'Next: staff' }).click();
    await page.getByRole('button', { name: 'Add a colleague' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Rufus Adair');
    await page.getByLabel('Email address').fill('rufus.adair@quillhurst.example');
    await page.getByRole('button', { name: 'Add and make a link' }).click();
    await page.getByText('A link for Rufus Adair').waitFor();
    await page.getByRole('button', { name: 'Done' }).click();
    await accessible(page, 'staff');
    await page.goto(`http://127.0.0.1:${server.port}/clients/import`);
    await choose(
      page,
      'Client,First name,Surname,E-mail,Matter title\nFell Farm,Ada,Fell,ada@fell.example,Hedge planting\n',
    );
    await page.getByText('Say what each column holds').waitFor();
    await page.getByRole('button', { name: 'See what it would do' }).click();
    await page.getByRole('button', { name: 'Bring 1 row in' }).click();
    await page.getByRole('link', { name: 'To the clients' }).click();
    await page.getByRole('link', { name: 'Fell Farm' }).waitFor();

    await page.goto(`http://127.0.0.1:${server.port}/mailboxes/connect`);
    await page.getByRole('button', { name: 'Go on' }).click();
    const servers = page.getByLabel('Server');
    await servers.first().waitFor();
    await servers.nth(0).fill('127.0.0.1');
    await servers.nth(1).fill('127.0.0.1');
    for (const [at, port] of [world.imapPort, world.smtpPort].entries()) {
      await pick(
        page,
        page.getByRole('combobox', { name: 'Protection' }).nth(at),
        'none (this machine only)',
      );
      await page.getByLabel('Port').nth(at).fill(String(port));
    }
    await page.getByLabel('Password').fill('mail-petra.lund');
    await page.getByRole('button', { name: 'Try it' }).click();
    await page.getByRole('button', { name: /^Connect/ }).click();
    const raw = rawMessage(
      {
        From: 'Ada Fell <ada@fell.example>',
        To: 'petra.lund@quillhurst.example',
        Subject: 'FR25-0009 the hedge',
        'Message-ID': '<first@fell.example>',
        Date: new Date().toUTCString(),
        ...vouchedFor('ada@fell.example'),
      },
      'When do you plant?',
    );
    world.account('petra.lund@quillhurst.example')?.folder('INBOX')?.append(raw, [], new Date());
    await until(
      'the first message is filed',
      async () =>
        (await office
          .db('message')
          .where({ message_id: 'first@fell.example', state: 'logged' })
          .first('id')) !== undefined,
      40,
    );
    await page.goto(`http://127.0.0.1:${server.port}/`);
    await page.getByRole('heading', { name: 'Good' }).waitFor();
    expect(await page.getByText('Still to be set up').count()).to.equal(0);
  });
});

describe('the register, in the browser', () => {
  let office: BrowserOffice;
  before(async () => {
    office = await openOffice({ clients: 14, files: 24 });
    await signIn(office);
  });
  after(() => office.close());

  it('is changed in its place, tells its history, and takes a step back', async () => {
    const { page, address } = office;
    await page.goto(`${address}/clients/1`);
    await page.getByRole('link', { name: 'Record' }).click();
    await page.getByRole('heading', { name: 'History' }).waitFor();
    await accessible(page, 'a record');
    await page.keyboard.press('e');
    await page.getByLabel('Place').fill('Elsewhere');
    await page.getByRole('button', { name: 'Add a telephone number' }).click();
    await page.getByRole('textbox', { name: 'Telephone' }).fill('01632 960 961');
    await accessible(page, 'a record being changed');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    const history = page.getByRole('region', { name: 'History' });
    await history.getByText('client changed').waitFor();
    await page.getByRole('region', { name: 'Client', exact: true }).getByText('Elsewhere').waitFor();
    await history.getByRole('button', { name: 'take back' }).first().click();
    await history.getByText('client taken back').waitFor();
    await page
      .getByRole('region', { name: 'Client', exact: true })
      .getByText('Elsewhere')
      .waitFor({ state: 'detached' });
  });

  it('shows both when two people are at one record, and loses nothing', async () => {
    const { page, address } = office;
    const other = await openBrowser();
    try {
      await signIn({ ...office, page: other.page }, 'petra.lund');
      const begin = async (on: Page, place: string) => {
        await on.goto(`${address}/clients/2/record`);
        await on.getByRole('button', { name: 'Change: Client' }).click();
        await on.getByLabel('Place').fill(place);
      };
      await begin(page, 'Mine');
      await begin(other.page, 'Theirs');
      await other.page.getByRole('button', { name: 'Keep', exact: true }).click();
      await other.page.getByRole('region', { name: 'Client', exact: true }).getByText('Theirs').waitFor();
      await page.getByRole('button', { name: 'Keep', exact: true }).click();
      await page.getByText('theirs: Theirs').waitFor();
      await page.getByText('yours: Mine').waitFor();
      await accessible(page, 'two at one record');
      await page.getByRole('button', { name: 'keep yours' }).click();
      await page.getByRole('button', { name: 'Keep', exact: true }).click();
      await other.page.getByRole('region', { name: 'Client', exact: true }).getByText('Mine').waitFor();
    } finally {
      await other.close();
    }
  });

  it('gets people and files, and fields of the firm’s own', async () => {
    const { page, address } = office;
    await page.goto(`${address}/settings/fields`);
    await page.getByRole('region', { name: 'Clients' }).getByRole('button', { name: 'Add a field' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Deer fence');
    await pick(page, page.getByRole('combobox', { name: 'What stands in it' }), 'Yes or no');
    await page.getByRole('dialog').getByRole('button', { name: 'Keep' }).click();
    await page.getByRole('button', { name: 'Deer fence', exact: true }).waitFor();
    await accessible(page, 'fields of one’s own');
    await page.goto(`${address}/clients/3/record`);
    await page.getByRole('button', { name: 'Change: Fields of our own' }).click();
    await pick(page, page.getByRole('combobox', { name: 'Deer fence' }), 'yes');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.locator('dt', { hasText: 'Deer fence' }).waitFor();
    await page.getByRole('button', { name: 'add somebody' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('First name').fill('Wilf');
    await dialog.getByLabel('Last name').fill('Dray');
    await dialog.getByLabel('Email address').fill('wilf@dray.example');
    await dialog.getByRole('button', { name: 'Add', exact: true }).click();
    await dialog.getByRole('heading', { name: 'Wilf Dray' }).waitFor();
    await accessible(page, 'a person');
    await page.keyboard.press('Escape');
    await page.getByRole('region', { name: 'People' }).getByText('wilf@dray.example').waitFor();
    await page.getByRole('button', { name: 'open a file' }).click();
    await dialog.getByLabel('Title').fill('Deer fence survey');
    await dialog.getByRole('button', { name: 'Open it' }).click();
    await page.getByRole('region', { name: 'Files' }).getByText('Deer fence survey').waitFor();
  });

  it('takes a messy list in, shows what is wrong with it, and takes it back', async () => {
    const { page, address, firm } = office;
    const clients = async () => Number((await firm.db('client').count({ count: '*' }))[0]?.count);
    const before = await clients();
    await page.goto(`${address}/clients/import`);
    await accessible(page, 'bringing a list in');
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-list-'));
    writeFileSync(join(dir, 'clients.csv'), Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10]));
    await page.locator('input[type=file]').setInputFiles(join(dir, 'clients.csv'));
    await page.getByText('This is no table but a picture (PNG).').waitFor();
    rmSync(dir, { recursive: true, force: true });
    await choose(
      page,
      '\u{FEFF}Client;Surname;E-mail;Farbe\r\n"Fell; Farm";Fell;ada@fell.example;grün\r\nDray;Dray;nowhere;\r\n',
    );
    await page.getByText('Say what each column holds').waitFor();
    await accessible(page, 'columns');
    await page.getByRole('button', { name: 'See what it would do' }).click();
    await page.getByText('“nowhere” is no email address.').waitFor();
    await accessible(page, 'what a list would do');
    await page.getByRole('button', { name: 'Bring 1 row in' }).click();
    await page.getByRole('button', { name: 'Take all of it back' }).click();
    expect(await clients()).to.equal(before + 1);
    await page.getByRole('button', { name: 'Take it back' }).click();
    await page.getByText('; taken back.').waitFor();
    expect(await clients()).to.equal(before);
  });

  it('picks clients out line by line, keeps the selection, and writes to those who remain', async () => {
    const { page, address } = office;
    const add = async (words: string, label = 'Narrow by …') => {
      await page.getByRole('button', { name: label }).last().click();
      await page.getByLabel('Find what to select by').last().fill(words);
      await page.keyboard.press('Enter');
    };
    const tick = async (name: string, option: string) => {
      await page.getByLabel(name, { exact: true }).last().fill(option);
      await page
        .locator('.v-overlay__content')
        .getByRole('option', { name: option, exact: true })
        .last()
        .click();
      await page.getByLabel(name, { exact: true }).last().press('Tab');
    };
    const done = () => page.getByRole('button', { name: 'done', exact: true }).last().click();
    const left = async () => Number((await page.locator('.foot b').textContent())?.replace(/\D/g, '') || -1);
    await page.goto(`${address}/selections/new`);
    await until('nobody is counted', async () => (await left()) > 0);
    const everybody = await left();
    await add('woodland');
    await page.getByLabel('Woodland area', { exact: true }).fill('10');
    await done();
    await until('the line takes nobody away', async () => (await left()) < everybody);
    await add('Any of these');
    await add('service', 'One more …');
    await tick('Service', 'Annual retainer');
    await tick('Service', 'Project');
    await done();
    await add('interests', 'Narrow by …');
    await tick('Interests', 'Orchard days');
    await done();
    await page
      .getByText(
        'All present clients whose woodland area is at least 10 ha, whose service is Annual retainer or Project ' +
          'and whose interests include Orchard days.',
      )
      .waitFor();
    await accessible(page, 'a selection');
    // A line is moved by its keys, and the account is cast anew.
    const lines = page.locator('.line .read');
    await lines.nth(2).press('Alt+ArrowUp');
    await until(
      'it did not move',
      async () => (await lines.nth(1).textContent())?.includes('Orchard') ?? false,
    );
    const total = await left();
    await until(
      'the list and the account differ',
      async () => (await page.getByText(`${total} remain`).count()) > 0,
    );
    await page
      .getByRole('button', { name: / out by hand$/ })
      .first()
      .click();
    await until('taking out by hand changes nothing', async () => (await left()) === total - 1);
    // Those ticked alone, and all of them again.
    await page
      .getByRole('checkbox', { name: /^Tick / })
      .first()
      .check();
    await page.getByRole('button', { name: 'only these' }).click();
    await until('the ticked one does not remain alone', async () => (await left()) === 1);
    await page.getByText('of these only 1 that were ticked').waitFor();
    await page
      .locator('.row', { hasText: 'Only those ticked' })
      .getByRole('button', { name: 'undo' })
      .click();
    await until('the others do not come back', async () => (await left()) === total - 1);
    await page.getByRole('button', { name: 'Keep …' }).click();
    await page.getByLabel('Name', { exact: true }).fill('Orchards and woods');
    await page.getByRole('button', { name: 'Keep it' }).click();
    await page.getByRole('heading', { name: 'Orchards and woods' }).waitFor();
    await page.getByRole('button', { name: 'Write a mailing' }).click();
    await page.getByRole('heading', { name: 'Who should have this' }).waitFor();
    await until('the mailing has others', async () => (await left()) === total - 1);
    await page.goto(`${address}/selections`);
    await page.getByRole('link', { name: 'Orchards and woods' }).waitFor();
    await accessible(page, 'the selections that are kept');
  });
});
