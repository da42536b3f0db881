import { expect } from 'chai';
import { readMessage } from '../../core/message/read.ts';

const subjectOf = async (header: string) =>
  (await readMessage(Buffer.from(`Subject: ${header}\r\n\r\n`))).subject;
const nameOf = async (header: string) =>
  (await readMessage(Buffer.from(`From: ${header}\r\n\r\n`))).from?.name;

describe('RFC 2047 section 8: encoded words', () => {
  it('reads the header examples', async () => {
    expect(await nameOf('=?US-ASCII?Q?Keith_Moore?= <moore@cs.utk.edu>')).to.equal('Keith Moore');
    expect(await nameOf('=?ISO-8859-1?Q?Keld_J=F8rn_Simonsen?= <keld@dkuug.dk>')).to.equal(
      'Keld Jørn Simonsen',
    );
    expect(await nameOf('=?ISO-8859-1?Q?Andr=E9?= Pirard <PIRARD@vm1.ulg.ac.be>')).to.equal('André Pirard');
    expect(await nameOf('=?ISO-8859-1?Q?Olle_J=E4rnefors?= <ojarnef@admin.kth.se>')).to.equal(
      'Olle Järnefors',
    );
    expect(await nameOf('=?ISO-8859-1?Q?Patrik_F=E4ltstr=F6m?= <paf@nada.kth.se>')).to.equal(
      'Patrik Fältström',
    );
    expect(
      await subjectOf(
        '=?ISO-8859-1?B?SWYgeW91IGNhbiByZWFkIHRoaXMgeW8=?=\r\n =?ISO-8859-2?B?dSB1bmRlcnN0YW5kIHRoZSBleGFtcGxlLg==?=',
      ),
    ).to.equal('If you can read this you understand the example.');
  });

  it('reads the examples of white space between encoded words', async () => {
    const cases: [string, string][] = [
      ['=?ISO-8859-1?Q?a?=', 'a'],
      ['=?ISO-8859-1?Q?a?= b', 'a b'],
      ['=?ISO-8859-1?Q?a?= =?ISO-8859-1?Q?b?=', 'ab'],
      ['=?ISO-8859-1?Q?a?=  =?ISO-8859-1?Q?b?=', 'ab'],
      ['=?ISO-8859-1?Q?a?=\r\n    =?ISO-8859-1?Q?b?=', 'ab'],
      ['=?ISO-8859-1?Q?a_b?=', 'a b'],
      ['=?ISO-8859-1?Q?a?= =?ISO-8859-2?Q?_b?=', 'a b'],
    ];
    for (const [header, words] of cases) expect(await subjectOf(header)).to.equal(words);
  });
});
