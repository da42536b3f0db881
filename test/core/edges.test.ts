import { expect } from 'chai';
import { firstNameFirst, shownName } from '../../core/address/address.ts';
import { baseSubject } from '../../core/conversation/subject.ts';
import { fieldWords } from '../../core/facts/catalogue.ts';
import { forwards } from '../../core/filing/message.ts';
import { readChecks } from '../../core/message/authentication.ts';
import { cut, LIMITS } from '../../core/message/limits.ts';
import { readMessage } from '../../core/message/read.ts';
import { snippet } from '../../core/message/written.ts';
import { plainMessage } from './messages.ts';

const read = (headers: string[], body = 'Good morning.') =>
  readMessage(Buffer.from([...headers, '', body].join('\r\n')));

describe('at the edges', () => {
  it('turns a name round at its last comma, and leaves any other alone', () => {
    expect(['Fell, Ada', 'Ada Fell', 'Fell, Jr, Ada'].map(firstNameFirst)).to.deep.equal([
      'Ada Fell',
      'Ada Fell',
      'Ada Fell, Jr',
    ]);
    expect(shownName('boss@firm.example', 'ada@fell.example')).to.equal('ada@fell.example');
  });

  it('cuts no character in two, and nothing that fits', () => {
    // U+10000 ends in the first of the low surrogates.
    expect(['ab', 'abc', 'a😀b', '𐀀b'].map((text) => cut(text, 2))).to.deep.equal(['ab', 'ab', 'a', '𐀀']);
    expect(cut('a😀b', 3)).to.equal('a😀');
  });

  it('shows the first words up to a length, and says when there is more', () => {
    expect(snippet('a'.repeat(140))).to.equal('a'.repeat(140));
    expect(snippet('a'.repeat(141))).to.equal(`${'a'.repeat(139)}…`);
    expect(snippet('one two three', 8)).to.equal('one two…');
  });

  it('takes a subject in forward brackets for handed on, once unwrapped', () => {
    expect(baseSubject('[Fwd: The gate]')).to.deep.equal({ text: 'The gate', isReply: true });
    expect(baseSubject('The gate')).to.deep.equal({ text: 'The gate', isReply: false });
  });

  it('hands on only what holds another message and says so, or encloses one', () => {
    const original = {
      enclosed: false,
      messageId: null,
      from: null,
      recipients: [],
      subject: '',
      own: '',
      signature: '',
      named: [],
    };
    const of = (extra: object) => forwards(plainMessage('ada@fell.example', extra));
    expect(of({ subject: 'Fwd: The gate' })).to.equal(false);
    expect(of({ subject: 'The gate', original })).to.equal(false);
    expect(of({ subject: 'Fwd: The gate', original })).to.equal(true);
    expect(of({ subject: 'The gate', original: { ...original, enclosed: true } })).to.equal(true);
  });

  it('takes a receipt for an answer that nobody wrote, and a report without a readable part for one', async () => {
    const kind = async (type: string) =>
      (await read(['From: a@x.example', `Content-Type: multipart/report; report-type=${type}; boundary=b`]))
        .automatic;
    expect(await kind('delivery-status')).to.equal('report');
    expect(await kind('disposition-notification')).to.equal('reply');
  });

  it('tells what wrote by itself by the marks it bears', async () => {
    const kind = async (...marks: string[]) => (await read(['From: a@x.example', ...marks])).automatic;
    expect(await kind('Auto-Submitted: auto-replied')).to.equal('reply');
    expect(await kind('Precedence: auto_reply')).to.equal('reply');
    expect(await kind('Auto-Submitted: auto-generated', 'In-Reply-To: <a@x>')).to.equal('reply');
    expect(await kind('Auto-Submitted: auto-generated')).to.equal('notice');
    expect(await kind('Auto-Submitted: no')).to.equal(null);
    expect(await kind('List-Id: <l.x.example>')).to.equal('list');
    for (const each of ['bulk', 'list', 'junk']) expect(await kind(`Precedence: ${each}`)).to.equal('list');
    expect(await kind('Precedence: first-class')).to.equal(null);
  });

  it('keeps the nearest of the messages named in a header that is too long, and all of one that fits', async () => {
    const names = (count: number) => Array.from({ length: count }, (_, n) => `<n${n}@x.example>`);
    const many = names(Math.ceil(LIMITS.header / 10));
    const found = await read(['From: a@x.example', `References: ${many.join('\r\n ')}`, 'Subject: The gate']);
    expect(found.references.at(-1)).to.equal(`n${many.length - 1}@x.example`);
    expect(found.references.length).to.be.lessThan(many.length);
    expect(found.subject).to.equal('The gate');
    const few = await read(['From: a@x.example', `References: ${names(20).join('\r\n ')}`]);
    expect(few.references).to.have.length(20);
  });

  it('parts what a server found at its semicolons, and not within brackets, quotation marks or after a backslash', () => {
    const results = (value: string) =>
      readChecks([{ key: 'authentication-results', value }])[0]?.results.map(
        ({ method, result, domain }) => `${method} ${result} ${domain}`,
      );
    const found = ['spf pass fell.example', 'dkim fail tarn.example'];
    const [first, second] = ['spf=pass', 'smtp.mailfrom=fell.example; dkim=fail header.d=tarn.example'];
    for (const between of ['', '(a; b)', '(a \\) ; b)', '(a (b); c)', 'reason="a; b"', 'reason="a \\"; b"'])
      expect(results(`mx.example; ${first} ${between} ${second}`), between).to.deep.equal(found);
  });

  it('says a field’s value as people read it', () => {
    const nothing = { text: null, number: null, date: null };
    expect(fieldWords({ ...nothing, number: 1234.567 }, 'ha')).to.equal('1,234.57 ha');
    expect(fieldWords({ ...nothing, number: 0 }, '')).to.equal('0');
    expect(fieldWords({ ...nothing, date: '2026-05-03' }, '')).to.equal('3 May 2026');
    expect(fieldWords({ ...nothing, text: 'Yes' }, 'ha')).to.equal('Yes');
    expect(fieldWords(nothing, 'ha')).to.equal('');
  });
});
