import { expect } from 'chai';
import { decide } from '../../core/filing/decide.ts';
import { Experience } from '../../core/filing/experience.ts';
import { filingMessage, subjectKeys } from '../../core/filing/message.ts';
import { FilingRegister } from '../../core/filing/register.ts';
import { leavesOpen } from '../../core/conversation/owing.ts';
import { boundedHtml, plainText } from '../../core/message/html.ts';
import { LIMITS } from '../../core/message/limits.ts';
import { readMessage } from '../../core/message/read.ts';
import { writtenPart } from '../../core/message/written.ts';
import { safeHtml } from '../../server/security/html.ts';
import { ATTACKS } from '../attacks.ts';

const register = new FilingRegister({
  firmDomains: ['firm.example'],
  staffAddresses: [],
  freemail: [],
  fileNumberPattern: 'QL-\\d{5}',
  clients: [{ id: 1, name: 'Fell Estate' }],
  people: [{ id: 1, name: 'Ada Fell', addresses: ['ada@fell.example'], clientIds: [1] }],
  files: [
    {
      id: 1,
      number: 'QL-10001',
      title: 'Field walls',
      clientId: 1,
      general: false,
      closed: false,
      personIds: [1],
    },
  ],
});

/** Everything that is done to a message from its source to its decision and to its page, in milliseconds. */
async function wholeWay(make: (length: number) => string, length: number): Promise<number> {
  const raw = Buffer.from(`From: Ada Fell <ada@fell.example>\r\nTo: us@firm.example\r\n${make(length)}`);
  const start = performance.now();
  const read = await readMessage(raw);
  const written = writtenPart(read.text, [read.from?.name ?? ''], read.from?.address);
  const filing = { ...filingMessage(register, read, written), at: 0 };
  subjectKeys(filing, (address) => register.isOurs(address));
  leavesOpen('received', read.subject, filing.own);
  decide({ register, experience: new Experience(), rules: [] }, filing, {
    earlier: new Map(),
    sameSubject: [],
  });
  if (read.html !== null) safeHtml(read.html, read.enclosures, false);
  return performance.now() - start;
}

/** In a thread that reads, a message may take two seconds; here, on a busy machine, three. */
const LONGEST = 3000;

describe('how time grows with hostile mail, from 1 kB to 1 MB', () => {
  for (const [name, make] of Object.entries(ATTACKS)) {
    it(name, async () => {
      await wholeWay(make, 1000);
      const small = Math.max(5, await wholeWay(make, 30_000));
      const large = await wholeWay(make, 1_000_000);
      expect(large).to.be.below(LONGEST);
      // 33 times as long may take at most twice that many times as long, and what little is always there.
      expect(large).to.be.below(66 * small + 200);
    });
  }
});

describe('names of enclosures', () => {
  it('hold no path, no control characters, and nothing that turns the writing direction round', async () => {
    const name = '=?utf-8?B?' + Buffer.from('../a/invoice\u202efdp\u0007.exe').toString('base64') + '?=';
    const raw = `From: a@b.example\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n--b\r\nContent-Type: application/octet-stream; name="${name}"\r\nContent-Disposition: attachment\r\n\r\nx\r\n--b--`;
    const { enclosures } = await readMessage(Buffer.from(raw));
    expect(enclosures[0]?.filename).to.equal('invoicefdp.exe');
  });
});

describe('HTML within limits', () => {
  const times = (text: string, count: number) => text.repeat(count);
  it('keeps what people send as it is', () => {
    const html =
      '<table width="600"><tr><td colspan="2"><p>Dear Ada<p>Two <b>bold</b> words<br></td></tr></table><ul><li>one<li>two</ul>';
    expect(boundedHtml(html)).to.deep.equal({ html, remotePictures: false, shortened: false });
  });
  it('leaves out what lies too deep, with its text kept and everything after it in place', () => {
    const { html, shortened } = boundedHtml(`${times('<div>', 500)}deep${times('</div>', 500)}<p>after</p>`);
    expect(html.match(/<div>/g)).to.have.lengthOf(LIMITS.depth);
    expect(html.match(/<\/div>/g)).to.have.lengthOf(LIMITS.depth);
    expect(html).to.contain('deep').and.contain('<p>after</p>');
    expect(shortened).to.equal(true);
  });
  it('takes siblings without end tags for what they are', () => {
    const html = `<ul>${times('<li>x', 1000)}</ul>${times('<p>y', 1000)}<table>${times('<tr><td>z', 500)}</table>`;
    expect(boundedHtml(html).html).to.equal(html);
  });
  it('clamps what a cell may span, however it is written', () => {
    const clamped = `colspan="${LIMITS.span}"`;
    for (const written of [
      'colspan=1000000000',
      'COLSPAN="99999"',
      "colspan = '1e9'",
      'colspan="-5"',
      'colspan=&#57;999',
    ])
      expect(boundedHtml(`<td ${written}>a</td>`).html.toLowerCase(), written).to.contain(clamped);
    expect(boundedHtml('<td colspan="3">a</td>').html).to.equal('<td colspan="3">a</td>');
  });
  it('drops ends of nothing, and tags beyond the last one allowed', () => {
    expect(boundedHtml('<p>a</b></i></p>').html.replace(/\s+/g, '')).to.equal('<p>a</p>');
    const { html } = boundedHtml(times('<b>x</b>', LIMITS.tags + 100));
    expect(html.match(/<b>/g)).to.have.lengthOf(LIMITS.tags);
  });
  it('knows remote pictures from those within the message', () => {
    for (const [html, remote] of [
      ['<img src="https://x.example/a">', true],
      ["<IMG alt=x SRC = 'http://x.example/a'>", true],
      ['<img src="cid:a">', false],
      ['<p title="<img src=https://x.example>">', false],
      ['<!-- <img src="https://x.example/a"> -->', false],
    ] as const)
      expect(boundedHtml(html).remotePictures, html).to.equal(remote);
  });
  it('makes words of anything', () => {
    expect(plainText('<table><tr><td colspan=1000000000>a</td></tr><tr><td>b</td></tr></table>')).to.match(
      /a\s+b/,
    );
    expect(plainText(`<p>first</p>${times('<div>', 20_000)}last`))
      .to.contain('first')
      .and.contain('last');
  });
});
