import { expect } from 'chai';
import { returnKind } from '../../core/delivery/report.ts';
import { filingMessage } from '../../core/filing/message.ts';
import { FilingRegister } from '../../core/filing/register.ts';
import { readMessage } from '../../core/message/read.ts';

const read = (head: readonly string[], text = '') =>
  readMessage(Buffer.from(`${head.join('\r\n')}\r\n\r\n${text.replaceAll('\n', '\r\n')}\r\n`));
const DAEMON = 'From: Mail System <MAILER-DAEMON@mx.example>';

describe('what machines write', () => {
  it('reports of non-delivery in free words are read, with whom they are about and of which message', async () => {
    const ours = 'Message-ID: <ours@firm.example>\nSubject: The gate';
    const forms: [head: string[], text: string, status: string, kind: string][] = [
      [
        [DAEMON, 'Subject: failure notice'],
        `Hi. I could not deliver your message.\n\n<ann@fell.example>:\n192.0.2.1 does not like recipient.\nRemote host said: 550 5.1.1 User unknown\n\n--- Below this line is a copy of the message.\n\n${ours}`,
        '5.1.1',
        'hard',
      ],
      [
        [
          DAEMON,
          'Subject: Mail delivery failed: returning message to sender',
          'X-Failed-Recipients: ann@fell.example',
        ],
        `A message that you sent could not be delivered.\n\n  ann@fell.example\n    550 no such user\n\n------ This is a copy of the message, including all the headers. ------\n\n${ours}`,
        '',
        'hard',
      ],
      [
        ['From: postmaster@fell.example', 'Return-Path: <>', 'Subject: Unzustellbar: The gate'],
        `Your message did not reach:\n\nann@fell.example\n552 mailbox full, quota exceeded\n\n${ours}`,
        '',
        'soft',
      ],
      [
        [DAEMON, 'Subject: Returned mail: blocked'],
        `   ----- The following address had permanent fatal errors -----\n<ann@fell.example>\n    (reason: 554 5.7.1 message looks like spam)\n\n   ----- Original message follows -----\n${ours}`,
        '5.7.1',
        'soft',
      ],
    ];
    for (const [head, text, status, kind] of forms) {
      const { automatic, report } = await read(head, text);
      expect(automatic, head.join()).to.equal('report');
      expect(report?.originalMessageId).to.equal('ours@firm.example');
      expect(
        report?.recipients.map((each) => [
          each.address,
          each.status,
          returnKind(each.status, each.diagnostic),
        ]),
      ).to.deep.equal([['ann@fell.example', status, kind]]);
    }
  });

  it('a letter that only speaks of such things is none', async () => {
    const letters = [
      ['From: Ann <ann@fell.example>', 'Subject: Mail delivery failed again'],
      ['From: postmaster@fell.example', 'Subject: The gate'],
      ['From: Fell Farm <mail@fell.example>', 'Subject: Delivery failed'],
    ];
    for (const head of letters)
      expect(
        (await read(head, 'It could not be delivered to <ben@tarn.example>: user unknown.')).report,
      ).to.equal(null);
  });

  it('an address is dead only where nobody is there', () => {
    const kinds: [status: string, diagnostic: string, kind: string][] = [
      ['5.1.1', '', 'hard'],
      ['5.1.2', 'host not found', 'hard'],
      ['5.1.10', '', 'hard'],
      ['5.2.1', '', 'hard'],
      ['5.0.0', '550 No such user here', 'hard'],
      ['', '550 unknown recipient', 'hard'],
      ['5.1.1', '552 over quota', 'soft'],
      ['5.1.8', 'bad sender address', 'soft'],
      ['5.2.2', '', 'soft'],
      ['5.3.4', '', 'soft'],
      ['5.7.1', 'user unknown to our policy', 'soft'],
      ['5.0.0', '', 'soft'],
      ['5.0.0', '554 blocked: recipient unknown to our spam filter', 'soft'],
      ['4.1.1', '', 'soft'],
    ];
    for (const [status, diagnostic, kind] of kinds)
      expect(returnKind(status, diagnostic), `${status} ${diagnostic}`).to.equal(kind);
  });

  it('answers that nobody wrote are told by all their marks', async () => {
    const kind = async (...marks: string[]) => (await read(['From: a@x.example', ...marks])).automatic;
    expect(await kind('X-Autoreply: yes')).to.equal('reply');
    expect(await kind('X-Autoreply: no')).to.equal(null);
    expect(await kind('Subject: AUTO: Ann Fell is out of the office (returning 3 May)')).to.equal('reply');
    expect(await kind('Subject: Out of Office AutoReply: The gate')).to.equal('reply');
    expect(await kind('Subject: Automatic reply: The gate', 'Precedence: bulk')).to.equal('reply');
    expect(await kind('Return-Path: <>', 'Subject: Re: The gate')).to.equal('reply');
    expect(await kind('Return-Path: <>', 'Subject: Nightly report')).to.equal('notice');
    expect(await kind('Return-Path: <a@x.example>', 'Subject: Out of the office on Friday')).to.equal(null);
    const calendar = ['Content-Type: text/calendar; method=REPLY', 'Subject: Accepted: The gate'];
    expect(
      (await read(['From: a@x.example', ...calendar], 'BEGIN:VCALENDAR\nEND:VCALENDAR')).automatic,
    ).to.equal('reply');
  });

  it('a letter to us stays one, whatever list it bears the marks of', async () => {
    const register = new FilingRegister({
      firmDomains: ['firm.example'],
      staffAddresses: [],
      freemail: [],
      fileNumberPattern: 'QL-\\d{5}',
      clients: [{ id: 1, name: 'Fell' }],
      people: [{ id: 1, name: 'Ann Fell', addresses: ['ann@fell.example'], clientIds: [1] }],
      files: [],
    });
    const kind = async (from: string, to: string, ...marks: string[]) =>
      filingMessage(register, await read([`From: ${from}`, `To: ${to}`, ...marks])).automatic;
    const group = 'List-Id: Office <office.firm.example>';
    const leave = 'List-Unsubscribe: <https://news.example/leave>';
    expect(await kind('ann@fell.example', 'office@firm.example', group)).to.equal(null);
    expect(await kind('new@lake.example', 'office@firm.example', group)).to.equal(null);
    expect(await kind('ann@fell.example', 'ben@firm.example', leave)).to.equal(null);
    expect(await kind('ann@fell.example', 'ben@firm.example', 'Precedence: bulk')).to.equal(null);
    expect(
      await kind('ann@fell.example', 'farmers@talk.example', 'List-Id: <farmers.talk.example>'),
    ).to.equal('list');
    expect(await kind('news@shop.example', 'office@firm.example', leave)).to.equal('list');
    expect(await kind('news@shop.example', 'office@firm.example', group, leave)).to.equal('list');
  });
});
