import { expect } from 'chai';
import fc from 'fast-check';
import { isOneSlip, misaddressed, type Leaving } from '../../core/checks/misaddressed.ts';
import { FilingRegister } from '../../core/filing/register.ts';

const register = new FilingRegister({
  firmDomains: ['quillhurst.example'],
  staffAddresses: [],
  freemail: ['freely.example'],
  fileNumberPattern: 'QL-\\d{5}',
  clients: [
    { id: 1, name: 'Farrant, Cosmo & Bryony', domain: null },
    { id: 2, name: 'Pell Family Trust', domain: 'pell.example' },
  ],
  people: [
    { id: 1, name: 'Cosmo Farrant', addresses: ['cosmo@freely.example'], clientIds: [1] },
    { id: 2, name: 'Bryony Farrant', addresses: ['bryony@freely.example'], clientIds: [1] },
    { id: 3, name: 'Agnes Pell', addresses: ['agnes@pell.example'], clientIds: [2] },
    { id: 4, name: 'Ivo Surveyor', addresses: ['ivo@survey.example'], clientIds: [2] },
  ],
  files: [
    { id: 10, number: 'QL-24031', title: 'Wood', clientId: 1, general: false, closed: false, personIds: [4] },
    { id: 20, number: 'QL-22140', title: 'Trust', clientId: 2, general: false, closed: false, personIds: [] },
  ],
});
const nobody = { met: new Set<string>(), near: ['cosmo@freely.example', 'agnes@pell.example'] };
const to = (email: string, name = '', at: 'to' | 'cc' | 'bcc' = 'to') => ({ email, name, at });
const letter = (change: Partial<Leaving> = {}): Leaving => ({
  envelope: [to('cosmo@freely.example', 'Cosmo Farrant')],
  fileIds: [10],
  text: 'Dear Cosmo,\n\nThe map is enclosed.\n',
  enclosures: [],
  answers: null,
  ...change,
});
const told = (change: Partial<Leaving>, known = nobody) =>
  misaddressed(letter(change), register, known).map(({ kind }) => kind);

describe('misaddressed mail', () => {
  it('says nothing of a letter to its own client, to whoever is on its file, or among ourselves', () => {
    expect(told({})).to.deep.equal([]);
    expect(told({ envelope: [to('ivo@survey.example')], text: 'Dear Ivo,\n' })).to.deep.equal([]);
    expect(told({ envelope: [to('maren@quillhurst.example')], text: 'Dear Agnes,\n' })).to.deep.equal([]);
    expect(told({ fileIds: [], text: 'Good morning Cosmo and Bryony,\n' })).to.deep.equal([]);
  });

  it('tells of somebody of another client, unless they have been met about this one', () => {
    const found = misaddressed(
      letter({ envelope: [to('agnes@pell.example', 'Agnes Pell')], text: '' }),
      register,
      nobody,
    );
    expect(found[0]?.words).to.equal(
      'Agnes Pell belongs to Pell Family Trust, and this is about Farrant, Cosmo & Bryony.',
    );
    const met = { ...nobody, met: new Set(['agnes@pell.example']) };
    expect(told({ envelope: [to('agnes@pell.example')], text: '' }, met)).to.deep.equal([]);
  });

  it('tells of a greeting that is nobody’s there, not of a short name, a title or a stranger’s', () => {
    expect(told({ text: 'Dear Agnes,\n\nThe map.' })).to.deep.equal(['greeting']);
    for (const fits of [
      'Dear Cos,\n',
      'Dear Mr Farrant,\n',
      'Dear all,\n',
      'Dear Sir or Madam,\n',
      'Hello\n',
      'Dear Zebedee,\n',
    ])
      expect(told({ text: fits }), fits).to.deep.equal([]);
  });

  it('tells of an enclosure of another client, by its number or by the mail it came with', () => {
    const enclosed = (filename: string, text = '', clientIds: number[] = []) =>
      told({ enclosures: [{ filename, text, clientIds }] });
    expect(enclosed('Report_QL-22140.pdf')).to.deep.equal(['enclosure']);
    expect(enclosed('notes.txt', 'Our file QL 22140')).to.deep.equal(['enclosure']);
    expect(enclosed('map.pdf', '', [2])).to.deep.equal(['enclosure']);
    expect(enclosed('QL-24031 and QL-22140.pdf')).to.deep.equal([]);
    expect(enclosed('map.pdf', '', [1, 2])).to.deep.equal([]);
  });

  it('tells of a stranger beside a client, the first time', () => {
    const envelope = [to('cosmo@freely.example'), to('who@elsewhere.example', '', 'cc')];
    expect(told({ envelope })).to.deep.equal(['outsider in cc']);
    expect(told({ envelope }, { ...nobody, met: new Set(['who@elsewhere.example']) })).to.deep.equal([]);
    expect(
      told({ envelope: [to('cosmo@freely.example'), to('office@pell.example', '', 'cc')] }),
    ).to.deep.equal([]);
  });

  it('does not tell of strangers in copy where no client is written to', () => {
    const council = [to('planning@council.example'), to('who@elsewhere.example', '', 'cc')];
    expect(told({ envelope: council, text: '' })).to.deep.equal([]);
    const clientInCopy = [to('planning@council.example'), to('cosmo@freely.example', '', 'cc')];
    expect(told({ envelope: clientInCopy, text: '' })).to.deep.equal([]);
  });

  it('tells of a slip, and of an answer to all', () => {
    expect(told({ envelope: [to('comso@freely.example')] })).to.deep.equal(['slip']);
    const both = [to('cosmo@freely.example'), to('bryony@freely.example')];
    expect(told({ envelope: both, answers: { all: true, hadBesides: 0 } })).to.deep.equal(['to all']);
    expect(told({ envelope: both, answers: { all: true, hadBesides: 1 } })).to.deep.equal([]);
    expect(told({ envelope: both, answers: { all: false, hadBesides: 0 } })).to.deep.equal([]);
  });

  it('knows one slip as Damerau counts it', () => {
    /** The distance by dynamic programming (optimal string alignment), to compare with. */
    const distance = (a: string, b: string): number => {
      const rows = Array.from({ length: a.length + 1 }, (_, i) =>
        Array.from({ length: b.length + 1 }, (_, j) => (i ? (j ? 0 : i) : j)),
      );
      const at = (i: number, j: number) => rows[i]?.[j] ?? 0;
      for (let i = 1; i <= a.length; i++)
        for (let j = 1; j <= b.length; j++) {
          const cost = a[i - 1] === b[j - 1] ? 0 : 1;
          let least = Math.min(at(i - 1, j) + 1, at(i, j - 1) + 1, at(i - 1, j - 1) + cost);
          if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
            least = Math.min(least, at(i - 2, j - 2) + 1);
          (rows[i] as number[])[j] = least;
        }
      return at(a.length, b.length);
    };
    const word = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), maxLength: 7 });
    fc.assert(
      fc.property(word, word, (a, b) => isOneSlip(a, b) === (distance(a, b) === 1)),
      { numRuns: 3000 },
    );
  });
});
