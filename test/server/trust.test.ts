import { countOf } from '../../server/foundation/rows.ts';
import { expect } from 'chai';
import { hashOf } from '../../server/foundation/sources.ts';
import { conversation, joinConversation, partMessage } from '../../server/filing/conversation.ts';
import { redecide } from '../../server/filing/decide.ts';
import { viewMessage } from '../../server/filing/message.ts';
import { sortMessage } from '../../server/filing/steps.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { listReturned, resolveHeld } from '../../server/today/returned.ts';
import { EXCHANGE } from '../../outside/vouch.ts';
import { deliver, openFirm, rawMessage, type TestFirm, one } from './helpers.ts';
import { filingKnowledge } from '../../server/filing/knowledge.ts';

const TOBIAS = 'tobias.fenn@quillhurst.example';
const INES = 'ines.calder@quillhurst.example';
const MAREN_ID = 1;

interface Row {
  id: number;
  message_id: string;
  state: string;
  reason: string | null;
  direction: string;
  confirmation: string | null;
  candidates: string;
  conversation_id: number;
  decided_by: number | null;
}

/** A client with one open specific file at most, one person and a domain of their own. */
async function aClient(firm: TestFirm, not: number[] = []) {
  return firm
    .db('client_person')
    .join('address', 'address.person_id', 'client_person.person_id')
    .join('person', 'person.id', 'client_person.person_id')
    .join('file', 'file.client_id', 'client_person.client_id')
    .where('address.current', 1)
    .whereNotIn('client_person.client_id', not)
    .groupBy('client_person.person_id')
    .havingRaw('COUNT(DISTINCT file.id) = 1 AND COUNT(DISTINCT client_person.client_id) = 1')
    .first(
      'client_person.client_id as clientId',
      'address.email',
      'person.first_name as first',
      'person.last_name as last',
      'file.id as fileId',
      'file.number',
    ) as Promise<{
    clientId: number;
    email: string;
    first: string;
    last: string;
    fileId: number;
    number: string;
  }>;
}

describe('what a message says of itself', () => {
  let firm: TestFirm;
  let count = 0;
  const byId = (id: string) => firm.db('message').where({ message_id: id }).first() as Promise<Row>;
  const allOf = (id: string) =>
    firm.db('message').where({ message_id: id }).orderBy('id') as unknown as Promise<Row[]>;
  const found = (verdict: string) => ({ 'Authentication-Results': `${EXCHANGE}; ${verdict}` });
  async function arrive(
    from: string,
    headers: Record<string, string> = {},
    text = 'I have put it in the post to you today.',
    to = TOBIAS,
  ): Promise<Row> {
    const id = `trust${++count}@elsewhere.example`;
    deliver(firm, to, id, { text, headers: { From: from, ...headers } });
    await firm.sync();
    return byId(id);
  }
  let client: Awaited<ReturnType<typeof aClient>>;
  let other: Awaited<ReturnType<typeof aClient>>;
  before(async () => {
    firm = await openFirm({ clients: 30, files: 45, conversationsPerClient: 0.2 });
    await firm.sync();
    client = await aClient(firm);
    other = await aClient(firm, [client.clientId]);
  });
  after(() => firm.close());

  describe('who wrote it', () => {
    it('is filed alone when the server confirmed it, and never when it did not', async () => {
      const genuine = await arrive(client.email);
      expect(genuine).to.include({ state: 'logged', reason: 'person', confirmation: 'confirmed' });
      const domain = client.email.split('@')[1] ?? '';
      for (const verdict of [
        `dmarc=fail header.from=${domain}`,
        'spf=fail smtp.mailfrom=evil.example; dkim=none',
        'none',
        `dmarc=pass header.from=evil.example`,
        `dkim=pass header.d=evil.example; dmarc=fail`,
      ]) {
        const forged = await arrive(client.email, { Subject: 'New bank details', ...found(verdict) });
        expect([verdict, forged.state], verdict).to.deep.equal([verdict, 'suggested']);
        const [first] = JSON.parse(forged.candidates) as {
          likelihood: string;
          evidence: { kind: string }[];
        }[];
        // Nothing of the kind is filed with one key along with what is nearly certain.
        expect(first?.likelihood).to.equal('likely');
        expect(first?.evidence.map(({ kind }) => kind)).to.include('sender');
      }
    });

    it('cannot be made so by a name, a number, a host, or a conversation', async () => {
      const name = `${client.first} ${client.last}`;
      const domain = client.email.split('@')[1] ?? '';
      const genuine = await arrive(client.email);
      expect(genuine.state).to.equal('logged');
      const named = `trust${count}@elsewhere.example`;
      const tries: [string, Record<string, string>, string][] = [
        [`${name} <x@evil.example>`, { Subject: `About ${client.number}` }, 'As above.'],
        [`${name} <x@evil.example>`, {}, `Our ref ${client.number}. The account has changed.`],
        ['x@evil.example', { 'In-Reply-To': `<${named}>` }, 'Thank you for your letter.'],
        [`anybody@mail.${domain}`, found('dmarc=none'), 'Please pay here from now on.'],
      ];
      for (const [from, headers, text] of tries) {
        const forged = await arrive(
          from,
          { ...found('dmarc=none header.from=evil.example'), ...headers },
          text,
        );
        expect([from, forged.state]).to.deep.equal([from, 'suggested']);
        // Confirmed as whoever owns that domain, it is a stranger in the conversation all the same.
        if (headers['In-Reply-To']) {
          const stranger = await arrive(
            from,
            { ...found('dmarc=pass header.from=evil.example'), ...headers },
            text,
          );
          expect(stranger.state).to.equal('suggested');
        }
      }
    });

    it('is not believed on the sender’s own word, above or below what the server found', async () => {
      const domain = client.email.split('@')[1] ?? '';
      const raw = Buffer.concat([
        Buffer.from(
          `Authentication-Results: ${EXCHANGE}; dmarc=fail header.from=${domain}\r\nReceived: by here\r\n`,
        ),
        rawMessage(
          {
            From: client.email,
            To: TOBIAS,
            Subject: 'Our account',
            'Message-ID': '<claims@evil.example>',
            Date: new Date().toUTCString(),
            'Authentication-Results': `${EXCHANGE}; dmarc=pass header.from=${domain}`,
          },
          'It has changed.',
        ),
      ]);
      firm.world.account(TOBIAS)?.folder('INBOX')?.append(raw, [], new Date());
      await firm.sync();
      expect(await byId('claims@evil.example')).to.include({ state: 'suggested', confirmation: 'failed' });
      const foreign = await arrive(client.email, {
        'Authentication-Results': `mx.evil.example; dmarc=pass header.from=${domain}`,
      });
      expect(foreign).to.include({ state: 'suggested', confirmation: 'absent' });
    });

    it('is asked about where a domain is usually confirmed and this once not, also when looked at again', async () => {
      const genuine = await arrive(client.email);
      expect(genuine).to.include({ state: 'logged', confirmation: 'confirmed' });
      const domain = client.email.split('@')[1] ?? '';
      await firm
        .db('sender_domain')
        .insert({ domain, confirmed: 9, others: 1 })
        .onConflict('domain')
        .merge(['confirmed', 'others']);
      const names = { ...found('none'), 'In-Reply-To': `<trust${count}@elsewhere.example>` };
      const waiting = await arrive(client.email, names);
      expect(waiting).to.include({ state: 'suggested', confirmation: 'absent' });
      const again = () =>
        firm.context.db.transaction(async (trx) =>
          redecide(trx, await filingKnowledge(firm.context), [waiting.id]),
        );
      expect(await again()).to.equal(0);
      expect((await byId(waiting.message_id)).state).to.equal('suggested');
      // Where it is not, the conversation agrees, and that is enough.
      await firm.db('sender_domain').where({ domain }).update({ confirmed: 1 });
      expect(await again()).to.equal(1);
      expect((await byId(waiting.message_id)).state).to.equal('logged');
      await firm.db('sender_domain').where({ domain }).update({ confirmed: 9 });
    });

    it('where a server tells nothing, an address and a conversation must agree; what lay there before is weighed as ever', async () => {
      const believed = firm.db('mailbox_server');
      await believed.clone().update({ believed: 0 });
      const bare = { 'Authentication-Results': 'nobody.example; none' };
      const alone = await arrive(client.email, bare);
      expect(alone).to.include({ state: 'suggested', confirmation: 'untold' });
      await sortMessage(firm.context, MAREN_ID, {
        messageId: alone.id,
        to: { kind: 'files', fileIds: [client.fileId] },
        alsoIds: [],
        restOfConversation: false,
        note: '',
        addAddressTo: null,
      });
      const names = { ...bare, 'In-Reply-To': `<trust${count}@elsewhere.example>` };
      const agreed = await arrive(client.email, names);
      expect(agreed).to.include({ state: 'logged', confirmation: 'untold' });
      const stranger = await arrive('x@evil.example', names);
      expect(stranger.state).to.equal('suggested');
      await firm.db('mailbox').update({ checks_silently: 1 });
      expect((await arrive(client.email, bare)).state).to.equal('logged');
      await firm.db('mailbox').update({ checks_silently: 0 });
      // History of a mailbox that is connected now.
      const history = `past${count}@elsewhere.example`;
      deliver(firm, INES, history, { headers: { From: client.email, ...bare } });
      await firm
        .db('folder')
        .whereIn('mailbox_id', firm.db('mailbox').where({ address: INES }).select('id'))
        .delete();
      await firm.sync();
      expect(await byId(history)).to.include({ state: 'logged', confirmation: null });
      await believed.clone().update({ believed: 1 });
    });

    it('is one of us only by the Sent folder, our own dispatch, or the server’s word', async () => {
      const id = 'waive@quillhurst.example';
      const headers = {
        From: `Maren Okell <maren.okell@quillhurst.example>`,
        To: `${client.email}, ${TOBIAS}`,
      };
      deliver(firm, TOBIAS, id, {
        text: 'We waive our fee.',
        headers: { ...headers, ...found('dmarc=fail') },
      });
      await firm.sync();
      const forged = await byId(id);
      expect(forged).to.include({ direction: 'received', state: 'suggested', confirmation: 'failed' });
      const view = await viewMessage(firm.context, MAREN_ID, forged.id);
      expect(view.warnings.join()).to.contain('says that it is from one of us');
      const numbered = await arrive('maren.okell@quillhurst.example', {
        Subject: client.number,
        ...found('none'),
      });
      expect(numbered).to.include({ direction: 'received', state: 'suggested' });
      // The same claim, and then the very message in the writer's own Sent folder.
      const real = 'real@quillhurst.example';
      const date = new Date().toUTCString();
      deliver(firm, TOBIAS, real, { headers: { ...headers, Date: date, ...found('none') } });
      await firm.sync();
      expect((await byId(real)).direction).to.equal('received');
      deliver(firm, 'maren.okell@quillhurst.example', real, {
        folder: 'Sent',
        headers: { ...headers, Date: date },
      });
      await firm.sync();
      expect(await allOf(real)).to.have.lengthOf(1);
      expect(await byId(real)).to.include({ direction: 'sent', state: 'logged', confirmation: null });
    });
  });

  describe('two messages that bear the same marks', () => {
    const date = 'Mon, 02 Nov 2026 10:00:00 +0000';
    const marks = { From: 'Offers <o@offers.example>', Date: date, Subject: 'Our offer' };
    async function both(one: object, two: object): Promise<Row[]> {
      const id = `twin${++count}@offers.example`;
      deliver(firm, TOBIAS, id, {
        headers: { ...marks, To: 'all@x.example' },
        text: 'our offer is 10,000',
        ...one,
      });
      await firm.sync();
      deliver(firm, INES, id, {
        headers: { ...marks, To: 'all@x.example' },
        text: 'our offer is 10,000',
        ...two,
      });
      await firm.sync();
      return allOf(id);
    }
    const list = { 'List-Id': '<offers.example>' };
    const head = { ...marks, To: 'all@x.example' };

    it('are one when they say the same, whatever servers added on the way', async () => {
      expect(await both({}, {})).to.have.lengthOf(1);
      expect(await both({}, { headers: { ...head, 'X-Trace': 'b', Received: 'by there' } })).to.have.lengthOf(
        1,
      );
      expect(
        await both(
          {},
          {
            headers: { ...head, 'Content-Transfer-Encoding': 'quoted-printable' },
            text: 'our=20offer=\n is 10,000',
          },
        ),
      ).to.have.lengthOf(1);
      expect(
        await both(
          { headers: { ...head, ...list } },
          {
            headers: { ...head, ...list, Subject: '[offers] Our offer' },
            text: 'our offer is 10,000\n\n____\nLeave this list',
          },
        ),
      ).to.have.lengthOf(1);
    });

    it('are two when they say different things, each found, linked and shown', async () => {
      const [first, second, more] = await both({}, { text: 'NOTICE OF TERMINATION within 3 days' });
      expect(more).to.equal(undefined);
      expect(first?.conversation_id).to.not.equal(second?.conversation_id);
      const view = await viewMessage(firm.context, MAREN_ID, second?.id ?? 0);
      expect(view.own).to.contain('TERMINATION');
      expect(view.twins.map(({ id }) => id)).to.deep.equal([first?.id]);
      const words = await firm
        .db('raw_words')
        .whereRaw("MATCH (words) AGAINST ('+termination' IN BOOLEAN MODE)");
      expect(words.length).to.be.greaterThan(0);
      for (const change of [
        { headers: { ...head, Subject: 'Another' } },
        { headers: { ...head, To: 'others@x.example' } },
        { text: 'our offer is 10,000\n\n____\nwithdrawn' },
        { headers: { ...head, 'Content-Type': 'text/html' }, text: '<p>our offer is 1</p>' },
      ])
        expect(await both({}, change), JSON.stringify(change)).to.have.lengthOf(2);
    });

    it('give nobody a right to read the other', async () => {
      const id = `secret${++count}@clinic.example`;
      deliver(firm, TOBIAS, id, { headers: head, text: 'Your result is private' });
      await firm.sync();
      const secret = await byId(id);
      await firm.db('message').where({ id: secret.id }).update({ state: 'private' });
      deliver(firm, INES, id, { headers: head, text: 'x' });
      await firm.sync();
      const refused = await viewMessage(firm.context, 3, secret.id).catch((error: Error) => error.message);
      expect(refused).to.equal('That message is private to a colleague.');
      const [, own] = await allOf(id);
      expect((await viewMessage(firm.context, 3, own?.id ?? 0)).twins).to.deep.equal([]);
      const joined = await joinConversation(firm.context, 3, own?.id ?? 0, {
        conversationId: secret.conversation_id,
      }).then(
        () => 'joined',
        (error: Error) => error.message,
      );
      expect(joined).to.match(/^That conversation/);
    });
  });

  describe('which messages it answers', () => {
    it('joins the nearest one that is here, and never makes one of two clients’ conversations', async () => {
      const one = await arrive(client.email);
      const idOne = `trust${count}@elsewhere.example`;
      const two = await arrive(other.email);
      const idTwo = `trust${count}@elsewhere.example`;
      expect(one.conversation_id).to.not.equal(two.conversation_id);
      const welder = await arrive('x@evil.example', { References: `<${idOne}> <${idTwo}>` });
      expect(welder.conversation_id).to.equal(two.conversation_id);
      expect((await byId(idOne)).conversation_id).to.equal(one.conversation_id);
      // Nor when what is named comes last.
      const missing = 'missing@elsewhere.example';
      const child = await arrive(client.email, { References: `<${idOne}>` });
      const orphan = await arrive(other.email, { 'In-Reply-To': `<${missing}>` });
      deliver(firm, TOBIAS, missing, { headers: { From: client.email, References: `<${idOne}>` } });
      await firm.sync();
      expect((await byId(missing)).conversation_id).to.equal(child.conversation_id);
      expect((await byId(`trust${count}@elsewhere.example`)).conversation_id).to.equal(
        orphan.conversation_id,
      );
    });

    it('joins answers whose message comes after them, and those to one that never comes', async () => {
      const later = `later${count}@elsewhere.example`;
      const early = await arrive('Kit <kit@tarn.example>', { 'In-Reply-To': `<${later}>` });
      const sibling = await arrive('Kit <kit@tarn.example>', { References: `<gone@x.example> <${later}>` });
      expect(sibling.conversation_id).to.equal(early.conversation_id);
      deliver(firm, TOBIAS, later, { headers: { From: 'Kit <kit@tarn.example>' } });
      await firm.sync();
      const kept = new Set(
        await firm
          .db('message')
          .whereIn('id', [early.id, sibling.id, (await byId(later)).id])
          .pluck('conversation_id'),
      );
      expect(kept.size).to.equal(1);
    });

    it('is opened quickly however many it names, and parted and joined by a person', async () => {
      const many = Array.from({ length: 25_000 }, (_, index) => `<n${index}@a.b>`).join('\r\n ');
      const root = await arrive('Kit <kit@tarn.example>');
      const rootId = `trust${count}@elsewhere.example`;
      const named = await arrive('Kit <kit@tarn.example>', { References: `${many}\r\n <${rootId}>` });
      expect(named.conversation_id).to.equal(root.conversation_id);
      const start = performance.now();
      expect(await conversation(firm.db, MAREN_ID, root.conversation_id)).to.have.lengthOf(2);
      expect(performance.now() - start).to.be.below(500);
      const apart = await partMessage(firm.context, MAREN_ID, named.id);
      expect(await conversation(firm.db, MAREN_ID, root.conversation_id)).to.have.lengthOf(1);
      await joinConversation(firm.context, MAREN_ID, named.id, { conversationId: root.conversation_id });
      expect(await conversation(firm.db, MAREN_ID, apart)).to.have.lengthOf(0);
      const noted = await firm.db('audit').where({ action: 'conversation changed', subject_id: named.id });
      expect(noted).to.have.lengthOf(2);
    });
  });

  describe('that it could not be delivered', () => {
    const report = (original: string, addresses: string[], status = '5.1.1') =>
      Buffer.from(
        [
          `Authentication-Results: ${EXCHANGE}; none`,
          'From: mailer-daemon@far.example',
          `To: ${TOBIAS}`,
          'Subject: Undeliverable',
          `Date: ${new Date().toUTCString()}`,
          `Message-ID: <report${++count}@far.example>`,
          'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
          '',
          '--b',
          'Content-Type: message/delivery-status',
          '',
          'Reporting-MTA: dns;far.example',
          ...addresses.flatMap((address) => [
            '',
            `Final-Recipient: rfc822;${address}`,
            'Action: failed',
            `Status: ${status}`,
          ]),
          '',
          '--b',
          'Content-Type: text/rfc822-headers',
          '',
          `Message-ID: <${original}>`,
          '',
          '--b--',
        ].join('\r\n'),
      );
    const put = async (raw: Buffer) => {
      firm.world.account(TOBIAS)?.folder('INBOX')?.append(raw, [], new Date());
      await firm.sync();
    };
    const dead = async () => await countOf(firm.db('address').whereNotNull('returned_at'));
    const sentTo = async (id: string, to: string[]) => {
      deliver(firm, TOBIAS, id, { folder: 'Sent', headers: { From: TOBIAS, To: to.join(', ') } });
      await firm.sync();
    };

    it('counts only of a recipient of a message that we sent', async () => {
      const before = await dead();
      const emails: string[] = await firm.db('address').where({ current: 1 }).limit(3).pluck('email');
      await put(report('nothing@nowhere.example', emails));
      await sentTo('out1@quillhurst.example', [client.email]);
      await put(report('out1@quillhurst.example', [other.email, 'nobody@x.example']));
      expect(await dead()).to.equal(before);
      expect((await listReturned(firm.db, MAREN_ID, 0, 5)).rows[0]?.state).to.equal('unknown');
      await put(report('out1@quillhurst.example', [client.email], '4.4.1'));
      expect(await dead()).to.equal(before);
      await put(report('out1@quillhurst.example', [client.email.toUpperCase()]));
      expect(await dead()).to.equal(before + 1);
      // Who writes from there is alive; an answer by itself does not say so.
      const later = { Date: new Date(Date.now() + 60_000).toUTCString(), From: client.email, To: TOBIAS };
      deliver(firm, TOBIAS, 'away1@x.example', { headers: { ...later, 'Auto-Submitted': 'auto-replied' } });
      await firm.sync();
      expect(await dead()).to.equal(before + 1);
      deliver(firm, TOBIAS, 'alive1@x.example', { headers: later });
      await firm.sync();
      expect(await dead()).to.equal(before);
      await firm.db('address').update({ returned_at: null });
    });

    it('is put before a person when many are said to be dead at once', async () => {
      await firm.db('return_report').delete();
      const emails: string[] = await firm
        .db('address')
        .where({ current: 1 })
        .groupBy('email_key')
        .limit(16)
        .pluck('email');
      await sentTo('out2@quillhurst.example', emails);
      await put(report('out2@quillhurst.example', emails));
      expect(await dead()).to.be.within(10, 12);
      const page = await listReturned(firm.db, MAREN_ID, 0, 5);
      expect(page.held).to.equal(6);
      expect(await resolveHeld(firm.context, MAREN_ID, false)).to.equal(6);
      expect((await listReturned(firm.db, MAREN_ID, 0, 5)).held).to.equal(0);
      await put(report('out2@quillhurst.example', emails.slice(10)));
      const all = await dead();
      expect(await resolveHeld(firm.context, MAREN_ID, true)).to.be.greaterThan(0);
      expect(await dead()).to.be.greaterThan(all);
    });
  });

  it('keeps what its receiving server goes by, as our own test message shows it', async () => {
    const row = await one(firm.db('mailbox').where({ address: TOBIAS }).first());
    await firm.db('mailbox_server').where({ mailbox_id: row.id }).delete();
    const { verifyMailbox } = await import('../../server/mailbox/accounts/connect.ts');
    expect((await verifyMailbox(firm.context, row)).ok).to.equal(true);
    expect(
      await firm.db('mailbox_server').where({ mailbox_id: row.id, believed: 1 }).pluck('name'),
    ).to.deep.equal([EXCHANGE]);
    await new MailboxSync(firm.context, row).runOnce();
    expect(hashOf('a').length).to.equal(32);
  });
});
