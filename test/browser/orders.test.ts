import { expect } from 'chai';
import { DateTime } from 'luxon';
import { deliver, one, until } from '../server/helpers.ts';
import { listenPage } from '../../outside/page.ts';
import { GATEWAY_KEY } from '../../outside/world.ts';
import { accessible, openOffice, signIn, type BrowserOffice } from './office.ts';

describe('what happens by itself, in the browser', () => {
  let office: BrowserOffice;
  before(async () => {
    office = await openOffice({ clients: 14, files: 20, conversationsPerClient: 0.1, answerShare: 0 });
    await office.firm.sync();
    await office.firm.db('delivery').where({ kind: 'letters' }).delete();
    await signIn(office);
  });
  after(() => office.close());

  const choose = async (label: string, words: string) => {
    const { page } = office;
    await page.getByLabel(label, { exact: true }).press('ArrowDown');
    await page.locator('.v-select__content').getByText(words, { exact: true }).click();
  };

  it('writes a standing order as a sentence, tries it on the past, switches it on, and releases what it prepared', async () => {
    const { page, address, firm } = office;
    await page.goto(`${address}/orders`);
    await page.getByText('No order is on.').waitFor();
    await accessible(page, 'no standing orders');
    await page.getByRole('button', { name: 'Switched off' }).click();
    await page.getByText('A new file is welcomed').waitFor();
    await page.getByRole('button', { name: 'Write an order' }).click();
    await page.getByRole('heading', { name: 'A new standing order' }).waitFor();
    await page.getByText(/^In the last 90 days /).waitFor();
    await page.getByRole('button', { name: 'Keep it, switched off' }).click();
    await page.getByText('Give it a name.').waitFor();
    await page.getByLabel('What it is called').fill('Files begun');
    await page.getByRole('button', { name: 'say what is to be done' }).click();
    await choose('What is done', 'an email');
    await page.getByLabel('In whose name, and whom to release it').click();
    await page.getByRole('option', { name: 'whoever keeps this order' }).click();
    await accessible(page, 'a standing order being written');
    await page.getByRole('button', { name: 'Keep it, switched off' }).click();
    await page.getByRole('heading', { name: 'Files begun' }).waitFor();
    await page.getByRole('button', { name: 'Switch on' }).click();
    await page.getByRole('button', { name: 'Pause' }).waitFor();

    const client = await one(
      firm.db('client').where({ status: 'active', kind: 'person' }).first('id', 'name'),
    );
    await page.evaluate(async (id) => {
      await fetch(`/api/clients/${id}/files`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ number: '', title: 'The long hedge', adviserId: null, stage: null }),
      });
    }, client.id);
    await page.getByRole('button', { name: /What it did/ }).click();
    await page.getByText('waits to be released').waitFor();
    await page.getByText(/^File \S+, The long hedge was opened$/).waitFor();
    await page.goto(`${address}/`);
    await page.getByText('prepared by standing orders').waitFor();
    await page.getByRole('link', { name: 'Release' }).click();
    await page.getByRole('checkbox', { name: /^Tick the message to/ }).waitFor();
    await accessible(page, 'prepared by orders');
    await page.keyboard.press('a');
    await page.keyboard.press('s');
    await page.getByText('1 message on the way.').waitFor();
    await until('it is sent', async () => {
      const row = await firm.db('dispatch').whereNotNull('draft_id').first('state');
      return row?.state === 'sent';
    });
  });

  it('leaves a task on a client from the keyboard, and does it with a key', async () => {
    const { page, address, firm } = office;
    const client = await one(firm.db('client').where({ status: 'active' }).orderBy('id').first('id'));
    await page.goto(`${address}/clients/${client.id}`);
    await page.getByRole('heading', { name: 'To do' }).waitFor();
    await page.keyboard.press('t');
    await page.getByLabel('What is to be done').fill('Ring the miller');
    await page.getByLabel(/^By when/).fill('today');
    await page.getByRole('button', { name: 'Leave it' }).click();
    await page.getByRole('button', { name: 'Ring the miller', exact: true }).waitFor();
    await page.goto(`${address}/tasks`);
    const row = page.getByRole('button', { name: 'Ring the miller', exact: true });
    await row.waitFor();
    await accessible(page, 'tasks');
    await page.getByRole('textbox', { name: 'Words' }).fill('miller');
    await page.getByText('1 to 1 of 1 tasks').waitFor();
    await page.getByRole('heading', { name: 'Tasks' }).click();
    await page.keyboard.press('d');
    await page.getByText('“Ring the miller” is done.').waitFor();
    expect((await one(firm.db('task').where({ words: 'Ring the miller' }).first())).done_at).to.not.equal(
      null,
    );
    await page.keyboard.press('u');
    await row.waitFor();
  });

  it('sets a gateway, writes a text message with its length and price told, and gets an answer on the file', async () => {
    const { page, address, firm } = office;
    const outside = await listenPage(firm.world, 0);
    try {
      await page.goto(`${address}/settings/texts`);
      await page.getByLabel('Its address on the web').fill(`http://127.0.0.1:${outside.port}/gateway`);
      await page.getByLabel('The key it knows you by').fill(GATEWAY_KEY);
      await page.getByLabel('What telephones show as the sender').fill('Quillhurst');
      await page.getByRole('button', { name: 'Try it, and keep it' }).click();
      await page.getByText('Kept: the gateway answers.').waitFor();
      await accessible(page, 'the gateway');
      const client = await one(firm.db('client').where({ status: 'active' }).orderBy('id').first('id'));
      await page.goto(`${address}/clients/${client.id}`);
      await page.getByRole('heading', { name: 'To do' }).waitFor();
      await page.keyboard.press('x');
      const number = page.getByRole('combobox', { name: 'To which number' });
      await number.fill('07700 900601');
      await number.press('Tab');
      await page.getByLabel('The message', { exact: true }).fill('We come at nine “sharp”.');
      await page.getByText(/make it dear/).waitFor();
      await page.getByLabel('The message', { exact: true }).fill('We come at nine.');
      await page.getByText('1 part, GBP 0.04; 144 letters more fit in.').waitFor();
      await page.getByRole('button', { name: 'Send', exact: true }).click();
      await page.getByText('Say how they agreed to get text messages.').waitFor();
      await page.getByLabel('How they agreed to text messages').fill('said so at the gate');
      await accessible(page, 'a text message');
      await page.getByRole('button', { name: 'Send', exact: true }).click();
      await page.getByText('We come at nine.').waitFor();
      await until('it has left', async () => {
        const row = await firm.db('text_message').first('state');
        return row?.state === 'sent' || row?.state === 'delivered';
      });
      firm.world.gateway.answer('+447700900601', 'Nine is well.');
      // The gateway is asked every twenty seconds, and whenever something is written.
      await page.getByText('Nine is well.').waitFor({ timeout: 40_000 });
      await page.goto(`${address}/texts`);
      await page.getByText('Nine is well.').waitFor();
      await accessible(page, 'text messages');
      await page.getByRole('button', { name: 'needs none' }).click();
      await page.getByText('Nobody waits for an answer.').waitFor();

      // The same number by a mailing: only whoever agreed gets it, and what they answer lies on their file.
      await page.goto(`${address}/mailings`);
      await page.getByRole('button', { name: 'Begin a mailing' }).click();
      await page.getByRole('button', { name: 'Next: Message' }).click();
      await page.getByRole('button', { name: 'As a text message' }).click();
      const body = page.getByRole('textbox', { name: 'Message' });
      await body.click();
      await page.keyboard.press('Control+a');
      await page.keyboard.type('The walk is on Friday “at nine”.');
      await page.getByText(/makes it dear/).waitFor();
      await page.keyboard.press('Control+a');
      await page.keyboard.type('The walk is on Friday at nine.');
      await page.getByText('1 part without its facts; 130 letters more fit in.').waitFor();
      await accessible(page, 'a text mailing being written');
      await page.getByRole('button', { name: 'Next: Checks' }).click();
      await page.getByText('1 part, GBP 0.04').waitFor();
      await page.getByText('It goes in one part, and costs about GBP 0.04 in all.').waitFor();
      await accessible(page, 'the checks of a text mailing');
      await firm.db('staff').update({ phone: '07700 900140' });
      await page.getByRole('button', { name: 'Send a test copy' }).click();
      await page.getByText(/A test copy is on its way/).waitFor();
      await page.getByRole('button', { name: 'Next: Timing' }).click();
      await page.getByRole('button', { name: 'Next: Release' }).click();
      await page.getByRole('button', { name: 'Release 1 message…' }).click();
      await page.getByRole('button', { name: 'Let them go' }).click();
      await until('it has left', async () => {
        const row = await firm.db('dispatch').where({ kind: 'text mailing' }).first('state');
        return row?.state === 'sent';
      });
      firm.world.gateway.answer('+447700900601', 'We shall be there.');
      await page.goto(`${address}/clients/${client.id}`);
      await page.getByText('The walk is on Friday at nine.').waitFor();
      await page.getByText('We shall be there.').waitFor({ timeout: 40_000 });
      await page.goto(`${address}/mailings`);
      await page.getByText('1 answer').first().waitFor();
    } finally {
      await outside.close();
    }
  });

  it('finds in the reckoning what somebody deleted on the server, and says yesterday is accounted for', async () => {
    const { page, address, firm } = office;
    const box = 'ines.calder@quillhurst.example';
    deliver(firm, box, 'gone@reckoned.example');
    const message = async () => firm.db('message').where({ message_id: 'gone@reckoned.example' }).first('id');
    await until('it is taken in', async () => (await message()) !== undefined, 40);
    const id = (await message())?.id ?? 0;
    const copy = await one(firm.db('message_copy').where({ message_id: id }).first('uid'));
    firm.world
      .account(box)
      ?.folder('INBOX')
      ?.expunge([Number(copy.uid)]);
    await until(
      'that it is gone is noticed',
      async () => (await firm.db('copy_gone').where({ message_id: id }).first('id')) !== undefined,
      40,
    );
    await page.goto(`${address}/reckoning`);
    await page.getByRole('heading', { name: 'The reckoning' }).waitFor();
    await page.getByRole('textbox', { name: 'Another day' }).fill('today');
    await page.getByRole('textbox', { name: 'Another day' }).press('Enter');
    await page.getByText('Taken in, and deleted on the server since').waitFor({ timeout: 40_000 });
    await accessible(page, 'a day with a difference');
    await page.getByRole('button', { name: /gone@reckoned/ }).click();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('button', { name: 'Seen to' }).click();
    await page.getByText('everything of this day is accounted for').waitFor();
    const day = DateTime.now().setZone('Europe/London').minus({ days: 1 }).toISODate() ?? '';
    await page.getByRole('textbox', { name: 'Another day' }).fill(day);
    await page.getByRole('textbox', { name: 'Another day' }).press('Enter');
    await until(
      'yesterday is counted',
      async () => {
        const row = await firm.db('reckoning').where({ day }).first('state');
        return row?.state === 'done';
      },
      40,
    );
    await page.goto(`${address}/`);
    await page.getByRole('link', { name: 'Everything of yesterday is accounted for.' }).waitFor();
  });
});
