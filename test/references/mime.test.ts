import { expect } from 'chai';
import { referencesFor } from '../../core/merge/letter.ts';
import { readMessage } from '../../core/message/read.ts';
import { searchWords } from '../../core/message/words.ts';

const read = (...lines: string[]) => readMessage(Buffer.from(lines.join('\r\n')));

describe('RFC 2045 to 2049: bodies in parts', () => {
  it('takes a parameter in quotes and with a comment for the same (RFC 2045 section 5.1)', async () => {
    for (const type of [
      'text/plain; charset=us-ascii (Plain text)',
      'text/plain; charset="us-ascii"',
      'TEXT/PLAIN; CHARSET=US-ASCII',
    ])
      expect((await read(`Content-Type: ${type}`, '', 'hello')).text.trim(), type).to.equal('hello');
  });

  it('reads quoted-printable with soft line breaks (RFC 2045 section 6.7)', async () => {
    const { text } = await read(
      'Content-Transfer-Encoding: quoted-printable',
      '',
      "Now's the time =",
      'for all folk to come=',
      ' to the aid of their country.',
    );
    expect(text.trim()).to.equal("Now's the time for all folk to come to the aid of their country.");
  });

  it('leaves preamble and epilogue out (RFC 2046 section 5.1.1)', async () => {
    const { text } = await read(
      'From: Nathaniel Borenstein <nsb@bellcore.com>',
      'To: Ned Freed <ned@innosoft.com>',
      'Date: Sun, 21 Mar 1993 23:56:48 -0800 (PST)',
      'Subject: Sample message',
      'MIME-Version: 1.0',
      'Content-type: multipart/mixed; boundary="simple boundary"',
      '',
      'This is the preamble.  It is to be ignored, though it',
      'is a handy place for composition agents to include an',
      'explanatory note to non-MIME conformant readers.',
      '',
      '--simple boundary',
      '',
      'This is implicitly typed plain US-ASCII text.',
      'It does NOT end with a linebreak.',
      '--simple boundary',
      'Content-type: text/plain; charset=us-ascii',
      '',
      'This is explicitly typed plain US-ASCII text.',
      'It DOES end with a linebreak.',
      '',
      '--simple boundary--',
      '',
      'This is the epilogue.  It is also to be ignored.',
    );
    expect(text).to.contain('implicitly typed').and.to.contain('explicitly typed');
    expect(text).to.not.contain('preamble').and.to.not.contain('epilogue');
  });

  it('prefers neither half of multipart/alternative to the other, and has both (RFC 2046 section 5.1.4)', async () => {
    const { text, html } = await read(
      'Content-Type: multipart/alternative; boundary=boundary42',
      '',
      '--boundary42',
      'Content-Type: text/plain; charset=us-ascii',
      '',
      '... plain text version of message goes here ...',
      '--boundary42',
      'Content-Type: text/html',
      '',
      '<p>... richer version of same message goes here ...</p>',
      '--boundary42--',
    );
    expect(text).to.contain('plain text version').and.to.not.contain('richer version');
    expect(html).to.contain('richer version');
  });

  it('reads the complex multipart example (RFC 2049 appendix A, shortened)', async () => {
    const message = await read(
      'MIME-Version: 1.0',
      'From: Nathaniel Borenstein <nsb@nsb.fv.com>',
      'To: Ned Freed <ned@innosoft.com>',
      'Date: Fri, 07 Oct 1994 16:15:05 -0700 (PDT)',
      'Subject: A multipart example',
      'Content-Type: multipart/mixed; boundary=unique-boundary-1',
      '',
      'This is the preamble area of a multipart message.',
      '--unique-boundary-1',
      '',
      '  ... Some text appears here ...',
      '--unique-boundary-1',
      'Content-type: text/plain; charset=US-ASCII',
      '',
      'This could have been part of the previous part, but',
      'illustrates explicit versus implicit typing of body parts.',
      '--unique-boundary-1',
      'Content-Type: multipart/parallel; boundary=unique-boundary-2',
      '',
      '--unique-boundary-2',
      'Content-Type: audio/basic',
      'Content-Transfer-Encoding: base64',
      '',
      'AAECAwQ=',
      '--unique-boundary-2',
      'Content-Type: image/jpeg',
      'Content-Transfer-Encoding: base64',
      '',
      '/9j/4A==',
      '--unique-boundary-2--',
      '--unique-boundary-1',
      'Content-Type: message/rfc822',
      '',
      'From: (mailbox in US-ASCII)',
      'To: (address in US-ASCII)',
      'Subject: (subject in US-ASCII)',
      'Content-Type: Text/plain; charset=ISO-8859-1',
      'Content-Transfer-Encoding: Quoted-printable',
      '',
      '  ... Additional text in ISO-8859-1 goes here ...',
      '',
      '--unique-boundary-1--',
    );
    expect(message.text).to.contain('Some text appears here').and.to.contain('explicit versus implicit');
    expect(message.enclosures.map((part) => part.mimeType)).to.deep.equal([
      'audio/basic',
      'image/jpeg',
      'message/rfc822',
    ]);
    expect(Buffer.from(message.enclosures[0]!.content)).to.deep.equal(Buffer.from([0, 1, 2, 3, 4]));
    expect(message.enclosed?.subject).to.equal('(subject in US-ASCII)');
    expect(message.enclosed?.text).to.contain('Additional text in ISO-8859-1');
  });

  it('takes an unknown encoding of a text as it stands (RFC 2045 section 6.4 asks for octets; common practice)', async () => {
    const { text } = await read('Content-Transfer-Encoding: x-unheard-of', '', 'as it stands');
    expect(text).to.contain('as it stands');
  });
});

describe('RFC 2231: long and foreign parameters', () => {
  const enclosure = async (...parameters: string[]) =>
    (
      await read(
        'Content-Type: multipart/mixed; boundary=b',
        '',
        '--b',
        'Content-Type: text/plain',
        '',
        'x',
        '--b',
        'Content-Type: application/x-stuff',
        `Content-Disposition: attachment; ${parameters.join(';\r\n ')}`,
        '',
        'y',
        '--b--',
      )
    ).enclosures[0]?.filename;

  it('joins continued values (section 3)', async () => {
    expect(await enclosure('filename*0="bulk-"', 'filename*1="mailer.tar"')).to.equal('bulk-mailer.tar');
  });

  it('decodes a value with charset and language (section 4)', async () => {
    expect(await enclosure("filename*=us-ascii'en-us'This%20is%20%2A%2A%2Afun%2A%2A%2A")).to.equal(
      'This is ***fun***',
    );
  });

  it('does both at once (section 4.1)', async () => {
    expect(
      await enclosure(
        "filename*0*=us-ascii'en'This%20is%20even%20more%20",
        'filename*1*=%2A%2A%2Afun%2A%2A%2A%20',
        'filename*2="isn\'t it!"',
      ),
    ).to.equal("This is even more ***fun*** isn't it!");
  });
});

describe('RFC 6532: headers in UTF-8', () => {
  it('reads names, addresses and subjects as they stand, and finds them', async () => {
    const message = await read(
      'From: Pelé Müller <pelé@例え.example>',
      'To: 用户 <用户@例え.example>',
      'Subject: Grüße aus Łódź – 見積もり',
      '',
      'hello',
    );
    expect(message.from).to.deep.equal({ name: 'Pelé Müller', address: 'pelé@例え.example' });
    expect(message.to[0]?.name).to.equal('用户');
    expect(message.subject).to.equal('Grüße aus Łódź – 見積もり');
    expect(searchWords(message)).to.contain('pelé@例え.example').and.to.contain('見積もり');
  });
});

describe('RFC 5322 section 3.6.4 and appendix A.2: what an answer names', () => {
  it('names its parent, then its parent’s ancestors before it', () => {
    const first = { messageId: '1234@local.machine.example', references: [], inReplyTo: [] };
    expect(referencesFor(first)).to.deep.equal(['1234@local.machine.example']);
    const second = {
      messageId: '3456@example.net',
      references: ['1234@local.machine.example'],
      inReplyTo: ['1234@local.machine.example'],
    };
    expect(referencesFor(second)).to.deep.equal(['1234@local.machine.example', '3456@example.net']);
  });

  it('takes In-Reply-To where the parent has no References, if it names one message only', () => {
    const parent = { messageId: 'c@x.example', references: [] as string[] };
    expect(referencesFor({ ...parent, inReplyTo: ['a@x.example'] })).to.deep.equal([
      'a@x.example',
      'c@x.example',
    ]);
    expect(referencesFor({ ...parent, inReplyTo: ['a@x.example', 'b@x.example'] })).to.deep.equal([
      'c@x.example',
    ]);
    expect(referencesFor({ ...parent, messageId: null, inReplyTo: [] })).to.deep.equal([]);
  });
});
