import { expect } from 'chai';
import fc from 'fast-check';
import Papa from 'papaparse';
import { guessColumns } from '../../core/import/columns.ts';
import { understand, type OwnField, type Reckoning } from '../../core/import/plan.ts';
import { readTable } from '../../core/import/table.ts';
import { decodeList, NoTable } from '../../core/import/text.ts';

const bytes = (text: string) => new TextEncoder().encode(text);
const utf16 = (text: string, big = false) => {
  const buffer = Buffer.from(text, 'utf16le');
  return new Uint8Array(big ? buffer.swap16() : buffer);
};

describe('lists that are brought in', () => {
  describe('as text', () => {
    const WORDS = 'Name;Ort\r\nJosé Müller;Kärnten – “Süd” €\r\n';
    it('are read in any encoding, with or without a mark', () => {
      for (const [encoding, raw] of [
        ['utf-8', bytes(WORDS)],
        ['utf-8', bytes(`\u{FEFF}${WORDS}`)],
        ['utf-16le', utf16(`\u{FEFF}${WORDS}`)],
        ['utf-16be', utf16(`\u{FEFF}${WORDS}`, true)],
        ['utf-16le', utf16(WORDS)],
        ['utf-16be', utf16(WORDS, true)],
      ] as const)
        expect(decodeList(raw)).to.deep.equal({ text: WORDS, encoding });
      // windows-1252, byte for byte (its table in the WHATWG Encoding Standard).
      const old = Uint8Array.from([
        0x4a, 0x6f, 0x73, 0xe9, 0x20, 0x96, 0x20, 0x93, 0x53, 0xfc, 0x64, 0x94, 0x20, 0x80,
      ]);
      expect(decodeList(old)).to.deep.equal({ text: 'José – “Süd” €', encoding: 'windows-1252' });
    });

    it('are refused with what they are when they are no text', () => {
      for (const [raw, words] of [
        [Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]), 'a picture (PNG)'],
        [Uint8Array.from([0x50, 0x4b, 3, 4, 20, 0]), 'save the sheet as CSV'],
        [Uint8Array.from([0x25, 0x50, 0x44, 0x46, 0x2d]), 'a PDF'],
        [bytes('a,b\0c,d'), 'signs in it that no table has'],
        [bytes(' \r\n '), 'nothing in this file'],
        [new Uint8Array(), 'nothing in this file'],
      ] as const)
        expect(() => decodeList(raw)).to.throw(NoTable, words);
    });
  });

  describe('as tables', () => {
    it('are those of RFC 4180, section 2', () => {
      // The standard's own examples, each below headings.
      for (const [raw, rows] of [
        [
          'a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx\r\n',
          [
            ['aaa', 'bbb', 'ccc'],
            ['zzz', 'yyy', 'xxx'],
          ],
        ],
        [
          'a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx',
          [
            ['aaa', 'bbb', 'ccc'],
            ['zzz', 'yyy', 'xxx'],
          ],
        ],
        [
          'a,b,c\r\n"aaa","bbb","ccc"\r\nzzz,yyy,xxx',
          [
            ['aaa', 'bbb', 'ccc'],
            ['zzz', 'yyy', 'xxx'],
          ],
        ],
        [
          'a,b,c\r\n"aaa","b\r\nbb","ccc"\r\nzzz,yyy,xxx',
          [
            ['aaa', 'b\r\nbb', 'ccc'],
            ['zzz', 'yyy', 'xxx'],
          ],
        ],
        ['a,b,c\r\n"aaa","b""bb","ccc"', [['aaa', 'b"bb', 'ccc']]],
      ] as const)
        expect(readTable(bytes(raw)).rows).to.deep.equal(rows);
    });

    it('are parted by whatever parts them, ragged rows filled up and empty ones passed over', () => {
      for (const mark of [',', ';', '\t', '|']) {
        const raw = ['Name|Place', 'Ada|Fell', '', 'Ben', 'Cyd|Dale|more'].join('\n').replaceAll('|', mark);
        expect(readTable(bytes(raw))).to.deep.equal({
          header: ['Name', 'Place'],
          rows: [
            ['Ada', 'Fell'],
            ['Ben', ''],
            ['Cyd', 'Dale'],
          ],
          encoding: 'utf-8',
          delimiter: mark,
        });
      }
      expect(() => readTable(bytes('Name,Place'))).to.throw(NoTable, 'no row below');
      expect(() => readTable(bytes('Name,Place\nAda,"Fell\nBen,Dale'))).to.throw(NoTable, 'never closed');
      expect(() => readTable(bytes(`${'a,'.repeat(400)}\n1`))).to.throw(NoTable, 'columns');
    });

    it('come back from any cells as another program writes them', () => {
      // A quotation mark before what a spreadsheet would reckon is our own, put there when a list was taken out.
      const cell = fc
        .string({ unit: 'grapheme', maxLength: 12 })
        .map((text) => text.replaceAll('\0', ''))
        .filter((text) => !/^'+[=+@\t\r-]/.test(text));
      fc.assert(
        fc.property(
          fc.array(fc.tuple(fc.constantFrom('x', 'y'), cell, cell), { minLength: 1, maxLength: 8 }),
          (rows) => {
            const raw = Papa.unparse([['Name', 'One', 'Two'], ...rows], { quotes: true });
            expect(readTable(bytes(raw)).rows).to.deep.equal(rows);
          },
        ),
      );
    });
  });

  it('have columns that are guessed by their headings, then by what stands in them', () => {
    const own = [{ id: 7, label: 'Holding area', unit: '' }];
    const guessed = (header: string[], ...rows: string[][]) => guessColumns(header, rows, own);
    expect(
      guessed([
        'Client Name',
        'First name',
        'SURNAME',
        'E-mail',
        'Mobile',
        'Address line 1',
        'Address line 2',
        'Postcode',
        'Matter No',
        'Adviser',
        'holding area',
        'Colour of door',
      ]),
    ).to.deep.equal([
      'client.name',
      'person.firstName',
      'person.lastName',
      'person.email',
      'person.phone',
      'client.postal',
      'client.postal',
      'client.postal',
      'file.number',
      'client.adviser',
      'field:7',
      null,
    ]);
    expect(
      guessed(['Who', 'Where to'], ['Ada', 'ada@fell.example'], ['Ben', 'ben@dale.example']),
    ).to.deep.equal([null, 'person.email']);
    expect(guessed(['Name', 'Name'])).to.deep.equal(['client.name', null]);
  });

  describe('row by row', () => {
    const field = (
      id: number,
      kind: OwnField['kind'],
      choices: OwnField['choices'] = [],
    ): [string, OwnField] => [`field:${id}`, { id, of: 'client', label: `My ${kind}`, kind, choices }];
    const BY: Reckoning = {
      today: '2026-11-26',
      country: 'GB',
      services: new Map([['retainer', 'Retainer']]),
      stages: new Map([['survey', 'Survey']]),
      interests: new Map([['river mornings', 'River mornings']]),
      advisers: new Map([
        ['ines calder', 3],
        ['ines@firm.example', 3],
      ]),
      fields: new Map([
        field(1, 'number'),
        field(2, 'money'),
        field(3, 'date'),
        field(4, 'yes or no'),
        field(5, 'choice', [{ id: 11, label: 'Clay' }]),
        field(6, 'choices', [
          { id: 11, label: 'Clay' },
          { id: 12, label: 'Chalk' },
        ]),
      ]),
    };

    it('are understood as people write', () => {
      const read = understand(
        [
          'Fell Farm',
          'Limited',
          'former',
          '1 May 1998',
          'retainer',
          'The Mill; Fell',
          'Q1 2AB',
          'Ireland',
          'INES CALDER',
          'big; Christmas card',
          'river mornings',
          'Fell, Ada',
          '<Ada Fell> ; ada@fell.example, Ada <ADA@fell.example>',
          '01632 960961',
          'QL-1',
          '3.5.24',
          '2024-06-01 00:00:00',
        ],
        [
          'client.name',
          'client.kind',
          'client.status',
          'client.since',
          'client.service',
          'client.postal',
          'client.postal',
          'client.country',
          'client.adviser',
          'client.tags',
          'client.interests',
          'person.name',
          null,
          'person.phone',
          'file.number',
          'file.opened',
          'file.closed',
        ],
        BY,
      );
      expect(read).to.deep.equal({
        problems: null,
        wanted: {
          client: {
            name: 'Fell Farm',
            set: {
              kind: 'company',
              status: 'past',
              since: 1998,
              service: 'Retainer',
              country: 'IE',
              adviserId: 3,
              postal: ['The Mill', 'Fell', 'Q1 2AB'],
            },
            phones: [],
            tags: ['big', 'Christmas card'],
            interests: ['River mornings'],
          },
          person: {
            set: { firstName: 'Ada', lastName: 'Fell' },
            emails: [],
            phones: ['01632 960961'],
            role: null,
          },
          file: { number: 'QL-1', set: { opened: '2024-05-03', closed: '2024-06-01' } },
          fee: null,
          links: [],
        },
      });
    });

    it('hold several addresses, each once, however they are written', () => {
      const { wanted } = understand(
        ['ada@fell.example; Ada Fell <ADA@fell.example>, mailto:two@fell.example'],
        ['person.email'],
        { ...BY },
      );
      // Nobody is named: it is no client's row.
      expect(wanted).to.equal(null);
      const named = understand(
        ['Ada', 'ada@fell.example; A <ADA@fell.example>, mailto:two@fell.example'],
        ['person.lastName', 'person.email'],
        BY,
      );
      expect(named.wanted?.person?.emails).to.deep.equal(['ada@fell.example', 'two@fell.example']);
      expect(named.wanted?.client.name).to.equal('Ada');
    });

    it('fill fields of the firm’s own of every kind', () => {
      const value = (id: number, cell: string) => {
        const { wanted, problems } = understand(['x', cell], ['client.name', `field:${id}`], BY);
        return problems?.[0] ?? wanted?.client.set[`field:${id}`];
      };
      for (const [id, cell, expected] of [
        [1, '14.25 ha', 14.25],
        [1, '1,200', 1200],
        [1, '1.200,50', 1200.5],
        [1, '1,200.50', 1200.5],
        [1, '14,5', 14.5],
        [1, '14.125', 14.125],
        [1, '1.200.000', 1_200_000],
        [1, '-3', -3],
        [1, 'much', 'My number: “much” cannot stand in it.'],
        [2, '£ 1,200.00', 1200],
        [3, '3 May 2026', '2026-05-03'],
        [3, 'soon', 'My date: “soon” cannot stand in it.'],
        [4, 'Y', true],
        [4, 'no', false],
        [4, 'perhaps', 'My yes or no: “perhaps” cannot stand in it.'],
        [5, 'clay', 11],
        [5, 'Peat', 'My choice: “Peat” cannot stand in it.'],
        [6, 'chalk; Clay', [12, 11]],
      ] as const)
        expect([cell, value(id, cell)]).to.deep.equal([cell, expected]);
    });

    it('say everything that is wrong with them', () => {
      const { problems } = understand(
        ['Fell', 'castle', 'nobody', 'ada at fell', 'ring me', 'Moon', 'never'],
        [
          'client.name',
          'client.kind',
          'client.adviser',
          'person.email',
          'client.phone',
          'client.country',
          'file.opened',
        ],
        BY,
      );
      expect(problems).to.deep.equal([
        '“castle” is none of the kinds of client.',
        '“nobody” is none of the office’s staff.',
        '“ada at fell” is no email address.',
        '“ring me” is no telephone number.',
        '“Moon” is none of the countries we know.',
        '“never” is no day.',
      ]);
      expect(understand(['', ''], ['client.name', 'client.place'], BY).problems).to.deep.equal([
        'It names neither a client nor a file.',
      ]);
    });
  });
});
