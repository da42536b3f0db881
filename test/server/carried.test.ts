import { deflateSync } from 'node:zlib';
import { expect } from 'chai';
import { simpleParser } from 'mailparser';
import { DraftBegin, FrameSettings, type MailingDraft } from '../../contract/index.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { select } from '../../server/foundation/rows.ts';
import { packRaw, readRaw, storeRaw } from '../../server/foundation/sources.ts';
import { keysOf } from '../../server/mailing/domain.ts';
import { checkMailing, previewMailing, sendTest } from '../../server/mailing/checking.ts';
import { enclose, listEnclosures, takeOff } from '../../server/mailing/enclosures.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { outgoing } from '../../server/parts.ts';
import { readableBy } from '../../server/correspondence/access.ts';
import { changeCopy, dropCopy, readCopy } from '../../server/mailing/ownCopies.ts';
import { readFirm } from '../../server/foundation/firm.ts';
import { changeFirm } from '../../server/office/settings.ts';
import { beginDraft } from '../../server/writing/begin.ts';
import { composeDraft } from '../../server/writing/compose.ts';
import { tryFrame } from '../../server/writing/frame.ts';
import { keepPicture } from '../../server/writing/pictures.ts';
import { begunMailing, letGo, mailingDraft, releaseAsChecked, words } from './drafts.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

/** A picture of one grey point (PNG, 3rd edition: signature, IHDR, IDAT, IEND). */
function point(): Buffer {
  const crc = (bytes: Buffer) => {
    let value = ~0;
    for (const byte of bytes) {
      value ^= byte;
      for (let bit = 0; bit < 8; bit++) value = value & 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1;
    }
    return ~value >>> 0;
  };
  const chunk = (type: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(type, 'latin1'), data]);
    const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)];
    length.writeUInt32BE(data.length);
    sum.writeUInt32BE(crc(body));
    return Buffer.concat([length, body, sum]);
  };
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk('IHDR', Buffer.from([0, 0, 0, 1, 0, 0, 0, 1, 8, 0, 0, 0, 0])),
    chunk('IDAT', deflateSync(Buffer.from([0, 128]))),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

describe('what a mailing carries, and from whom it comes', () => {
  let firm: TestFirm;
  const say = (work: Promise<unknown>) =>
    work.then(
      () => 'done',
      (error: Error) => error.message,
    );
  before(async () => {
    firm = await openFirm({ clients: 20, files: 30, conversationsPerClient: 0.1 });
    await firm.sync();
  });
  after(() => firm.close());

  const begun = (instead: Partial<MailingDraft>) => begunMailing(firm, instead);
  async function released(id: number) {
    await releaseAsChecked(firm, id);
    return letGo(firm, id);
  }
  /** Where the copies of a mailing stand on record, once all of them do. */
  async function onRecord(id: number) {
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    const sent = () => firm.db('dispatch').where('dispatch.mailing_id', id).where('dispatch.state', 'sent');
    await until('all are on record', async () => {
      await worker.work();
      return !(await sent().whereNull('logged_message_id').first('id'));
    });
    await worker.stop();
    return select(sent().join('message', 'message.id', 'dispatch.logged_message_id'), {
      dispatch_id: 'dispatch.id',
      id: 'message.id',
      state: 'message.state',
      reason: 'message.reason',
    });
  }
  const mailOf = async (row: { raw_hash: Buffer | null }) =>
    simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)));

  it('carries its pictures within it (RFC 2387, 2392) and its enclosures beside it, in every copy, by an independent parser', async () => {
    const hash = await keepPicture(firm.db, MANAGER.id, point());
    expect(await keepPicture(firm.db, MANAGER.id, point())).to.equal(hash);
    const body: MailingDraft['body'] = {
      type: 'doc',
      content: [
        { type: 'picture', attrs: { hash, alt: 'A point', width: 20 } },
        // Kept nowhere: left out, and nothing else.
        { type: 'picture', attrs: { hash: 'ef'.repeat(32), alt: '', width: 20 } },
        ...(words('Enclosed: the plan.').content ?? []),
      ],
    };
    const { id } = await begun({ body });
    // Larger than what is held in the queue.
    const content = Buffer.from('the plan, ümlaut\n'.repeat(25_000));
    await enclose(firm.db, id, { filename: '../der Plän\r\nBcc: x.txt', type: 'text/plain', content });
    const rows = await released(id);
    for (const row of rows.slice(0, 3)) {
      const raw = await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0));
      const source = raw.toString('latin1');
      expect(source.toLowerCase()).to.contain(`content-id: <${hash.slice(0, 32)}@picture>`);
      expect(source).to.not.match(/^Bcc:/im);
      // What a parser gives back is the picture itself, drawn where the text has it.
      const mail = await simpleParser(raw, { skipImageLinks: true });
      expect(String(mail.html)).to.contain(`src="cid:${hash.slice(0, 32)}@picture" alt="A point"`);
      const [picture, plan] = [
        mail.attachments.find((part) => part.related),
        mail.attachments.find((part) => !part.related),
      ];
      expect(picture?.content.equals(point())).to.equal(true);
      expect([picture?.contentType, plan?.filename, plan?.content.equals(content)]).to.deep.equal([
        'image/png',
        '.. der Plän  Bcc: x.txt',
        true,
      ]);
      expect(mail.text).to.contain('[A point]');
    }
  });

  it('stands in the firm’s frame, whose logo travels with every copy, and below signatures where that is wanted', async () => {
    const logo = await keepPicture(firm.db, MANAGER.id, point());
    const settings = { logo, logoWidth: 90, colour: '#7A5208', footer: 'Company 01234567', signatures: true };
    expect(FrameSettings.safeParse({ ...settings, colour: '#CFA75E' }).error?.issues[0]?.message).to.contain(
      'hardly be read',
    );
    const { frame: before } = await readFirm(firm.db);
    await changeFirm(firm.db, MANAGER.id, { before: { frame: before }, after: { frame: settings } });
    expect((await tryFrame(firm.db, settings)).html)
      .to.contain('data:image/png')
      .and.contain('#7A5208');
    const { id } = await begun({ framed: true, body: words('News.') });
    await firm.db('mailing').where({ id }).update({ tested_at: new Date() });
    const { version } = await viewMailing(firm.db, id);
    await saveMailing(firm.db, id, mailingDraft({ framed: true, body: words('News.') }), version);
    expect((await viewMailing(firm.db, id)).testedAt, 'the same as before').to.not.equal(null);
    const [row] = await released(id);
    const mail = await simpleParser(await readRaw(firm.db, row?.raw_hash ?? Buffer.alloc(0)), {
      skipImageLinks: true,
    });
    expect(String(mail.html))
      .to.contain(`src="cid:${logo.slice(0, 32)}@picture"`)
      .and.contain('Company 01234567');
    expect(mail.attachments.map(({ content }) => content.equals(point()))).to.deep.equal([true]);
    expect(mail.text).to.contain('Company 01234567');
    const draftId = await beginDraft(firm.context, MANAGER.id, DraftBegin.parse({}));
    const letter = async () =>
      simpleParser(
        await composeDraft(firm.db, await one(firm.db('draft').where({ id: draftId }).first()), new Date()),
        { skipImageLinks: true },
      );
    expect(String((await letter()).html)).to.contain(`alt="Quillhurst Land Advisers" width="90"`);
    await firm.db('draft').where({ id: draftId }).update({ plain: 1 });
    expect((await letter()).attachments).to.deep.equal([]);
  });

  it('says something else in one copy, changed by hand, and is logged where that was chosen', async () => {
    const { id } = await begun({
      body: words('To all.'),
      plain: words('Plainly to all.'),
      fileChoice: 'private',
    });
    const { order } = await checkMailing(firm.db, id);
    const [key = '', other = ''] = order;
    const body: MailingDraft['body'] = {
      type: 'doc',
      content: [
        {
          type: 'paragraph',
          content: [
            { type: 'text', text: 'To you alone, of ' },
            { type: 'mergeField', attrs: { field: 'client.name', fallback: '', format: '' } },
          ],
        },
      ],
    };
    expect((await readCopy(firm.db, id, key)).own).to.equal(false);
    await changeCopy(firm.db, MANAGER, id, key, { subject: words('A word apart'), body });
    await changeCopy(firm.db, MANAGER, id, other, { subject: words('Another'), body });
    expect(await readCopy(firm.db, id, key)).to.deep.equal({
      own: true,
      subject: words('A word apart'),
      body,
    });
    expect((await checkMailing(firm.db, id)).own.map((row) => row.key)).to.deep.equal([key, other]);
    await dropCopy(firm.db, id, other);
    const client = await one(
      firm
        .db('client')
        .where({ id: Number(key.split('-')[0]) })
        .first(),
    );
    const seen = await previewMailing(firm.context, id, key);
    expect(seen).to.deep.include({ own: true, subject: 'A word apart' });
    expect(seen.text).to.contain(`To you alone, of ${client.name}`).and.not.contain('Plainly');
    expect((await previewMailing(firm.context, id, other)).text).to.contain('Plainly to all');
    expect(await say(changeCopy(firm.db, MANAGER, id, '99999-1', { subject: body, body }))).to.contain(
      'not here',
    );
    const rows = await released(id);
    expect(await say(changeCopy(firm.db, MANAGER, id, key, { subject: body, body }))).to.contain(
      'Only a draft',
    );
    const apart = rows.filter((row) => `${row.client_id}-${row.person_id}` === key);
    expect(apart).to.have.length(1);
    for (const row of rows.slice(0, 4)) {
      const { subject, text } = await mailOf(row);
      expect([subject, text?.trim().split('\n')[0]]).to.deep.equal(
        row === apart[0]
          ? ['A word apart', `To you alone, of ${client.name}`]
          : ['A word', 'Plainly to all.'],
      );
    }
    // Private to whoever it comes from and whoever released it.
    const logged = await onRecord(id);
    expect(new Set(logged.map(({ state }) => state))).to.deep.equal(new Set(['private']));
    expect(new Set(rows.map(({ file_id }) => file_id))).to.deep.equal(new Set([null]));
    const message = logged[0]!;
    const reads = async (staffId: number) => {
      const found = readableBy(firm.db, firm.db('message').where('message.id', message.id), staffId);
      return (await found.first('message.id')) !== undefined;
    };
    expect(await reads(MANAGER.id)).to.equal(true);
    const box = rows.find((row) => row.id === message.dispatch_id)?.mailbox_id ?? 0;
    const owner = await one(firm.db('mailbox').where({ id: box }).first('staff_id'));
    const strangers: number[] = await firm
      .db('staff')
      .whereNotIn('id', [MANAGER.id, owner.staff_id])
      .pluck('id');
    expect(strangers).to.not.have.length(0);
    for (const each of strangers) expect(await reads(each), `staff ${each}`).to.equal(false);
    const nowhere = await begun({ fileChoice: 'nowhere' });
    await released(nowhere.id);
    for (const { state, reason } of await onRecord(nowhere.id))
      expect([state, reason]).to.deep.equal(['aside', 'mailing']);
  });

  it('shows pictures in its preview without asking anybody for them', async () => {
    const hash = await keepPicture(firm.db, MANAGER.id, point());
    const { id } = await begun({
      body: { type: 'doc', content: [{ type: 'picture', attrs: { hash, alt: 'x' } }] },
    });
    const { order } = await checkMailing(firm.db, id);
    const { html, source } = await previewMailing(firm.context, id, order[0] ?? '');
    expect(html)
      .to.contain(`src="data:image/png;base64,${point().toString('base64')}"`)
      .and.not.contain('cid:');
    expect(source).to.contain('multipart/related').and.contain('Message-ID:');
  });

  it('takes nothing that is no picture, nothing too large, and nothing once it is released', async () => {
    expect(await say(keepPicture(firm.db, MANAGER.id, Buffer.from('<svg onload=x>')))).to.contain(
      'no picture',
    );
    const large = Buffer.concat([point(), Buffer.alloc(3 * 1024 * 1024)]);
    expect(await say(keepPicture(firm.db, MANAGER.id, large))).to.contain('3 MB');
    const { id } = await begun({});
    const file = (bytes: number) => ({ filename: 'a', type: 'x/y', content: Buffer.alloc(bytes, 'a') });
    expect(await say(enclose(firm.db, id, file(0)))).to.contain('empty');
    await enclose(firm.db, id, file(6 * 1024 * 1024));
    expect(await say(enclose(firm.db, id, file(6 * 1024 * 1024)))).to.contain('10 MB');
    const [kept] = await listEnclosures(firm.db, id);
    await firm.db('mailing').where({ id }).update({ tested_at: new Date() });
    await takeOff(firm.db, id, kept?.id ?? 0);
    expect((await viewMailing(firm.db, id)).testedAt).to.equal(null);
    await firm.db('mailing').where({ id }).update({ state: 'going' });
    expect(await say(enclose(firm.db, id, file(10)))).to.contain('Only a draft');
    await firm.db('mailing').where({ id }).update({ state: 'draft' });
    await enclose(firm.db, id, file(10));
    const copy = await createMailing(firm.db, MANAGER, { copyOf: id });
    expect((await listEnclosures(firm.db, copy)).map(({ size }) => size)).to.deep.equal([10]);
  });

  it('knows the key that its mail is signed with from mail between colleagues (RFC 6376, 3.5)', async () => {
    const signed = (domain: string, key: string) =>
      Buffer.from(
        [
          `DKIM-Signature: v=1; a=rsa-sha256; c=relaxed/relaxed; d=${domain};`,
          `\ts=${key}; h=from:to:subject; bh=abc; b=def`,
          'From: Maren <maren@firm.co.uk>',
          'To: Petra <petra@firm.co.uk>',
          'Subject: A test copy',
          'Message-ID: <signed@firm.co.uk>',
          '',
          'Words.',
          '',
        ].join('\r\n'),
      );
    const ids: number[] = await firm.db('message').orderBy('id', 'desc').limit(3).pluck('id');
    for (const [at, source] of [
      signed('firm.co.uk', 'mail2026'),
      signed('provider.net', 'other'),
      signed('firm.co.uk', 'a b/..'),
    ].entries()) {
      const packed = await packRaw(source);
      await storeRaw(firm.db, [packed]);
      await firm
        .db('message')
        .where({ id: ids[at] ?? 0 })
        .update({ direction: 'internal', from_address: 'maren@firm.co.uk', raw_hash: packed.hash });
    }
    expect(await keysOf(firm.db, 'firm.co.uk')).to.deep.equal(['mail2026']);
    expect(await keysOf(firm.db, 'elsewhere.co.uk')).to.deep.equal([]);
  });

  it('is tried by a colleague', async () => {
    const { id } = await begun({ subject: words('For Petra to see') });
    const { order } = await checkMailing(firm.db, id);
    const petra = await one(firm.db('staff').where({ name: 'Petra Lund' }).first());
    await sendTest(firm.context, MANAGER, id, { key: order[0] ?? '', staffId: petra.id });
    const inbox = firm.world.account(petra.email)?.folder('INBOX');
    const subjects = () =>
      inbox?.messages
        .map((message) => inbox.read(message).toString('latin1'))
        .filter((raw) => raw.includes('For Petra to see'));
    await until('it has come', async () => Boolean(subjects()?.length));
    expect(await say(sendTest(firm.context, MANAGER, id, { key: order[0] ?? '', staffId: 999 }))).to.contain(
      'colleague',
    );
  });
});
