import { buildMessage } from '../../server/reading/build.ts';
import { randomBytes } from 'node:crypto';
import MailComposer from 'nodemailer/lib/mail-composer';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { boundedHtml } from '../../core/message/html.ts';
import type { StaffMember } from '../../contract/index.ts';
import { makeWorld } from '../../demo/load.ts';
import { Account } from '../../outside/store.ts';
import { readMessage } from '../../core/message/read.ts';
import { composeMessage } from '../../server/mailing/compose.ts';
import { createMailing, deleteMailing, listMailings, saveMailing } from '../../server/mailing/mailings.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { factCatalogue } from '../../server/facts/gather.ts';
import { framePolicy, safeHtml } from '../../server/security/html.ts';
import { hashPassword, passwordFits } from '../../server/security/passwords.ts';
import { enclose } from '../../server/mailing/enclosures.ts';
import { mailingDraft, words } from './drafts.ts';
import { one, openFirm, until, type TestFirm } from './helpers.ts';
import { previewMailing, sendTest, checkMailing } from '../../server/mailing/checking.ts';

const maren: StaffMember = {
  id: 1,
  name: 'Maren Okell',
  email: 'maren.okell@quillhurst.example',
  role: 'manager',
};

describe('writing a mailing', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 20, files: 34 });
  });
  after(() => firm.close());
  const say = (work: Promise<unknown>) => work.then(() => 'done').catch((error: Error) => error.message);

  it('begins with something sensible, is kept by version, and copied', async () => {
    const id = await createMailing(firm.db, maren, { copyOf: null });
    const view = await viewMailing(firm.db, id);
    expect([view.state, view.owner, view.draft.selection.of.length]).to.deep.equal([
      'draft',
      'Maren Okell',
      1,
    ]);
    expect(await saveMailing(firm.db, id, { ...view.draft, name: 'First' }, view.version)).to.equal(
      view.version + 1,
    );
    const copy = await viewMailing(firm.db, await createMailing(firm.db, maren, { copyOf: id }));
    expect(copy.draft.name).to.equal('Copy of First');
    expect((await listMailings(firm.db, 0, 50)).map((row) => row.name)).to.include.members([
      'First',
      'Copy of First',
    ]);
    expect(await say(createMailing(firm.db, maren, { copyOf: 999 }))).to.contain('not here any more');
  });

  it('is thrown away only while it is a draft, and leaves an audit line', async () => {
    const id = await createMailing(firm.db, maren, { copyOf: null });
    await deleteMailing(firm.db, maren, id);
    expect(await say(viewMailing(firm.db, id))).to.contain('not here any more');
    const lines = await firm
      .db('audit')
      .where({ subject: 'mailing', subject_id: id })
      .orderBy('id')
      .pluck('action');
    expect(lines).to.deep.equal(['begun', 'thrown away']);
    const finished = await createMailing(firm.db, maren, { copyOf: null });
    await firm.db('mailing').where({ id: finished }).update({ state: 'finished' });
    expect(await say(deleteMailing(firm.db, maren, finished))).to.contain('Only a draft');
  });

  it('is previewed as the very message each recipient gets, with what is missing', async () => {
    const { order, missing } = await checkMailing(firm.db, 2);
    const previews = await Promise.all(
      order.slice(0, 5).map((clientId) => previewMailing(firm.context, 2, clientId)),
    );
    expect(new Set(previews.map((preview) => preview.to)).size).to.equal(previews.length);
    for (const preview of previews) {
      expect(preview.html).to.contain('12 December').and.not.contain('{{');
      expect(preview.text).to.contain('- your holding number');
    }
    for (const gap of missing) expect(gap.label).to.equal('Greeting');
    expect(await say(previewMailing(firm.context, 2, '9999-1'))).to.contain('not here any more');
  });

  it('warns when the words for all, or an enclosure by its name or text, speak of one client’s file', async () => {
    const id = await createMailing(firm.db, maren, { copyOf: null });
    const file = await one(firm.db('file').where({ general: 0 }).orderBy('id').first('number', 'client_id'));
    const draft = mailingDraft({
      body: words(`As we wrote about ${file.number}.`),
      subject: words('A word'),
    });
    await saveMailing(firm.db, id, draft, 1);
    expect((await checkMailing(firm.db, id)).remarks.join()).to.contain(`${file.number} is a file of`);
    await saveMailing(firm.db, id, { ...draft, body: words('As we wrote.') }, 2);
    expect((await checkMailing(firm.db, id)).remarks.join()).to.not.contain('is a file of');
    const content = Buffer.from('x');
    await enclose(firm.db, id, { filename: `Plan ${file.number}.pdf`, type: 'application/pdf', content });
    expect((await checkMailing(firm.db, id)).remarks.join()).to.contain(`${file.number} is a file of`);
    // In the text of one it is found as well.
    await firm.db('mailing_enclosure').where({ mailing_id: id }).delete();
    await enclose(firm.db, id, {
      filename: 'Plan.csv',
      type: 'text/csv',
      content: Buffer.from(`Field,File\nLong acre,${file.number}\n`),
    });
    expect((await checkMailing(firm.db, id)).remarks.join()).to.contain(`${file.number} is a file of`);
    // To that client alone it may be said.
    const only = { ...draft.selection, only: [file.client_id] };
    await saveMailing(firm.db, id, { ...draft, selection: only }, 3);
    expect((await checkMailing(firm.db, id)).remarks.join()).to.not.contain('is a file of');
  });

  it('sends a test copy to the person at the desk only', async () => {
    const { order } = await checkMailing(firm.db, 2);
    await sendTest(firm.context, maren, 2, { key: order[0] ?? '' });
    const inbox = firm.world.account(maren.email)?.folder('INBOX');
    await until(
      'it has come',
      async () =>
        inbox?.messages.some(
          (kept) => !kept.flags.has('\\Seen') && Date.now() - kept.internalDate.getTime() < 20_000,
        ) ?? false,
    );
    const read = await readMessage(inbox?.read(inbox.messages.at(-1)!) ?? Buffer.alloc(0));
    expect(read.subject).to.equal('Woodland grant window closes 12 December');
    expect(read.to.map((to) => to.address)).to.deep.equal([maren.email]);
    expect([...firm.world.counts().values()]).to.deep.equal([]);
    expect((await viewMailing(firm.db, 2)).testedAt).to.be.a('string');
  });

  it('offers the fields there are', async () => {
    expect((await factCatalogue(firm.db)).map(({ key }) => key)).to.include.members([
      'greeting',
      'client.name',
      'field:3',
    ]);
  });
});

describe('the bytes of a message', () => {
  const doc = (words: string) => ({
    type: 'doc',
    content: [{ type: 'paragraph', content: [{ type: 'text', text: words }] }],
  });
  const envelope = {
    from: { name: 'Béatrice', address: 'b@firm.example' },
    to: { name: 'A, "B"', address: 'a@x.example' },
    messageId: 'fixed@firm.example',
    date: new Date('2026-11-02T10:00:00Z'),
    optOut: null,
    counting: null,
    frame: null,
  };

  it('are the same for the same words, and read back as they were meant', async () => {
    const [one, two] = await Promise.all(
      [1, 2].map(() =>
        composeMessage(doc('Über die Wiese'), doc('Zeilen – mit Strich'), { words: {} }, envelope),
      ),
    );
    expect(one?.raw.equals(two?.raw ?? Buffer.alloc(0))).to.equal(true);
    const read = await readMessage(one?.raw ?? Buffer.alloc(0));
    expect([read.subject, read.from, read.to[0], read.messageId]).to.deep.equal([
      'Über die Wiese',
      envelope.from,
      envelope.to,
      'fixed@firm.example',
    ]);
    expect(read.text.trim()).to.equal('Zeilen – mit Strich');
    expect(read.date?.toISOString()).to.equal('2026-11-02T10:00:00.000Z');
    expect(one?.raw.toString('latin1')).to.not.match(/[^\r]\n/);
  });

  it('are those that Nodemailer makes of the whole, though what many copies carry is encoded once', async () => {
    const message = Buffer.from('From: a@b.example\r\nSubject: é\r\n\r\nHi\r\n');
    const attachments = [
      { filename: 'gate.png', contentType: 'image/png', content: randomBytes(5000), cid: 'gate@b.example' },
      { filename: 'Bäume und mehr.pdf', contentType: 'application/pdf', content: randomBytes(3001) },
      { filename: 'n.txt', contentType: 'text/plain', content: Buffer.from('a\nb – c\n') },
      { filename: 'c.ics', contentType: 'text/calendar', content: Buffer.from('BEGIN:VCALENDAR\r\n') },
      { filename: 'handed on.eml', contentType: 'message/rfc822', content: message },
      { filename: 'nothing.txt', contentType: 'text/plain', content: Buffer.alloc(0) },
    ];
    const parts = {
      from: { name: 'A', address: 'a@b.example' },
      to: [{ name: 'C', address: 'c@d.example' }],
      ...{ subject: 'The gate', text: 'x', html: '<p>x</p>', date: new Date(0), attachments },
    };
    const whole = await new MailComposer({
      ...{ ...parts, messageId: '<x@y>', baseBoundary: 'abc', newline: 'windows' },
    } as ConstructorParameters<typeof MailComposer>[0])
      .compile()
      .build();
    for (let time = 0; time < 2; time++)
      expect((await buildMessage({ ...parts, messageId: 'x@y', boundary: 'abc' })).equals(whole)).to.equal(
        true,
      );
  });

  it('cannot be given another header by a name or subject', async () => {
    const { raw } = await composeMessage(
      doc('x\r\nBcc: all@x.example'),
      doc('y'),
      { words: {} },
      { ...envelope, to: { name: 'n\r\nBcc: all@x.example', address: 'a@x.example' } },
    );
    const read = await readMessage(raw);
    expect([read.bcc, read.headers.get('bcc')]).to.deep.equal([[], undefined]);
  });
});

describe('small print of security', () => {
  it('keeps harmless looks and in-place pictures of a message, and blocks the rest', () => {
    const picture = {
      filename: 'a.png',
      mimeType: 'image/png',
      contentId: 'p1',
      inline: true,
      size: 3,
      content: new Uint8Array([1, 2, 3]),
    };
    const html = safeHtml(
      '<p style="color:red;position:fixed">a</p><img src="cid:p1"><img src="cid:none"><img src="//x.example/a.png">',
      [picture],
      true,
    );
    expect(html)
      .to.contain('color:red')
      .and.contain('data:image/png;base64,AQID')
      .and.not.contain('position')
      .and.not.contain('cid:')
      .and.not.contain('x.example');
    expect([
      boundedHtml('<img src="https://x.example/a">').remotePictures,
      boundedHtml('<img src="cid:a">').remotePictures,
    ]).to.deep.equal([true, false]);
    expect(framePolicy(false)).to.not.contain('https:');
  });
  it('shows a mailing as it was meant to look: colours behind letters, hidden words hidden, no title', () => {
    const shown = (html: string) => safeHtml(html, [], false);
    expect(shown('<html><head><title>News</title></head><body><p>a</p></body></html>')).to.equal('<p>a</p>');
    for (const [style, kept] of [
      ['background:#0057b8;color:#fff', 'background-color:#0057b8;color:#fff'],
      ['color:#fff;BACKGROUND: Navy', 'color:#fff;background-color:Navy'],
      ['background:#fff url(https://x.example/red.png) no-repeat', 'background-color:#fff'],
      ['background:no-repeat rgb(1, 2, 3)', 'background-color:rgb(1, 2, 3)'],
      ['display:none;max-height:0;overflow:hidden', 'display:none;max-height:0;overflow:hidden'],
      ['background:url(https://red.example/a)', ''],
      ['display:flex', ''],
    ])
      expect(shown(`<p style="${style}">a</p>`), style).to.equal(
        kept ? `<p style="${kept}">a</p>` : '<p>a</p>',
      );
  });
  it('checks passwords against Argon2id hashes', async () => {
    const stored = await hashPassword('open the gate');
    expect(stored).to.match(/^\$argon2id\$/);
    expect([
      await passwordFits(stored, 'open the gate'),
      await passwordFits(stored, 'open the gates'),
      await passwordFits('broken', 'x'),
    ]).to.deep.equal([true, false, false]);
  });
});

describe('the demo firm', () => {
  it('is the firm it is meant to be, the same from the same seed and day', async () => {
    const now = new Date('2026-11-24T09:00:00Z');
    const dirs = [1, 2].map(() => mkdtempSync(join(tmpdir(), 'patient-clerk-demo-')));
    const [one, two] = await Promise.all(dirs.map((dir) => makeWorld(dir, { seed: 'quillhurst', now })));
    expect(one).to.deep.equal(two);
    expect([one?.clients.length, one?.clients.flatMap((client) => client.files).length]).to.deep.equal([
      212, 388,
    ]);
    const emails =
      one?.clients.flatMap((client) =>
        client.people.flatMap((person) => person.addresses.map((address) => address.email)),
      ) ?? [];
    expect(emails.every((email) => email.endsWith('.example'))).to.equal(true);
    expect(new Set(one?.clients.flatMap((client) => client.files.map((file) => file.number))).size).to.equal(
      388,
    );
    const kept = dirs.map((dir) => {
      const account = new Account(
        'ines.calder@quillhurst.example',
        '',
        join(dir, 'accounts', 'ines.calder@quillhurst.example'),
      );
      const ids = account.all().flatMap((folder) => folder.messages.map((message) => message.messageId));
      account.close();
      return ids;
    });
    expect(kept[0]?.length).to.be.greaterThan(400);
    expect(kept[0]).to.deep.equal(kept[1]);
    for (const dir of dirs) rmSync(dir, { recursive: true, force: true });
  });
});
