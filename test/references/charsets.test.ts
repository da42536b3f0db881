import { expect } from 'chai';
import { readMessage } from '../../core/message/read.ts';

/** WHATWG Encoding Standard, index-windows-1252: the code points of the bytes 80 to 9F. */
const HIGH = [
  0x20ac, 0x81, 0x201a, 0x192, 0x201e, 0x2026, 0x2020, 0x2021, 0x2c6, 0x2030, 0x160, 0x2039, 0x152, 0x8d,
  0x17d, 0x8f, 0x90, 0x2018, 0x2019, 0x201c, 0x201d, 0x2022, 0x2013, 0x2014, 0x2dc, 0x2122, 0x161, 0x203a,
  0x153, 0x9d, 0x17e, 0x178,
];
const WORDS = String.fromCodePoint(...HIGH.filter((code) => code > 0xff));
const BYTES = Buffer.from(HIGH.flatMap((code, index) => (code > 0xff ? [0x80 + index] : [])));

const read = (head: string, body: Buffer | string) =>
  readMessage(
    Buffer.concat([Buffer.from(`From: a@x.example\r\n${head}\r\n\r\n`, 'latin1'), Buffer.from(body)]),
  );

describe('what bytes are, whatever is said of them (WHATWG Encoding Standard)', () => {
  for (const charset of ['windows-1252', 'iso-8859-1', 'us-ascii'])
    it(`quotation marks, dashes and the euro, declared as ${charset}`, async () => {
      const type = `Content-Type: text/plain; charset=${charset}`;
      expect((await read(type, BYTES)).text.trim()).to.equal(WORDS);
      const quoted = `${type}\r\nContent-Transfer-Encoding: quoted-printable`;
      expect((await read(quoted, 'It=92s =80500')).text.trim()).to.equal('It’s €500');
      const html = await read(
        `Content-Type: text/html; charset=${charset}`,
        Buffer.from('<p>\x80500</p>', 'latin1'),
      );
      expect([html.text, html.html?.trim()]).to.deep.equal(['€500', '<p>€500</p>']);
    });

  it('in subjects, names and names of enclosures', async () => {
    const word = '=?windows-1252?Q?=80500?=';
    const { subject, from, enclosures } = await readMessage(
      Buffer.from(
        `From: ${word} <a@x.example>\r\nSubject: ${word}\r\nContent-Type: application/pdf; name="${word}"\r\nContent-Disposition: attachment\r\n\r\nx`,
      ),
    );
    expect([subject, from?.name, enclosures[0]?.filename]).to.deep.equal(['€500', '€500', '€500']);
  });

  it('UTF-8, declared as something else', async () => {
    for (const charset of ['us-ascii', 'iso-8859-1', 'windows-1252', 'unknown-8bit', 'utf8mb4'])
      expect(
        (await read(`Content-Type: text/plain; charset=${charset}`, '“Grüße” – 五')).text.trim(),
        charset,
      ).to.equal('“Grüße” – 五');
    expect((await read('Content-Type: text/plain', 'Grüße')).text.trim()).to.equal('Grüße');
  });

  it('other text stays as it is', async () => {
    const latin = Buffer.from('Grüße, façade, Ærø: 5°', 'latin1');
    expect((await read('Content-Type: text/plain; charset=iso-8859-1', latin)).text.trim()).to.equal(
      'Grüße, façade, Ærø: 5°',
    );
    expect((await read('Content-Type: text/plain; charset=utf-8', 'Ã© 五')).text.trim()).to.equal('Ã© 五');
  });
});

describe('words are found wherever the head says they are not (RFC 2045 section 5.2, RFC 2046 section 4.1.4)', () => {
  for (const type of ['text', 'plain', 'text/', 'text/enriched', 'text/markdown; charset=utf-8'])
    it(`Content-Type: ${type}`, async () => {
      const { text, enclosures } = await read(`Content-Type: ${type}`, 'Grüße\r\nAnn');
      expect([text.trim().replaceAll('\r', ''), enclosures]).to.deep.equal(['Grüße\nAnn', []]);
    });

  it('a blank text beside HTML', async () => {
    const { text } = await read(
      'Content-Type: multipart/alternative; boundary=b',
      '--b\r\nContent-Type: text/plain\r\n\r\n \r\n\r\n--b\r\nContent-Type: text/html\r\n\r\n<p>Words</p>\r\n--b--\r\n',
    );
    expect(text).to.equal('Words');
  });

  it('parts without a boundary, or with another; parts that are empty stay so', async () => {
    expect((await read('Content-Type: multipart/mixed', 'Words')).text.trim()).to.equal('Words');
    expect(
      (await read('Content-Type: multipart/mixed; boundary=b', '--c\r\n\r\nWords\r\n--c--')).text,
    ).to.contain('Words');
    const empty = '--b\r\nContent-Type: text/plain\r\n\r\n\r\n--b--\r\n';
    expect((await read('Content-Type: multipart/mixed; boundary="b"', empty)).text.trim()).to.equal('');
  });

  it('not in what is an enclosure', async () => {
    const { text, enclosures } = await read('Content-Type: text/calendar', 'BEGIN:VCALENDAR');
    expect([text, enclosures.length]).to.deep.equal(['', 1]);
  });
});
