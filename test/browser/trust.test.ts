import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import { EXCHANGE } from '../../outside/vouch.ts';
import { deliver, until, one } from '../server/helpers.ts';
import { accessible, openOffice, signIn, type BrowserOffice } from './office.ts';

const MAREN = 'maren.okell@quillhurst.example';

describe('what is believed, in the browser', function () {
  this.timeout(120_000);
  let office: BrowserOffice;
  const taken = (id: string) =>
    until(
      'it is taken in',
      async () => (await office.firm.db('message').where({ message_id: id }).first('id')) !== undefined,
      40,
    );
  before(async () => {
    office = await openOffice({ clients: 12, files: 20 }, { waitScale: 1 });
    await signIn(office);
    await until(
      'all six are in step',
      async () => (await countOf(office.firm.db('mailbox').whereNotNull('in_step_at'))) === 6,
      60,
    );
  });
  after(() => office.close());

  it('says in Sorting who may have written a message, and shows the other that bears the same marks', async () => {
    const { page, firm, address } = office;
    const client: { email: string; first_name: string; last_name: string } = await firm
      .db('address')
      .join('person', 'person.id', 'address.person_id')
      .where({ current: 1 })
      .first('email', 'first_name', 'last_name');
    const from = `${client.first_name} ${client.last_name} <${client.email}>`;
    const fail = { 'Authentication-Results': `${EXCHANGE}; dmarc=fail` };
    deliver(firm, MAREN, 'bank@evil.example', {
      headers: { From: from, Subject: 'New bank details', ...fail },
    });
    const same = {
      From: '"Maren Okell <maren@quillhurst.example>" <boss@evil.example>',
      Date: new Date().toUTCString(),
    };
    deliver(firm, MAREN, 'same@evil.example', {
      headers: { ...same, Subject: 'Our offer' },
      text: 'It is ten.',
    });
    await taken('same@evil.example');
    deliver(firm, MAREN, 'same@evil.example', {
      headers: { ...same, Subject: 'Our notice' },
      text: 'Three days.',
    });
    await until(
      'both are',
      async () => (await firm.db('message').where({ message_id: 'same@evil.example' })).length === 2,
    );
    await page.goto(`${address}/sorting`);
    await page.getByRole('button', { name: /New bank details/ }).click();
    const notes = page.getByRole('note', { name: 'Before you believe it' });
    await notes.getByText(/The receiving server found that this is not from/).waitFor();
    expect(await page.locator('.likely, .choices').first().textContent()).to.not.contain('nearly certain');
    await accessible(page, 'Sorting with a forged letter');
    await page.getByRole('button', { name: /Our notice/ }).click();
    await notes.getByText(/holds another address; it came from boss@evil.example/).waitFor();
    await notes.getByRole('button', { name: 'See it' }).click();
    await page.getByRole('dialog').getByText('It is ten.').waitFor();
    await page.keyboard.press('Escape');
  });

  it('takes a message out of a conversation and puts it back, and makes two one', async () => {
    const { page, firm, address } = office;
    const kit = 'Kit Tarn <kit@tarn.example>';
    // The oldest of them names the conversation.
    const ago = (minutes: number) => new Date(Date.now() - minutes * 60_000).toUTCString();
    deliver(firm, MAREN, 'gate1@tarn.example', { headers: { From: kit, Subject: 'The gate' } });
    await taken('gate1@tarn.example');
    deliver(firm, MAREN, 'gate2@tarn.example', {
      headers: { From: kit, Subject: 'The fence', Date: ago(2), 'In-Reply-To': '<gate1@tarn.example>' },
    });
    deliver(firm, MAREN, 'gate3@tarn.example', {
      headers: { From: kit, Subject: 'The stile', Date: ago(1) },
    });
    await taken('gate3@tarn.example');
    await page.goto(`${address}/mail?q=kit`);
    const line = (subject: string) => page.locator('.line', { hasText: subject }).first();
    await line('The gate').locator('.body').click();
    await page.getByRole('button', { name: /The rest of this conversation: 1 message/ }).click();
    await page.getByRole('button', { name: 'does not belong here' }).click();
    await page.getByText(/is a conversation of its own now/).waitFor();
    await page.getByRole('button', { name: 'Put it back' }).click();
    await page.getByRole('button', { name: /The rest of this conversation: 1 message/ }).waitFor();
    const conversations = async (...ids: string[]) =>
      (await firm.db('message').whereIn('message_id', ids).distinct('conversation_id')).length;
    await until(
      'it is put back',
      async () => (await conversations('gate1@tarn.example', 'gate2@tarn.example')) === 1,
    );
    await page.keyboard.press('Escape');
    await line('The fence').getByRole('checkbox').check();
    await line('The stile').getByRole('checkbox').check();
    await page.getByRole('button', { name: 'One conversation' }).click();
    await page.getByText(/are one conversation now/).waitFor();
    const all = ['gate1@tarn.example', 'gate2@tarn.example', 'gate3@tarn.example'];
    await until('all are one', async () => (await conversations(...all)) === 1);
  });

  it('asks before a rush of dead addresses is switched off', async () => {
    const { page, firm, address } = office;
    const about = await one(firm.db('message').where({ message_id: 'gate1@tarn.example' }).first('id'));
    const keys: string[] = await firm.db('address').limit(3).pluck('email_key');
    for (const key of keys)
      await firm.db('return_report').insert({
        message_id: about.id,
        email_key: key,
        email: key,
        kind: 'hard',
        why: 'the address does not exist',
        at: new Date(),
        noted_at: new Date(),
        state: 'held',
      });
    await page.goto(address);
    await page.getByText('addresses reported dead in a rush').waitFor();
    await page.goto(`${address}/returned`);
    await page.getByText('3 addresses reported dead within an hour.').waitFor();
    await accessible(page, 'Returned messages with a rush');
    await page.getByRole('button', { name: 'Switch them off' }).click();
    await page.getByText('3 addresses switched off.').waitFor();
    expect(await firm.db('address').whereIn('email_key', keys).whereNull('returned_at')).to.have.lengthOf(0);
  });

  it('keeps whom a mailbox believes, and says how long anything held the server', async () => {
    const { page, firm, address } = office;
    const box = await one(firm.db('mailbox').where({ address: MAREN }).first('id'));
    await page.goto(`${address}/mailboxes/${box.id}`);
    const vouches = page.getByRole('region', { name: 'Who vouches for senders' });
    await vouches.getByRole('checkbox', { name: new RegExp(EXCHANGE) }).uncheck();
    await accessible(page, 'The settings of a mailbox');
    await vouches.getByRole('button', { name: 'Keep' }).click();
    await page.getByText('Kept: who is believed.').waitFor();
    expect(await firm.db('mailbox_server').where({ mailbox_id: box.id, believed: 1 })).to.have.lengthOf(0);
    await vouches.getByRole('checkbox', { name: new RegExp(EXCHANGE) }).check();
    await vouches.getByRole('button', { name: 'Keep' }).click();
    await until(
      'it is believed again',
      async () => (await firm.db('mailbox_server').where({ mailbox_id: box.id, believed: 1 })).length === 1,
    );
    await page.goto(`${address}/mailboxes`);
    await page.getByText(/In the last hour nothing held this server longer than/).waitFor();
  });

  it('loses no words by Escape: once something was typed a dialog is left by its answers alone', async () => {
    const { page, address } = office;
    await page.goto(`${address}/filing`);
    const dialog = page.getByRole('dialog', { name: 'A rule' });
    const which = dialog.getByRole('textbox', { name: 'Which' });
    const begin = async () => {
      await page.getByRole('button', { name: 'Make a rule…' }).click();
      await which.waitFor();
    };
    await begin();
    await page.keyboard.press('Escape');
    await dialog.waitFor({ state: 'hidden' });
    await begin();
    await which.fill('kelp.example');
    await page.keyboard.press('Escape');
    // Time enough for it to have closed.
    await page.waitForTimeout(600);
    expect(await which.inputValue()).to.equal('kelp.example');
    await dialog.getByRole('button', { name: 'Leave it' }).click();
    await dialog.waitFor({ state: 'hidden' });
    await begin();
    await page.keyboard.press('Escape');
    await dialog.waitFor({ state: 'hidden' });
  });

  it('changes a password, and signs out everywhere', async () => {
    const { page, address } = office;
    await page.goto(address);
    await page.getByRole('button', { name: 'Maren Okell' }).click();
    await page.getByText('Your account').click();
    await page.getByLabel('Your present password').fill('wrong');
    await page.getByLabel('A new one, ten letters or more').fill('short');
    await page.getByRole('button', { name: 'Change it' }).click();
    await page.getByText('Ten letters or more, please.').waitFor();
    await page.getByLabel('A new one, ten letters or more').fill('a longer one, surely');
    await page.getByRole('button', { name: 'Change it' }).click();
    await page.getByText('That is not your present password.').waitFor();
    await accessible(page, 'One’s account');
    await page.getByRole('button', { name: 'Sign out everywhere' }).click();
    await page.getByRole('button', { name: 'Sign in' }).waitFor();
  });
});
