import { expect } from 'chai';
import type { Page } from 'playwright-core';
import { putDocument } from '../../server/documents/keep.ts';
import { sayWhere } from '../../demo/load.ts';
import { MANAGER, one, until } from '../server/helpers.ts';
import { accessible, openBrowser, openOffice, signIn, type BrowserOffice } from './office.ts';

const PDF = Buffer.from(
  '%PDF-1.4\n1 0 obj\n<< /Type /Catalog >>\nendobj\ntrailer\n<< /Root 1 0 R >>\n%%EOF\n',
);

describe('a client’s own page, in the browser', () => {
  let office: BrowserOffice;
  let client: { page: Page; close(): Promise<void> };
  let clientId: number;
  let email: string;
  before(async () => {
    office = await openOffice({ clients: 12, files: 18, conversationsPerClient: 0.1, answerShare: 0 });
    await sayWhere(office.firm.db, office.address);
    await office.firm.sync();
    client = await openBrowser();
    await client.page.setViewportSize({ width: 390, height: 844 });
    await signIn(office);
    const tie = await one(
      office.firm
        .db('client_person')
        .join('client', 'client.id', 'client_person.client_id')
        .join('address', 'address.person_id', 'client_person.person_id')
        .where({ 'client.status': 'active', 'client_person.writes': 1, 'address.current': 1 } as object)
        .whereNotIn('address.email_key', office.firm.db('opt_out').select('email_key'))
        .orderBy('client.id')
        .first('client_person.client_id', 'address.email'),
    );
    clientId = tie.client_id;
    email = (tie as unknown as { email: string }).email;
    const file = await one(office.firm.db('file').where({ client_id: clientId, general: 0 }).first('id'));
    await putDocument(office.firm.db, MANAGER.id, file.id, {
      ...{ filename: 'Plan of the rides.pdf', mimeType: 'application/pdf', content: PDF },
    });
  });
  after(async () => {
    await client.close();
    await office.close();
  });

  it('is filled by the office: a document laid out, things asked for, and a message that leads there', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/clients/${clientId}`);
    await page.getByRole('heading', { name: 'To do' }).waitFor();
    await page.keyboard.press('p');
    await page.getByText('Nothing lies here.').first().waitFor();
    await accessible(page, 'pages with nothing on them');
    await page.getByRole('button', { name: 'Ask for something…' }).first().click();
    await page.getByRole('button', { name: 'Ask for it' }).click();
    await page.getByText('Say what is wanted.').waitFor();
    await page.getByLabel('What is wanted, a thing a line').fill('Holding number\nMap of the wood');
    await accessible(page, 'asking for things');
    await page.getByRole('button', { name: 'Ask for it' }).click();
    await page.getByText('It stands on their page now.').waitFor();
    await page.keyboard.press('d');
    await page.getByRole('button', { name: 'Plan of the rides.pdf' }).click();
    await page.getByRole('button', { name: 'Lay it out…' }).click();
    await page.getByRole('heading', { name: 'Lay it out' }).waitFor();
    await page.getByRole('button', { name: 'Lay it out', exact: true }).click();
    await page.getByText('It lies on 1 page now.').waitFor();
    await page.keyboard.press('p');
    await page.getByText('not collected yet').waitFor();
    await accessible(page, 'a page that is filled');
    await page.getByRole('button', { name: 'Write with it' }).first().click();
    await page.getByText('on your own page').waitFor();
    await page.getByRole('button', { name: /^Send Ctrl/ }).click();
    await until('the message has come', async () =>
      (await firm.world.inbox(email)).some(({ text }) => /\/client\/[\w-]{32}/.test(text)),
    );
  });

  it('is opened at the width of a telephone by link and code; what lies there is collected, what is asked for put there', async () => {
    const { page } = client;
    const { firm } = office;
    const [message] = await firm.world.inbox(email);
    await page.goto(/https?:\S*\/client\/[\w-]{32}/.exec(message?.text ?? '')?.[0] ?? '');
    await page.getByRole('button', { name: 'Send me a code' }).waitFor();
    await accessible(page, 'the door of a page');
    expect(await page.content()).to.not.contain('Plan of the rides');
    await page.getByRole('button', { name: 'Send me a code' }).click();
    await page.getByLabel('The code of six figures').fill('000000');
    await page.getByRole('button', { name: 'Open my page' }).click();
    await page.getByText('That code does not fit').waitFor();
    let code = '';
    await until('the code has come', async () => {
      const [newest] = await firm.world.inbox(email);
      code = /Your code is (\d{6})/.exec(newest?.text ?? '')?.[1] ?? '';
      return code !== '';
    });
    await page.getByLabel('The code of six figures').fill(code);
    await page.getByRole('button', { name: 'Open my page' }).click();
    await page.getByRole('heading', { name: 'For you to collect' }).waitFor();
    await accessible(page, 'a client’s own page');
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).to.be.at.most(390);
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name: 'Plan of the rides.pdf' }).click(),
    ]);
    expect(download.suggestedFilename()).to.equal('Plan of the rides.pdf');
    await page.getByText(/Collected on/).waitFor();
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      page.getByRole('button', { name: 'Put Holding number here' }).click(),
    ]);
    await chooser.setFiles([
      {
        name: 'number.pdf',
        mimeType: 'application/pdf',
        buffer: Buffer.concat([PDF, Buffer.from('number')]),
      },
      { name: 'run.exe', mimeType: 'application/pdf', buffer: Buffer.from('MZ\u0000\u0001') },
    ]);
    await page.getByText('Thank you, it has come.').waitFor();
    await page.getByText(/“run\.exe”: That kind of file is not taken here/).waitFor();
    await page.getByText('has come; we have yet to look at it').waitFor();
  });

  it('takes a line, and how its reader wishes to hear from the office', async () => {
    const { page } = client;
    const { firm } = office;
    await page.getByLabel('What you would like us to know').fill('The gate is open.');
    await page.getByRole('button', { name: 'Leave it' }).click();
    await page.getByText('We shall answer you.').waitFor();
    await page.getByRole('button', { name: 'No mailings at all' }).click();
    await page.getByText('Done. We shall keep to it.').waitFor();
    expect(await firm.db('opt_out').where({ email_key: email.toLowerCase() }).first('how')).to.deep.equal({
      how: 'on their page',
    });
    await page.getByRole('button', { name: 'Close this page' }).click();
    await page.getByRole('button', { name: 'Send me a code' }).waitFor();
  });

  it('tells the office, who look at what came, take it in, and see the line', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/`);
    await page.getByText('1 document to look at and 1 line to answer').waitFor();
    await page.goto(`${address}/pages`);
    await page.getByRole('button', { name: 'Look at number.pdf' }).click();
    await page.getByText('It is said to be “Holding number”').waitFor();
    await page.getByRole('button', { name: 'Take it in' }).click();
    await page.getByText(/lies on \S+ now\./).waitFor();
    await page.getByText('Nothing waits to be looked at.').waitFor();
    await accessible(page, 'all clients’ pages');
    await page.getByRole('button', { name: 'Lines to answer' }).click();
    await page.getByText('The gate is open.').waitFor();
    await page.goto(`${address}/clients/${clientId}`);
    await page.getByText('The gate is open.').waitFor();
    await page.getByText('number.pdf').waitFor();
    const wanted = await firm.db('collection_wanted').where({ name: 'Holding number' }).first('came_at');
    expect(wanted?.came_at).to.be.instanceOf(Date);
  });
});
