import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import fc from 'fast-check';
import { simpleParser } from 'mailparser';
import { makeWorld } from '../../demo/load.ts';
import { STAFF } from '../../demo/register.ts';
import { unflowed } from '../../core/message/flowed.ts';
import { parseMime } from '../../core/message/mime.ts';
import { readMessage } from '../../core/message/read.ts';
import { Account } from '../../outside/store.ts';

const bytes = (text: string) => Buffer.from(text, 'latin1');
const read = (...lines: string[]) => readMessage(bytes(lines.join('\r\n')));
const sha = (content: Uint8Array) => createHash('sha256').update(content).digest('hex');

describe('format=flowed (RFC 3676)', () => {
  it('puts paragraphs together, each quote depth by itself (section 4.5 and the example of 4.2)', () => {
    const text = [
      "'Take some more tea,' the March Hare said to Alice, very ",
      'earnestly.',
      '',
      "> 'I've had nothing yet,' Alice replied in an offended ",
      "> tone, 'so I can't take more.'",
      '>> what was ',
      '> said ',
      'I agree.',
      '',
    ].join('\r\n');
    expect(unflowed(text, false).split('\n')).to.deep.equal([
      "'Take some more tea,' the March Hare said to Alice, very earnestly.",
      '',
      "> 'I've had nothing yet,' Alice replied in an offended tone, 'so I can't take more.'",
      '>> what was ',
      '> said ',
      'I agree.',
      '',
    ]);
  });
  it('takes stuffing away, leaves the line before a signature, and joins without a blank where it says so (4.4, 4.3, 4.1)', () => {
    expect(unflowed(' From here \nto there', false)).to.equal('From here to there');
    expect(unflowed('Yours \n-- \nAda', false)).to.equal('Yours \n-- \nAda');
    expect(unflowed('shortwo \nrds', true)).to.equal('shortwords');
  });
  it('keeps an answer between quotations the writer’s own', async () => {
    const message = await read(
      'Content-Type: text/plain; format=flowed',
      '',
      '> Shall we? ',
      '',
      'I agree',
      '> Good.',
    );
    expect(message.text).to.equal('> Shall we? \n\nI agree\n> Good.');
  });
});

describe('enclosures', () => {
  const within = (type: string, encoding: string, body: string, more: string[] = []) =>
    readMessage(
      bytes(
        [
          'Content-Type: multipart/mixed; boundary=b',
          '',
          '--b',
          'Content-Type: text/plain',
          '',
          'Hello',
          '--b',
          `Content-Type: ${type}`,
          `Content-Transfer-Encoding: ${encoding}`,
          ...more,
          '',
          `${body}\r\n--b--`,
          '',
        ].join('\r\n'),
      ),
    );

  it('come out byte for byte as they were sent, line ends and the last one too (RFC 2046 section 5.1.1)', async () => {
    for (const [encoding, body, content] of [
      ['7bit', 'one\r\ntwo', 'one\r\ntwo'],
      ['7bit', 'one\ntwo\r\n', 'one\ntwo\r\n'],
      ['8bit', 'caf\xe9\r\n\r\n', 'caf\xe9\r\n\r\n'],
      ['binary', 'a\0b', 'a\0b'],
      ['quoted-printable', 'so=\r\nft =3D\r\nend', 'soft =\r\nend'],
      ['base64', Buffer.from('\x00\xff line\r\n', 'latin1').toString('base64'), '\x00\xff line\r\n'],
      ['7bit', '', ''],
    ] as const) {
      const message = await within('application/x-thing; name=thing', encoding, body);
      expect(Buffer.from(message.enclosures[0]?.content ?? []).toString('latin1'), encoding).to.equal(
        content,
      );
    }
  });
  it('are texts with a name, whatever way they are shown', async () => {
    const list = await within('text/plain; name="list.txt"', '7bit', 'one\r\ntwo');
    expect([list.text, list.enclosures.map(({ filename }) => filename)]).to.deep.equal([
      'Hello',
      ['list.txt'],
    ]);
    const shown = await within('text/plain', '7bit', 'one', [
      'Content-Disposition: inline; filename=notes.txt',
    ]);
    expect(shown.enclosures.map(({ filename, size }) => [filename, size])).to.deep.equal([['notes.txt', 3]]);
    // Where nothing else is said it is what is said, and enclosed as well.
    const alone = await read('Content-Type: text/plain; name=letter.txt', '', 'Dear Ada');
    expect([alone.text, alone.enclosures.length]).to.deep.equal(['Dear Ada', 1]);
  });
  it('have names in any charset, in pieces (RFC 2231 section 4.1)', async () => {
    const message = await within(
      'application/pdf; name*0*=UTF-8\'\'caf%C3%A9; name*1=" bill.pdf"',
      '7bit',
      'x',
    );
    expect(message.enclosures[0]?.filename).to.equal('café bill.pdf');
  });
});

describe('charsets that are not what they say', () => {
  const text = async (charset: string, body: Buffer) =>
    (await readMessage(Buffer.concat([bytes(`Content-Type: text/plain; charset=${charset}\r\n\r\n`), body])))
      .text;

  it('bytes that cannot be UTF-8 though they are declared so are windows-1252', async () => {
    expect(await text('utf-8', bytes('It\x92s \x80 500, caf\xe9'))).to.equal('It’s € 500, café');
    expect(await text('us-ascii', bytes('caf\xe9'))).to.equal('café');
    for (const charset of ['iso-8859-1', 'iso-8859-15', 'windows-1250', 'utf8mb4', 'unknown-8bit'])
      expect(await text(charset, Buffer.from('Grüße – für Zoë')), charset).to.equal('Grüße – für Zoë');
  });
  it('others are what they say (WHATWG Encoding Standard’s tables; RFC 2152 for UTF-7)', async () => {
    expect(await text('iso-8859-2', bytes('\xa3\xf3d\xbc'))).to.equal('Łódź');
    expect(await text('windows-1251', bytes('\xcf\xf0\xe8\xe2\xe5\xf2'))).to.equal('Привет');
    expect(await text('koi8-r', bytes('\xf0\xd2\xc9\xd7\xc5\xd4'))).to.equal('Привет');
    expect(await text('iso-8859-9', bytes('\xfe'))).to.equal('ş');
    expect(await text('iso-2022-jp', bytes('\x1b$B$9$_$^$;$s\x1b(B'))).to.equal('すみません');
    expect(await text('utf-7', bytes('Hi Mom -+Jjo--!'))).to.equal('Hi Mom -☺-!');
    expect(await text('shift_jis', bytes('\x82\xa0'))).to.equal('あ');
  });
});

describe('heads that keep to old or to no rules', () => {
  it('tell when it was written, in zones named by letters (RFC 5322 section 4.3)', async () => {
    const date = async (told: string) => (await read(`Date: ${told}`, '', '')).date?.toISOString();
    expect(await date('Tue, 12 Feb 2002 14:09:46 EET')).to.equal('2002-02-12T12:09:46.000Z');
    expect(await date('Tue, 12 Feb 2002 14:09:46 EST')).to.equal('2002-02-12T19:09:46.000Z');
    expect(await date('Mon, 1 Jan 2001 10:00:00 H0500')).to.equal('2001-01-01T10:00:00.000Z');
    expect(await date('Mon, 1 Jan 2001 10:00:00 +0100 (EET)')).to.equal('2001-01-01T09:00:00.000Z');
    for (const senseless of ['yesterday', 'last Tuesday, about tea time'])
      expect(await date(senseless), senseless).to.equal(undefined);
  });
  it('name the way of a letter, and hold blanks around dots (RFC 5322 section 4.4)', async () => {
    const { from, to } = await read(
      'From: <@a.example,@b.example:joe@c.example>',
      'To: Joe . Q @ x.example',
      '',
      '',
    );
    expect([from?.address, to[0]?.address.toLowerCase()]).to.deep.equal(['joe@c.example', 'joe.q@x.example']);
  });
});

describe('the structure of a message', () => {
  it('holds against hostile ones in linear time, whatever lies within what', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.constantFrom(
            'Content-Type: multipart/mixed; boundary=a',
            'Content-Type: multipart/alternative; boundary="b"',
            '--a',
            '--b',
            '--a--',
            '--b--',
            '--',
            '',
            'text',
            ' folded',
          ),
          { maxLength: 60 },
        ),
        (lines) => {
          const raw = bytes(lines.join('\r\n'));
          const { leaves } = parseMime(raw);
          // No byte is in two leaves.
          expect(leaves.reduce((sum, leaf) => sum + leaf.body.length, 0)).to.be.at.most(raw.length);
        },
      ),
    );
    const many = bytes(
      `Content-Type: multipart/mixed; boundary=a\r\n\r\n${'--a\r\n--b\r\n'.repeat(200_000)}`,
    );
    const started = performance.now();
    parseMime(many);
    expect(performance.now() - started).to.be.lessThan(5000);
  }).timeout(20_000);

  it('is read as an independent parser reads it, on every message of the demo (mailparser)', async () => {
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-parts-'));
    await makeWorld(dir, { seed: 'parts', now: new Date('2026-11-24T08:00:00Z'), clients: 12, files: 20 });
    let compared = 0;
    for (const { email } of STAFF)
      for (const folder of new Account(email, '', join(dir, 'accounts', email)).all())
        for (const entry of folder.messages) {
          const raw = folder.read(entry);
          const [ours, theirs] = await Promise.all([
            readMessage(raw),
            simpleParser(raw, { skipHtmlToText: true, skipTextToHtml: true, keepCidLinks: true }),
          ]);
          compared++;
          // What a report tells of a delivery the other counts as its text.
          const words = ours.report === null;
          const addresses = (
            list: { value: { address?: string }[] } | { value: { address?: string }[] }[] | undefined,
          ) => (list ? [list].flat() : []).flatMap(({ value }) => value.map(({ address }) => address));
          expect(
            [
              ours.subject,
              ours.from?.address,
              ours.to.map(({ address }) => address),
              ours.cc.map(({ address }) => address),
              ours.date?.toISOString(),
              ours.messageId,
              ours.references,
              words && ours.text.trim(),
              words && ours.enclosures.map(({ filename, content }) => [filename, sha(content)]),
            ],
            ours.subject,
          ).to.deep.equal([
            theirs.subject,
            addresses(theirs.from)[0],
            addresses(theirs.to),
            addresses(theirs.cc),
            theirs.date?.toISOString(),
            theirs.messageId?.replace(/^<|>$/g, ''),
            [theirs.references ?? []].flat().map((id) => id.replace(/^<|>$/g, '')),
            words && (theirs.text ?? '').trim(),
            words &&
              theirs.attachments.map(({ filename, content }, index) => [
                filename ?? ours.enclosures[index]?.filename,
                sha(content),
              ]),
          ]);
        }
    rmSync(dir, { recursive: true, force: true });
    expect(compared).to.be.greaterThan(100);
  });
});
