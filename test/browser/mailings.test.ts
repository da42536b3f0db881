import { expect } from 'chai';
import { readFirm, writeFirm } from '../../server/foundation/firm.ts';
import { signLink } from '../../server/security/links.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { advance } from '../../server/mailing/series.ts';
import { mailingDraft, releaseDraft, words } from '../server/drafts.ts';
import { MANAGER, one, until } from '../server/helpers.ts';
import { accessible, openBrowser, openOffice, signIn, type BrowserOffice } from './office.ts';

describe('mailings, in the browser', () => {
  let office: BrowserOffice;
  before(async () => {
    office = await openOffice({ clients: 16, files: 22, conversationsPerClient: 0.1, answerShare: 0 });
    await office.firm.sync();
    const firm = await readFirm(office.firm.db);
    await writeFirm(office.firm.db, { ...firm, webAddress: office.address });
    await signIn(office);
  });
  after(() => office.close());

  const written = async (name: string) =>
    one(office.firm.db('mailing').where({ name }).orderBy('id', 'desc').first());

  it('keeps a paragraph in the cupboard, changes it, and brings back what it was', async () => {
    const { page, address } = office;
    await page.goto(`${address}/wordings`);
    await page.getByRole('link', { name: 'Our reference' }).waitFor();
    await accessible(page, 'wordings');
    await page.getByRole('button', { name: 'New wording' }).click();
    await page.getByRole('textbox', { name: 'Name', exact: true }).fill('The gate');
    const kind = page.getByRole('combobox', { name: 'What it is', exact: true });
    await kind.press('ArrowDown');
    await page.locator('.v-select__content').getByText('Paragraph').click();
    await page.getByRole('textbox', { name: 'Letters that put it in, with Tab' }).fill('gate');
    const text = page.getByRole('textbox', { name: 'Text' });
    await text.click();
    await page.keyboard.type('Leave the gate as you find it.');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByText('kept by Maren Okell').waitFor();
    await text.click();
    await page.keyboard.press('Control+End');
    await page.keyboard.type(' Always.');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await until('it is kept', async () =>
      Boolean(await office.firm.db('wording_version').where({ name: 'The gate' }).first('version')),
    );
    await accessible(page, 'a wording');
    await page.getByRole('button', { name: 'show earlier ones' }).click();
    await page.getByRole('button', { name: /^until / }).click();
    await until('it is as it was', async () => !(await text.innerText()).includes('Always'));
    // What is not kept is asked about before it is lost.
    await page.getByRole('link', { name: 'Mailings', exact: false }).first().click();
    await page.getByRole('button', { name: 'Stay' }).click();
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await until('it is kept', async () => {
      const row = await one(office.firm.db('wording').where({ name: 'The gate' }).first('version'));
      return row.version === 3;
    });
  });

  it('writes a text with a paragraph put in by letters, a table for each file and a passage, as each reads it', async () => {
    const { page, address } = office;
    await page.goto(`${address}/mailings`);
    await page.getByRole('button', { name: 'Begin a mailing' }).click();
    await page.getByLabel('Name of the mailing').fill('The round');
    await page.getByRole('heading', { name: /\d recipients?$/ }).waitFor();
    await page.getByRole('button', { name: 'Next: Message' }).click();
    await page.getByRole('textbox', { name: 'Subject' }).click();
    await page.keyboard.type('The round');
    const text = page.getByRole('textbox', { name: 'Message' });
    await text.locator('p').nth(1).click();
    await page.keyboard.type('gate');
    await page.keyboard.press('Tab');
    await text.getByText('Leave the gate as you find it.').waitFor();
    await page.getByRole('button', { name: 'Table ▾' }).click();
    await page.getByText('3 rows, 2 columns').click();
    await page.keyboard.type('File');
    await page.keyboard.press('Tab');
    await page.keyboard.type('Stage');
    await page.keyboard.press('Tab');
    await page.getByRole('button', { name: 'Table ▾' }).click();
    await page.getByText('This row: once for each open file').click();
    await page.getByRole('combobox', { name: 'Fact' }).fill('File number');
    await page.getByRole('option', { name: /^File number.*Of each open file/ }).click();
    await page.getByRole('button', { name: 'Put it in', exact: true }).click();
    await accessible(page, 'the message with a table');
    await page.keyboard.press('F4');
    const frame = page.frameLocator('iframe');
    await frame.getByText('Leave the gate as you find it.').waitFor();
    const mailing = await written('The round');
    const [recipient] = await office.firm
      .db('file')
      .join('client', 'client.id', 'file.client_id')
      .where({ general: 0 })
      .whereNull('file.closed')
      .select('client.id');
    expect(recipient).to.be.an('object');
    await until('some client’s files are in it', async () => {
      if (/QL-\d+/.test(await frame.locator('table table table').innerText())) return true;
      await page.keyboard.press('ArrowRight');
      return false;
    });
    await page.keyboard.press('F4');
    await text.waitFor();
    await office.firm.db('mailing').where({ id: mailing.id }).update({ state: 'draft' });
  });

  it('makes a newsletter of articles, ordered by keys, in the firm’s frame as a telephone shows it', async () => {
    const { page, address } = office;
    const article = (heading: string) => ({
      type: 'doc',
      content: [
        { type: 'heading', attrs: { level: 2 }, content: [{ type: 'text', text: heading }] },
        ...(words(`About ${heading.toLowerCase()}.`).content ?? []),
      ],
    });
    for (const [name, letters] of [
      ['The wood', 'wd'],
      ['The orchard', 'od'],
    ])
      await office.firm.db('wording').insert({
        kind: 'article',
        name: name ?? '',
        letters: letters ?? '',
        staff_id: 1,
        subject: JSON.stringify(words('')),
        body: JSON.stringify(article(name ?? '')),
      });
    await page.goto(`${address}/settings/frame`);
    await page
      .getByRole('textbox', { name: 'Lines below, such as a company number' })
      .fill('Company 01234567');
    const colour = page.getByRole('textbox', { name: 'Colour of the edge, headings and links' });
    await colour.fill('#EEEEEE');
    await page.getByText('can hardly be read').waitFor();
    await colour.fill('#7A5208');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await until('it is kept', async () => (await readFirm(office.firm.db)).frame.colour === '#7A5208');
    await page.frameLocator('iframe').getByText('Company 01234567').waitFor();
    await accessible(page, 'the frame of newsletters');
    await page.goto(`${address}/mailings`);
    await page.getByRole('button', { name: 'Begin a mailing' }).click();
    await page.getByRole('button', { name: 'Next: Message' }).click();
    await page.getByRole('textbox', { name: 'Subject' }).click();
    await page.keyboard.type('Spring news');
    const text = page.getByRole('textbox', { name: 'Message' });
    await text.locator('p').nth(1).click();
    await page.keyboard.type('wd');
    await page.keyboard.press('Tab');
    await text.getByText('About the wood.').waitFor();
    // The second goes behind the first, not into it.
    await page.keyboard.type(' od');
    await page.keyboard.press('Tab');
    await text.getByText('About the orchard.').waitFor();
    expect(await text.locator('.article h2').allInnerTexts()).to.deep.equal(['The wood', 'The orchard']);
    expect(await text.locator('.article .article').count()).to.equal(0);
    await page.keyboard.press('Alt+ArrowUp');
    expect(await text.locator('.article h2').allInnerTexts()).to.deep.equal(['The orchard', 'The wood']);
    await page.getByRole('checkbox', { name: 'the firm’s frame, as of a newsletter' }).check();
    await accessible(page, 'a newsletter');
    await page.getByRole('button', { name: 'Next: Checks' }).click();
    const read = page.frameLocator('iframe');
    await read.getByText('Company 01234567').waitFor();
    await page.getByRole('button', { name: 'On a telephone' }).click();
    expect(await read.locator('h2').allInnerTexts()).to.deep.equal(['The orchard', 'The wood']);
    const wide = await read.locator('body').evaluate((body) => [body.scrollWidth, body.clientWidth]);
    expect(wide[0], 'nothing to be scrolled for sideways').to.equal(wide[1]);
    const { framed } = await one(office.firm.db('mailing').orderBy('id', 'desc').first('framed'));
    expect(framed).to.equal(1);
  });

  it('keeps a file, encloses it in a mailing to colleagues, and lets two people write at it without losing anything', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/wordings`);
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      page.getByRole('button', { name: 'Keep a file…' }).click(),
    ]);
    await chooser.setFiles([
      { name: 'Fire drill.txt', mimeType: 'text/plain', buffer: Buffer.from('Meet at the gate.') },
    ]);
    await page.getByRole('heading', { name: 'The file' }).waitFor();
    await accessible(page, 'a kept file');
    await page.goto(`${address}/mailings`);
    await page.getByRole('button', { name: 'Begin a mailing' }).click();
    await page.getByLabel('Name of the mailing').fill('Fire drill');
    await page.getByRole('combobox', { name: 'Picked are' }).press('ArrowDown');
    await page.locator('.v-select__content').getByText('colleagues').click();
    await page.getByRole('heading', { name: '5 recipients' }).waitFor();
    await page.getByRole('checkbox', { name: 'Rufus Adair receives this' }).uncheck();
    await page.getByRole('heading', { name: '4 recipients' }).waitFor();
    await accessible(page, 'colleagues as recipients');
    await page.getByRole('button', { name: 'Next: Message' }).click();
    await page.getByRole('button', { name: 'From the cupboard…' }).click();
    await page.getByRole('button', { name: /^Fire drill/ }).click();
    await page.getByRole('button', { name: 'Take Fire drill.txt off' }).waitFor();

    const petra = await openBrowser();
    try {
      await signIn({ ...office, page: petra.page }, 'petra.lund');
      await petra.page.goto(page.url());
      await page.getByText('Petra Lund is at Message now').waitFor();
      await petra.page.getByText('Maren Okell is at Message now').waitFor();
      // What each changes of it alone, both have.
      const text = (at: typeof page) => at.getByRole('textbox', { name: 'Message' });
      const subject = (at: typeof page) => at.getByRole('textbox', { name: 'Subject' });
      await subject(petra.page).click();
      await petra.page.keyboard.type('On Tuesday');
      await text(page).locator('p').nth(1).click();
      await page.keyboard.type('We meet at the gate.');
      await subject(page).getByText('On Tuesday').waitFor();
      await text(petra.page).getByText('We meet at the gate.').waitFor();
      // What both change is put before the second, and nothing of either is lost before they choose.
      await petra.page.route('**/api/mailings/*', (route) =>
        route.request().method() === 'PUT' ? route.abort() : route.continue(),
      );
      await text(petra.page).locator('p').nth(1).click();
      await petra.page.keyboard.press('End');
      await petra.page.keyboard.type(' At nine.');
      await text(page).locator('p').nth(1).click();
      await page.keyboard.press('End');
      await page.keyboard.type(' At ten.');
      await until('Maren’s is kept', async () =>
        (await written('Fire drill')).body.includes('We meet at the gate. At ten.'),
      );
      await petra.page.unroute('**/api/mailings/*');
      await petra.page.getByRole('button', { name: 'see both' }).click();
      const dialog = petra.page.getByRole('dialog', { name: 'Changed by two' });
      expect(await dialog.innerText()).to.match(/At nine[\s\S]*At ten/);
      await accessible(petra.page, 'what two changed');
      await dialog.getByRole('button', { name: 'Keep mine' }).click();
      await text(page).getByText('We meet at the gate. At nine.').waitFor();
      await petra.page.getByRole('link', { name: 'Mailings', exact: false }).first().click();
      await page.getByText('Petra Lund is at Message now').waitFor({ state: 'detached' });
    } finally {
      await petra.close();
    }
    const { id } = await written('Fire drill');
    await page.goto(`${address}/mailings/${id}/checks`);
    await page.getByRole('button', { name: 'Send a test copy' }).click();
    await page.getByText('A test copy is on its way').waitFor();
    await page.goto(`${address}/mailings/${id}/release`);
    await page.getByRole('button', { name: /^Release 4 messages/ }).click();
    await page.getByRole('button', { name: 'Let them go' }).click();
    await until('all have gone', async () => {
      const sent = await firm.db('dispatch').where({ mailing_id: id, state: 'sent' }).pluck('staff_id');
      return sent.length === 4;
    });
    await page.getByText('Ines Calder').first().waitFor();
  });

  it('writes a series, and shows who left it by answering', async () => {
    const { page, address, firm } = office;
    const { selection, ...draft } = mailingDraft({
      name: 'The spring visits',
      body: words('We come in May.'),
    });
    const id = await createMailing(firm.db, MANAGER, { copyOf: null, selection });
    await saveMailing(firm.db, id, { ...draft, selection }, 1);
    await page.goto(`${address}/mailings/${id}/message`);
    await page.getByRole('button', { name: 'add a message that follows some days later' }).click();
    await page.waitForURL((url) => !url.pathname.includes(`/${id}/`));
    const name = page.getByRole('textbox', { name: 'Name of the mailing' });
    await name.fill('A reminder');
    const days = page.getByRole('spinbutton', { name: 'Days after the message before' });
    await days.fill('');
    await days.press('Tab');
    expect(await days.inputValue()).to.equal('7');
    await days.fill('5');
    // The page is drawn anew while one types.
    const read = page.waitForResponse((response) => /\/api\/mailings\/\d+$/.test(response.url()));
    await firm.db('change_event').insert({ topic: 'mailings' });
    await read;
    await page.waitForTimeout(200);
    await days.press('Tab');
    await page.getByRole('textbox', { name: 'Subject' }).click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Still to be answered');
    await page.getByRole('textbox', { name: 'Message' }).click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('Which day suits you?');
    await accessible(page, 'a message of a series');
    await page.getByRole('button', { name: 'Next: Checks' }).click();
    await page.getByRole('link', { name: 'The spring visits' }).click();
    await page.getByRole('button', { name: '2 A reminder' }).waitFor();
    const second = await one(firm.db('mailing').where({ head_id: id }).first());
    expect([second.wait_days, second.name]).to.deep.equal([5, 'A reminder']);
    await page.goto(`${address}/mailings/${id}/release`);
    await page.getByText('A reminder, 5 days later').waitFor();
    await page.getByRole('textbox', { name: 'Why it goes without a test copy' }).fill('a trial');
    await page.getByRole('button', { name: /^Release / }).click();
    await page.getByRole('button', { name: 'Let them go' }).click();
    await page.getByRole('region', { name: 'The series' }).waitFor();
    await until(
      'the first has gone',
      async () => (await one(firm.db('mailing').where({ id }).first())).state === 'finished',
    );
    const [first] = await firm.db('dispatch').where({ mailing_id: id, state: 'sent' }).orderBy('id');
    const message = await one(firm.db('message').orderBy('id').first('id'));
    await firm.db('dispatch').where({ id: first?.id }).update({ answered_message_id: message.id });
    await firm
      .db('dispatch')
      .where({ mailing_id: id })
      .update({ sent_at: new Date(Date.now() - 6 * 24 * 3600_000) });
    await advance(firm.context, second.id);
    await until('the others have the second', async () => {
      const [rows, sent] = await Promise.all(
        [{}, { state: 'sent' as const }].map((state) =>
          firm.db('dispatch').where({ mailing_id: second.id, ...state }),
        ),
      );
      return (
        (rows?.length ?? 0) > 3 &&
        rows?.length === (sent?.length ?? 0) + (rows?.filter(({ state }) => state === 'returned').length ?? 0)
      );
    });
    await page.getByText('1 answered').waitFor();
    await page.getByRole('button', { name: 'who stands where' }).click();
    await page.getByRole('row', { name: /left before it: answered/ }).waitFor();
    await accessible(page, 'who stands where');
  });

  it('mends a failing check where it stands, pauses, and cancels the rest', async () => {
    const { page, address, firm } = office;
    const { db } = firm;
    const client = await one(
      db('client_person')
        .join('person', 'person.id', 'client_person.person_id')
        .join('client', 'client.id', 'client_person.client_id')
        .join('address', 'address.person_id', 'person.id')
        .where('client_person.writes', 1)
        .where('client.status', 'active')
        .where('address.current', 1)
        .whereNull('client.greeting')
        .whereNull('address.returned_at')
        .orderBy('client.id')
        .select<{ id: number; name: string; person: number }[]>(
          'client.id',
          'client.name',
          'person.id as person',
        )
        .first(),
    );
    await db('client_person').where({ client_id: client.id }).whereNot({ person_id: client.person }).delete();
    await db('person').where({ id: client.person }).update({ first_name: '' });
    const mailing = await written('The round');
    await page.goto(`${address}/mailings/${mailing.id}/checks`);
    await page.getByText('Greeting is missing for').first().waitFor();
    await page.getByRole('button', { name: `Mend it for ${client.name}` }).click();
    await page.getByRole('textbox', { name: 'First name' }).fill('Ada');
    await accessible(page, 'a check mended in place');
    await page.getByRole('dialog').getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByRole('button', { name: `Mend it for ${client.name}` }).waitFor({ state: 'detached' });
    const person = await one(db('person').where({ id: client.person }).first());
    expect(person.first_name).to.equal('Ada');

    // One copy says something else.
    await page.getByRole('button', { name: 'change this one’s words…' }).click();
    await page.getByRole('textbox', { name: 'Words of this copy' }).locator('p').first().click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type('To you alone.');
    await accessible(page, 'one copy changed by hand');
    // Going elsewhere loses nothing of it.
    await page.getByRole('button', { name: /^4 Timing/ }).click();
    await page.getByRole('button', { name: /^3 Checks/ }).click();
    await page.getByRole('listitem').filter({ hasText: 'Changed by hand:' }).getByRole('button').click();
    await page.frameLocator('iframe').getByText('To you alone.').waitFor();
    await page.getByRole('button', { name: 'change this one’s words…' }).click();
    await page.getByRole('button', { name: 'Done', exact: true }).click();
    await page.frameLocator('iframe').getByText('To you alone.').waitFor();
    await page.getByText('Changed by hand', { exact: true }).waitFor();
    await page.getByRole('button', { name: 'let it say what all say' }).click();
    await page.getByText('Changed by hand', { exact: true }).waitFor({ state: 'detached' });

    // Released with a long pause between two, so that there is a rest.
    firm.config.sendGap = 600_000;
    const { id } = await releaseDraft(firm, mailingDraft({ name: 'Slowly' }));
    firm.config.sendGap = 0;
    await page.goto(`${address}/mailings/${id}`);
    await page.getByRole('button', { name: 'Pause', exact: true }).click();
    await page.getByRole('button', { name: 'Go on', exact: true }).waitFor();
    await page.getByRole('button', { name: 'Cancel the rest…' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Cancel the rest' }).click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await page.getByRole('button', { name: /^Cancelled/ }).waitFor();
    expect((await one(db('mailing').where({ id }).first())).state).to.equal('cancelled');
  });

  it('shows what became of a mailing, its answers, and sends again what came back', async () => {
    const { page, address, firm } = office;
    const { db } = firm;
    const { id } = await releaseDraft(firm, mailingDraft({ name: 'The word', subject: words('The word') }));
    const rows = () =>
      db('dispatch').where({ mailing_id: id, state: 'sent' }).whereNotNull('logged_message_id');
    await until('all are sent', async () => (await rows()).length > 4, 40);
    await page.goto(`${address}/mailings/${id}`);
    await page.getByRole('button', { name: /^Sent/ }).waitFor();
    await accessible(page, 'what became of a mailing');
    const [first, second] = await rows();
    await fetch(`${address}/opened/${signLink(firm.config.key, 'opened', first!.id)}`);
    await page.getByRole('button', { name: /^Seen to be opened 1/ }).click();
    await page.getByRole('region', { name: 'messages' }).getByText(first!.to_address).waitFor();
    const inbox = await firm.world.inbox(second!.to_address);
    const uid = inbox.find(({ subject }) => subject === 'The word')?.uid ?? 0;
    await firm.world.answerAs(second!.to_address, uid, 'We shall come to the round.');
    await page.getByRole('button', { name: /^Answered 1/ }).click({ timeout: 40_000 });
    await page.getByText('We shall come to the round.').waitFor();
    await accessible(page, 'answers to a mailing');
    await page.getByRole('link', { name: 'pick these clients out' }).click();
    await page.getByRole('heading', { name: 'A new selection' }).waitFor();
    await until('one client remains', async () =>
      (await page.locator('body').innerText()).includes('were answered'),
    );
    await db('dispatch').where({ id: first!.id }).update({ state: 'returned', answer: '5.1.1 nobody there' });
    await page.goto(`${address}/mailings/${id}`);
    await page.getByRole('button', { name: /^Returned/ }).click();
    const again = page.getByRole('button', { name: 'send it again…' }).first();
    await again.click();
    await accessible(page, 'sending again');
    await page.getByRole('textbox', { name: 'Address' }).fill('not an address');
    await page.getByRole('button', { name: 'Send it again', exact: true }).click();
    await page.getByText('That is not an email address.').waitFor();
    await page.getByRole('textbox', { name: 'Address' }).fill(first!.to_address);
    await page.getByRole('button', { name: 'Send it again', exact: true }).click();
    await until('it has gone again', async () => {
      const row = await one(db('dispatch').where({ id: first!.id }).first('state', 'message_id'));
      return row.state === 'sent' && row.message_id !== first!.message_id;
    });
  });

  it('lets a client opt out on a page of its own, without signing in, and tells it', async () => {
    const { page, address, firm } = office;
    const mailing = await written('The word');
    const row = await one(
      firm.db('dispatch').where({ mailing_id: mailing.id, state: 'sent' }).orderBy('id', 'desc').first(),
    );
    const theirs = await openBrowser();
    try {
      await theirs.page.goto(`${address}/out/${signLink(firm.config.key, 'opt out', row.id)}`);
      await theirs.page.getByText(row.to_address).waitFor();
      await accessible(theirs.page, 'the page of opting out');
      await theirs.page.getByRole('button', { name: 'No mailings at all' }).click();
      await theirs.page.getByText('We send you no mailings at all.').waitFor();
    } finally {
      await theirs.close();
    }
    await page.goto(`${address}/mailings/${mailing.id}`);
    await page.getByRole('button', { name: /^Opted out by it 1/ }).waitFor();
  });
});
