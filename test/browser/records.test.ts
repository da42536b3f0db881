import { expect } from 'chai';
import { Sort } from '../../contract/index.ts';
import { sortMessage } from '../../server/filing/steps.ts';
import { vouchedFor, one, rawMessage, until } from '../server/helpers.ts';
import { accessible, openBrowser, openOffice, signIn, type BrowserOffice } from './office.ts';

describe('records kept right, in the browser', () => {
  let office: BrowserOffice;
  before(async () => {
    office = await openOffice({ clients: 14, files: 20 });
    await office.firm.db('timeline').delete();
    await signIn(office);
  });
  after(() => office.close());

  it('writes a meeting down from the keyboard, calls a colleague, who sees it on Today and sees to it', async () => {
    const { page, address } = office;
    await page.goto(`${address}/clients/1`);
    await page.getByRole('button', { name: 'Write down a note, call or meeting' }).waitFor();
    await page.keyboard.press('n');
    await page.getByRole('radio', { name: 'Meeting' }).click();
    const words = page.getByLabel('What, first line first');
    await words.fill('');
    await words.pressSequentially('Walk of the boundary with @Tob');
    await page.getByRole('listbox', { name: 'Call a colleague' }).getByText('@Tobias Fenn').waitFor();
    await words.press('Enter');
    expect(await words.inputValue()).to.equal('Walk of the boundary with @Tobias Fenn ');
    await page.getByLabel('Day', { exact: true }).fill('tomorrow');
    await page.getByLabel('At', { exact: true }).first().fill('14.30');
    await page.getByLabel('Until').fill('1');
    await page.getByLabel('Where').fill('at the gate');
    await accessible(page, 'writing a meeting down');
    // What cannot be is said at its field, and nothing typed is lost.
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await page.getByText('It ends before it begins.').waitFor();
    await page.getByLabel('Until').fill('4pm');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    const ledger = page.getByRole('region', { name: 'Correspondence' });
    await ledger.getByText('planned').waitFor();
    await ledger.getByText('14:30–16:00, at the gate').waitFor();
    await page.getByRole('button', { name: 'Notes', exact: true }).click();
    await page.getByText('Nothing here fits what is asked for.').waitFor();
    await page.getByRole('button', { name: 'Meetings', exact: true }).click();
    await ledger.getByText('Walk of the boundary').waitFor();
    await accessible(page, 'the ledger of meetings');

    const theirs = await openBrowser();
    try {
      await signIn({ ...office, page: theirs.page }, 'tobias.fenn');
      const forYou = theirs.page.getByRole('region', { name: 'For you' });
      await forYou.getByText('Maren Okell calls you').waitFor();
      await accessible(theirs.page, 'Today with something for you');
      await forYou.getByRole('link', { name: /Walk of the boundary/ }).click();
      await theirs.page.getByRole('dialog').getByLabel('Where').waitFor();
      await theirs.page.keyboard.press('Escape');
      await theirs.page.goto(`${address}/`);
      await forYou.getByRole('button', { name: 'seen to' }).click();
      await forYou.waitFor({ state: 'detached' });
    } finally {
      await theirs.close();
    }

    await ledger.getByRole('button', { name: /^Change: Walk/ }).click();
    await page.getByText('Tobias Fenn has seen to it').waitFor();
    await page.getByRole('button', { name: 'Take it away' }).click();
    await page.getByText('Taken away.').waitFor();
    await ledger.getByText('Walk of the boundary').waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Bring it back' }).click();
    await ledger.getByText('Walk of the boundary').waitFor();
  });

  it('puts an invitation that came by mail onto the file of its message', async () => {
    const { page, address, firm } = office;
    const { db } = firm;
    const { email } = await one(
      db('address')
        .join('client_person', 'client_person.person_id', 'address.person_id')
        .where({ client_id: 2 })
        .first('email'),
    );
    const calendar =
      'BEGIN:VCALENDAR\r\nVERSION:2.0\r\nMETHOD:REQUEST\r\nBEGIN:VEVENT\r\nUID:w@x.example\r\nDTSTART:20270603T100000Z\r\nSUMMARY:Look at the culvert\r\nEND:VEVENT\r\nEND:VCALENDAR';
    const raw = rawMessage(
      {
        From: `Them <${email}>`,
        To: 'Maren Okell <maren.okell@quillhurst.example>',
        Subject: 'A day for the culvert',
        Date: new Date().toUTCString(),
        'Message-ID': '<invite@x.example>',
        'MIME-Version': '1.0',
        'Content-Type': 'multipart/mixed; boundary="b"',
        ...vouchedFor(email),
      },
      `--b\r\nContent-Type: text/plain\r\n\r\nWould this do?\r\n--b\r\nContent-Type: text/calendar; method=REQUEST; name=invite.ics\r\n\r\n${calendar}\r\n--b--\r\n`,
    );
    firm.world.account('maren.okell@quillhurst.example')?.folder('INBOX')?.append(raw, [], new Date());
    await until(
      'it has come in',
      async () => (await db('message').where({ message_id: 'invite@x.example' }).first()) !== undefined,
    );
    const { id: messageId } = await one(db('message').where({ message_id: 'invite@x.example' }).first('id'));
    const { id: fileId } = await one(db('file').where({ client_id: 2 }).first('id'));
    await sortMessage(firm.context, 1, Sort.parse({ messageId, to: { kind: 'files', fileIds: [fileId] } }));
    await page.goto(`${address}/clients/2`);
    await page
      .getByRole('button', { name: /A day for the culvert/ })
      .first()
      .click();
    const invitation = page.getByRole('region', { name: 'Invitation' });
    await invitation.getByText('Look at the culvert').waitFor();
    const put = invitation.getByRole('button', { name: /^Put it on/ });
    await accessible(page, 'an invitation in a message');
    await put.click();
    await invitation.getByText(/It stands on/).waitFor();
    await page.getByRole('dialog').getByRole('button', { name: 'Close', exact: true }).click();
    await page.getByRole('region', { name: 'Correspondence' }).getByText('3 Jun 2027').waitFor();
  });

  it('shows two records side by side, makes one of them field by field, and parts them again', async () => {
    const { page, address, firm } = office;
    const { db } = firm;
    const { name } = await one(db('client').where({ id: 5 }).first('name'));
    const files: number[] = await db('file').whereIn('client_id', [5, 6]).pluck('id');
    await page.goto(`${address}/clients/5/record`);
    await page.getByRole('button', { name: 'here twice?' }).click();
    const other = await one(db('client').where({ id: 6 }).first('name', 'place'));
    await page.getByRole('combobox', { name: 'The same as' }).fill(other.name);
    await page.locator('.v-overlay__content').getByRole('option').first().click();
    await page.getByRole('link', { name: 'Side by side' }).click();
    await page.getByRole('heading', { name: 'Two or one?' }).waitFor();
    await accessible(page, 'two records side by side');
    await page.getByLabel(`Place of ${other.name}`).check();
    await page.getByRole('button', { name: 'Make one of them' }).click();
    await page.getByText('is part of').waitFor();
    expect(await db('client').where({ id: 6 })).to.deep.equal([]);
    expect((await one(db('client').where({ id: 5 }).first('place'))).place).to.equal(other.place);
    expect(await db('file').whereIn('id', files).where({ client_id: 5 })).to.have.length(files.length);

    await page.getByRole('button', { name: 'To the list' }).click();
    await page.getByRole('link', { name: 'Lately merged' }).click();
    await page.getByRole('button', { name: `Part ${name} and ${other.name}` }).click();
    await page.getByText('Parted again: both are as they were.').waitFor();
    expect((await one(db('client').where({ id: 6 }).first('name'))).name).to.equal(other.name);
    expect((await one(db('client').where({ id: 5 }).first('place'))).place).to.not.equal(other.place);
    await accessible(page, 'what was merged');
  });

  it('finds people who are here twice by itself, mends a first name in its row, and takes a word for it', async () => {
    const { page, address, firm } = office;
    const { db } = firm;
    const person = await one(db('person').where({ id: 3 }).first());
    const { email, email_key } = await one(db('address').where({ person_id: 3 }).first());
    const [twin = 0] = await db('person').insert({
      first_name: person.first_name,
      last_name: person.last_name,
    });
    await db('address').insert({ person_id: twin, email, email_key, current: 1, position: 0 });
    await db('person').where({ id: 4 }).update({ first_name: 'effie' });
    await page.goto(`${address}/clients/3/record`);
    // A change through the screens, which has the records looked through.
    await page.getByRole('button', { name: 'Change: Interests and tags' }).click();
    await page.getByLabel('Tags: choose').fill('Board');
    await page.getByLabel('Tags: choose').press('Enter');
    const keep = page.getByRole('button', { name: 'Keep', exact: true });
    await keep.click();
    await keep.waitFor({ state: 'hidden' });
    await page.goto(`${address}/mending?list=person`);
    const row = page.getByRole('row').filter({ hasText: email });
    await row.getByText('nearly certain').waitFor({ timeout: 40_000 });
    await accessible(page, 'people who may be here twice');
    await row.getByRole('button', { name: /are two$/ }).click();
    await page.getByText('are two.').waitFor();

    await page.getByRole('link', { name: /First names missing or odd/ }).click();
    await page.getByRole('button', { name: /^Mend effie/ }).click();
    await page.getByRole('textbox', { name: 'First name' }).fill('Effie');
    await accessible(page, 'a record mended in its row');
    await page.getByRole('button', { name: 'Keep', exact: true }).click();
    await until('the name is mended', async () => {
      const row = await db('person').where({ id: 4 }).first('first_name');
      return row?.first_name === 'Effie';
    });
    await page.getByRole('textbox', { name: 'First name' }).waitFor({ state: 'detached' });
    // The list is read again after it was kept.
    await until('it is on the list no more', async () => !(await page.getByText('effie').count()));
  });
});
