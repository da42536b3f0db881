import { expect } from 'chai';
import { one, until } from '../server/helpers.ts';
import { pdfOf } from '../server/papers.ts';
import { hasOffice } from '../../server/reading/office.ts';
import { docxOf, field as docField, para as docPara, text as docText } from '../server/docx.ts';
import { accessible, openOffice, signIn, type BrowserOffice } from './office.ts';

describe('paperwork and documents, in the browser', () => {
  let office: BrowserOffice;
  before(async () => {
    office = await openOffice({ clients: 14, files: 20, conversationsPerClient: 0.1, answerShare: 0 });
    await office.firm.sync();
    await signIn(office);
  });
  after(() => office.close());

  /** A frame that shows a PDF has drawn its first page. */
  const drawn = async (title: RegExp) => {
    const frame = office.page.frameLocator(`iframe[src="/look.html"]`);
    await office.page.getByTitle(title).waitFor();
    await frame.locator('canvas[data-drawn="yes"]').first().waitFor({ timeout: 20_000 });
    return frame;
  };

  /** Says how the piece that is looked at goes; a menu that is drawn anew under the click is clicked again. */
  const goes = async (words: string) => {
    await office.page.getByRole('combobox', { name: 'Goes' }).press('ArrowDown');
    const choice = office.page.locator('.v-select__content').getByText(words, { exact: true });
    const chosen = () =>
      choice.waitFor({ state: 'hidden', timeout: 3000 }).then(
        () => true,
        () => false,
      );
    do await choice.click();
    while (!(await chosen()));
  };

  it('puts a document on file, finds it by its words, looks at it in place, takes it off and brings it back', async () => {
    const { page, address, firm } = office;
    const file = await one(
      firm.db('file').where({ general: 0 }).whereNull('closed').first('id', 'client_id'),
    );
    await page.goto(`${address}/clients/${file.client_id}?file=${file.id}`);
    await page.getByRole('heading', { name: 'People' }).waitFor();
    await page.keyboard.press('d');
    await page.getByText('Nothing lies here yet.').waitFor();
    await accessible(page, 'no documents');
    await page.locator('input[type="file"]').setInputFiles({
      ...{ name: 'agreement.pdf', mimeType: 'application/pdf' },
      buffer: await pdfOf('The lane is to be kept open for cattle.'),
    });
    await page.getByText('1 document put on file.').waitFor();
    await until(
      'its words are read',
      async () => !(await firm.db('document_reading').where({ state: 'waiting' }).first('hash')),
    );
    const find = page.getByRole('textbox', { name: 'Find by name or by what stands in it' });
    await find.fill('cattle');
    await page.getByRole('button', { name: 'agreement.pdf' }).click();
    await drawn(/agreement\.pdf/);
    await page.getByText('1 page').waitFor();
    await accessible(page, 'a document');
    const name = page.getByRole('textbox', { name: 'Name', exact: true });
    await name.fill('Agreement about the lane.pdf');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await until('it is kept', async () =>
      (await one(firm.db('document').orderBy('id', 'desc').first('filename'))).filename.startsWith(
        'Agreement',
      ),
    );
    await page.getByRole('button', { name: 'Take it off' }).click();
    await page.getByText('was taken off.').waitFor();
    await page.getByRole('button', { name: 'Bring it back' }).click();
    await page.getByRole('button', { name: 'Agreement about the lane.pdf' }).waitFor();
    await page.goto(`${address}/documents`);
    await find.fill('cattle');
    await page.getByRole('button', { name: 'Agreement about the lane.pdf' }).waitFor();
    await accessible(page, 'all documents');
  });

  it('writes letters to many, mends one, holds one, releases the others by email and by post', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/paperwork`);
    await page.getByText('Nothing has been made yet.').waitFor();
    await accessible(page, 'no paperwork');
    await page.getByRole('button', { name: 'Letters', exact: true }).click();
    await page.getByRole('textbox', { name: 'What it is called' }).fill('The winter round');
    await page.getByLabel('What it is about').click();
    await page.keyboard.type('The winter round');
    await page.getByLabel('Words of the letter').locator('p').nth(1).click();
    await page.keyboard.type('We shall come before the spring.');
    await page.getByText('Kept', { exact: true }).waitFor();
    await accessible(page, 'the words of a run');
    await page.getByRole('button', { name: /^Make \d+ letters/ }).click();
    await page.getByRole('button', { name: 'Back to its words' }).waitFor();
    const run = await one(firm.db('paper_run').where({ name: 'The winter round' }).first('id'));
    const count = async (state: string) =>
      Number(
        (
          await one(
            firm
              .db('paper_piece')
              .where({ run_id: run.id, state } as object)
              .count({ n: '*' })
              .first(),
          )
        ).n,
      );
    await until('all are made', async () => (await count('waiting')) === 0);
    await drawn(/The piece for/);
    await accessible(page, 'the desk');
    // What is right comes behind what is to be settled: those that can go are worked on.
    const right = firm.db('paper_piece').where({ run_id: run.id, problems: '[]' }).orderBy('id');
    const [mended] = await right.select('id', 'client_id');
    const client = await one(firm.db('client').where({ id: mended?.client_id }).first('name'));
    await page.getByRole('textbox', { name: 'Find a client' }).fill(client.name);
    await page.locator('.pieces .row').first().getByText(client.name).waitFor();
    await page.keyboard.press('Tab');
    await page.locator('.pieces .row').first().click();
    await page.keyboard.press('e');
    const words = page.getByRole('textbox', { name: 'Words of this piece' });
    await words.locator('p').nth(1).click();
    await page.keyboard.press('End');
    await page.keyboard.type(' Bring the ladder.');
    await accessible(page, 'one piece');
    await page.getByRole('button', { name: 'Keep, and make it anew' }).click();
    await page.getByText('Its words were changed by hand.').waitFor();
    await page.getByRole('textbox', { name: 'Find a client' }).fill('');
    await until('all are shown', async () => (await page.locator('.pieces .row').count()) > 3);
    const last = page.locator('.pieces .row').last();
    await last.click();
    await page.keyboard.press('h');
    await page.getByRole('textbox', { name: 'Why' }).fill('ask Ines first');
    await page.getByRole('button', { name: 'Hold it' }).click();
    await page.getByText('ask Ines first').waitFor();
    // One goes by post instead.
    const another = page.locator('.pieces .row').nth((await page.locator('.pieces .row').count()) - 2);
    await another.click();
    await goes('by post');
    await until('it is made anew for the post', async () =>
      Boolean(await firm.db('paper_piece').where({ run_id: run.id, way: 'post', state: 'made' }).first('id')),
    );
    const ready = await firm
      .db('paper_piece')
      .where({ run_id: run.id, problems: '[]' })
      .whereIn('state', ['made', 'read'])
      .pluck('id');
    await page.getByRole('button', { name: `Release all ${ready.length}` }).click();
    await accessible(page, 'releasing');
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByText(/letters? released: \d+ by email, 1 for the post/).waitFor();
    expect(await count('held')).to.equal(1);
    await until(
      'all have gone',
      async () =>
        !(await firm
          .db('dispatch')
          .where({ kind: 'paperwork' })
          .whereIn('state', ['waiting', 'going'])
          .first('id')),
    );
    await page.getByRole('button', { name: /^Released/ }).click();
    await page.getByText('sent', { exact: true }).first().waitFor();
  });

  it('makes a print pack of what goes by post, and ticks it off', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/paperwork`);
    await page.getByRole('button', { name: 'Make a print pack…' }).click();
    await page.getByRole('button', { name: 'Make it', exact: true }).click();
    await drawn(/Print pack/);
    await accessible(page, 'a print pack');
    await page.getByRole('button', { name: 'All printed and posted' }).click();
    await page.getByText('1 piece printed and posted.').waitFor();
    const piece = await one(firm.db('paper_piece').whereNotNull('printed_at').first('client_id'));
    await page.goto(`${address}/clients/${piece.client_id}`);
    await page.getByText(/^posted to /).waitFor();
  });

  it('sends statements to those with something open, and shows how the paper looks', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/settings/paper`);
    await page
      .getByRole('textbox', { name: 'At the foot: registration, tax number' })
      .fill('Registered under 99');
    await drawn(/How a letter looks/);
    await accessible(page, 'letter paper');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await until('it is kept', async () =>
      (await one(firm.db('setting').where({ name: 'firm' }).first('value'))).value.includes(
        'Registered under 99',
      ),
    );
    const clients = await firm.db('client').where({ status: 'active' }).orderBy('name').select('id');
    await firm.db('fee_note').insert(
      clients.map(({ id }, at) => ({
        ...{ client_id: id, number: `OPEN${at}`, words: 'A survey', amount: 80, tax: 0 },
        ...{ issued_on: '2026-01-05', due_on: '2026-02-04' },
      })),
    );
    await page.goto(`${address}/paperwork`);
    await page.getByRole('button', { name: 'Statements', exact: true }).click();
    await page.getByText('The figures stand below these words').waitFor();
    await page.getByText('a slip to be sent with what is paid').click();
    await page.getByRole('button', { name: /^Make \d+ statements?/ }).click();
    await page.getByRole('button', { name: 'Back to its words' }).waitFor();
    await drawn(/The piece for/);
    const download = page.waitForEvent('download');
    await page.getByRole('link', { name: 'Take out as CSV' }).click();
    expect((await download).suggestedFilename()).to.equal('Statements.csv');
    // One goes by post, the others by email.
    const run = await one(
      firm.db('paper_run').where({ kind: 'statement' }).orderBy('id', 'desc').first('id'),
    );
    const own = () => firm.db('paper_piece').where({ run_id: run.id });
    await until('all are made', async () => !(await own().where({ state: 'waiting' }).first('id')));
    const posted = await one(
      own()
        .join('client', 'client.id', 'paper_piece.client_id')
        .where({ problems: '[]' })
        .whereNot('paper_piece.postal', '[]')
        .first('client.name'),
    );
    await page.locator('.pieces .row').filter({ hasText: posted.name }).click();
    await goes('by post');
    await until('one is to be posted', async () =>
      Boolean(await own().where({ way: 'post', state: 'made' }).first('id')),
    );
    const ready = await own().where({ problems: '[]', state: 'made' }).pluck('id');
    await page.getByRole('button', { name: `Release all ${ready.length}` }).click();
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByText(/statements? released: \d+ by email, 1 for the post/).waitFor();
    await page.goto(`${address}/paperwork`);
    await page.getByText('1 piece to be printed').waitFor();
    await firm.db('paper_piece').where({ way: 'post' }).update({ printed_at: new Date() });
  });

  it('sets the rule of reminders, looks at whom they would go to, leaves one alone, and sends the others', async () => {
    const { page, address, firm } = office;
    const [first, second] = await firm.db('client').where({ status: 'active' }).orderBy('name').limit(2);
    await firm.db('fee_note').update({ paid_on: '2026-01-31' });
    const overdue = (clientId: number | undefined, number: string) =>
      firm.db('fee_note').insert({
        ...{ client_id: clientId ?? 0, number, words: 'Advice on the lane', amount: 120.5, tax: 0 },
        ...{ issued_on: '2026-01-05', due_on: '2026-02-04' },
      });
    await overdue(first?.id, 'LATE1');
    await overdue(second?.id, 'LATE2');
    await page.goto(`${address}/settings/reminders`);
    await page.getByRole('spinbutton', { name: 'How many at most' }).fill('0');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByText('At least one.').waitFor();
    await page.getByRole('spinbutton', { name: 'How many at most' }).fill('2');
    await page.getByText('they are prepared by themselves').click();
    await page.getByRole('textbox', { name: 'At', exact: true }).fill('23:59');
    await accessible(page, 'the rule of reminders');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByText('Kept.').waitFor();
    await page.goto(`${address}/paperwork/reminders`);
    await page.getByText('2 at most. They are prepared by themselves at 23:59 on weekdays').waitFor();
    await page.getByText('LATE1').waitFor();
    await accessible(page, 'reminders');
    await page.getByRole('button', { name: 'Otherwise for LATE2' }).click();
    const dialog = page.getByRole('dialog', { name: 'Reminders' });
    await dialog.getByText('otherwise:').click();
    await accessible(page, 'other numbers');
    await dialog.getByText('no reminders').click();
    await dialog.getByRole('button', { name: 'Keep' }).click();
    await page.getByRole('button', { name: /^Left alone 1/ }).click();
    await page.getByText('switched off; none sent').waitFor();
    await page.getByRole('button', { name: 'Prepare 1 reminder' }).click();
    await page.getByRole('heading', { name: 'Reminders, friendly' }).waitFor();
    await drawn(/The piece for/);
    await page.getByRole('button', { name: /^Release all 1/ }).click();
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await until('it has gone', async () =>
      Boolean(
        await firm
          .db('reminder_step')
          .join('dispatch', 'dispatch.piece_id', 'reminder_step.piece_id')
          .where('dispatch.state', 'sent')
          .first('step'),
      ),
    );
    await page.goto(`${address}/paperwork/reminders`);
    await page.getByText('Nobody is to be reminded today.').waitFor();
    await page.getByRole('button', { name: /^Later 1/ }).click();
    await page.getByText(/plain on .*1 of 2 sent/).waitFor();
    await page.goto(`${address}/clients/${second?.id}/record`);
    await page.getByRole('button', { name: 'reminders…' }).click();
    await page.getByText('as the firm does').waitFor();
    await page.getByRole('button', { name: 'Close', exact: true }).click();
  });

  it('takes a template of the word processor in, matches its fields, tries it, makes letters of it, and posts one', async function () {
    this.timeout(180_000);
    const { page, address, firm } = office;
    const put = (buffer: Buffer, name: string) =>
      page.locator('input[type="file"]').setInputFiles({
        name,
        mimeType: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
        buffer,
      });
    await page.goto(`${address}/paperwork`);
    await page.getByRole('button', { name: 'Templates…' }).click();
    await page.getByText('None yet. Take in a letter that has merge fields').waitFor();
    await put(Buffer.from('not a document'), 'notes.docx');
    await page.getByText(/“notes\.docx” was not taken\. It is no word-processor document/).waitFor();
    await put(
      await docxOf(
        docPara(
          docText('Dear '),
          docField('MERGEFIELD Greeting'),
          docText(', about '),
          docField('MERGEFIELD Holding'),
        ),
      ),
      'Visit.docx',
    );
    await page.getByText('2 fields, 1 to be matched yet').waitFor();
    await accessible(page, 'a template');
    const stands = page.getByRole('combobox', { name: 'Holding' });
    await stands.click();
    await stands.fill('Client name');
    await page
      .getByRole('option', { name: /^Client name/ })
      .first()
      .click();
    await page.getByRole('textbox', { name: 'What it is called' }).fill('Yearly visit');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByText('Kept.').waitFor();
    if (hasOffice()) {
      await page.getByRole('button', { name: 'Look at it' }).click();
      await drawn(/The template, filled in/);
    }
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Take it out as .docx' }).click();
    expect((await download).suggestedFilename()).to.equal('Visit.docx');
    await page.goto(`${address}/paperwork/templates`);
    await page.getByRole('link', { name: 'Yearly visit' }).waitFor();
    await accessible(page, 'templates');
    const { client_id } = await one(
      firm
        .db('client_person')
        .join('address', 'address.person_id', 'client_person.person_id')
        .first('client_person.client_id'),
    );
    await page.goto(`${address}/clients/${client_id}`);
    await page.getByRole('button', { name: 'Letter', exact: true }).first().click();
    const words = page.getByRole('combobox', { name: 'Its words' });
    await words.press('ArrowDown');
    await page.locator('.v-select__content').getByText('Yearly visit').click();
    await page.getByText('It is made of Yearly visit').waitFor();
    await accessible(page, 'letters of a template');
    await page.getByRole('button', { name: 'Make 1 letter' }).click();
    await page.getByRole('button', { name: 'Back to its words' }).waitFor();
    const made = async () =>
      !(await firm.db('paper_piece').where({ state: 'waiting' }).first('id')) &&
      !(await page.getByText('being made').count());
    await until('they are made', made, 60);
    if (hasOffice()) await drawn(/The piece for/);
    await page.getByRole('button', { name: /^Change it/ }).click();
    const dialog = page.getByRole('dialog', { name: 'Change this piece' });
    await dialog.locator('input[type="file"]').setInputFiles({
      ...{ name: 'own.docx', mimeType: 'application/octet-stream' },
      buffer: await docxOf(docPara(docText('Words of its own.'))),
    });
    await dialog.waitFor({ state: 'detached' });
    const own = () => firm.db('paper_piece').whereNotNull('own_docx').where({ state: 'made' });
    await until('it is made anew', async () => (await own()).length === 1, 60);
    if (!hasOffice()) return;
    // That one goes by post.
    await goes('by post');
    await until('it is to be posted', async () => (await own().where({ way: 'post' })).length === 1, 60);
    await page.getByText('Its words were changed by hand.').waitFor();
    await page
      .getByRole('button', { name: /^Read\b/ })
      .last()
      .click();
    await page.getByRole('button', { name: 'Release 1 read' }).click();
    await page.getByRole('button', { name: 'Release', exact: true }).click();
    await page.getByText(/1 letter released/).waitFor();
    await page.goto(`${address}/paperwork`);
    await page.getByRole('button', { name: 'Make a print pack…' }).click();
    await page.getByRole('button', { name: 'Make it', exact: true }).click();
    await drawn(/Print pack/);
  });

  it('says what cannot be shown, and loses nothing', async () => {
    const { page, address, firm } = office;
    const file = await one(firm.db('file').where({ general: 0 }).first('id', 'client_id'));
    await page.goto(`${address}/clients/${file.client_id}?file=${file.id}&show=documents`);
    const put = (name: string, buffer: Buffer) =>
      page.locator('input[type="file"]').setInputFiles({ name, mimeType: 'application/pdf', buffer });
    await put('broken.pdf', Buffer.from('%PDF-1.7 and then nothing'));
    await page.getByText('1 document put on file.').waitFor();
    await page.getByRole('button', { name: 'broken.pdf' }).click();
    await page.getByText('It cannot be shown here. Save it, and try it with another program.').waitFor();
    await page.getByRole('button', { name: 'Close', exact: true }).click();
    await put('broken again.pdf', Buffer.from('%PDF-1.7 and then nothing'));
    await page.getByText(/lies on .* already, as “broken\.pdf”/).waitFor();
  });
});
