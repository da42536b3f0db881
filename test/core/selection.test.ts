import { expect } from 'chai';
import { KIND_OF_FIELD, SELECTABLE, type Catalogue } from '../../core/selection/catalogue.ts';
import { cellWords } from '../../core/selection/cells.ts';
import { dayRange, liesWithin } from '../../core/selection/days.ts';
import { passes } from '../../core/selection/evaluate.ts';
import { explain, problemsOf } from '../../core/selection/explain.ts';
import { districtPattern } from '../../core/selection/postcode.ts';
import { isSaid, saidLines, selectionOf, type Line, type Selection } from '../../core/selection/tree.ts';

const field = (id: number, label: string, kind: keyof typeof KIND_OF_FIELD, unit = '', gone = false) => ({
  ...{ key: `field:${id}`, of: 'client' as const, label, kind: KIND_OF_FIELD[kind], unit },
  ...{ yes: '', no: '', options: [], gone },
});
const OPTIONS: Record<string, { value: number | string; title: string }[]> = {
  'client.service': [
    { value: 1, title: 'Annual retainer' },
    { value: 2, title: 'Project' },
  ],
  'client.interests': [{ value: 4, title: 'Orchard days' }],
  'client.mailings': [
    { value: 'email', title: 'email' },
    { value: 'both', title: 'email and post' },
  ],
  'mailing.topic': [{ value: 9, title: 'Grant news' }],
  'file.stage': [{ value: 3, title: 'Survey' }],
  'file.adviser': [{ value: 'me', title: 'me' }],
};
const CATALOGUE: Catalogue = [
  ...Object.entries(SELECTABLE).map(([key, fact]) => ({
    ...{ unit: '', yes: '', no: '', gone: false },
    ...fact,
    ...{ key, options: OPTIONS[key] ?? [] },
  })),
  field(2, 'Woodland area', 'number', 'ha'),
  field(3, 'Plan review', 'date'),
  field(7, 'TPO number', 'text'),
  field(8, 'Old measure', 'number', '', true),
];
const of = (...lines: Line[]): Selection => ({ ...selectionOf(...lines), past: false });

describe('a selection in words', () => {
  it('reads as one plain sentence, whatever it is made of', () => {
    const selection = of(
      { fact: 'field:2', test: { op: 'at least', value: 10 } },
      { fact: 'client.service', test: { op: 'one of', values: [1, 2] } },
      { fact: 'field:3', test: { op: 'in the next', count: 3, unit: 'months' } },
      { fact: 'client.interests', test: { op: 'one of', values: [4] } },
      { fact: 'client.mailings', test: { op: 'one of', values: ['email', 'both'] } },
      {
        through: 'client.mailed',
        has: false,
        of: [
          { fact: 'mailing.topic', test: { op: 'one of', values: [9] } },
          { fact: 'mailing.sent', test: { op: 'from', day: '2026-11-01' } },
        ],
      },
    );
    expect(explain(selection, CATALOGUE)).to.equal(
      'All present clients whose woodland area is at least 10 ha, whose service is Annual retainer or Project, ' +
        'whose plan review is in the next 3 months, whose interests include Orchard days, ' +
        'whose delivery of mailings is email or email and post and who have no mailing ' +
        '(whose topic is Grant news and whose day sent is from 1 November 2026).',
    );
  });

  it('tells groups, what hangs on the record, and what was done by hand', () => {
    const selection: Selection = {
      ...of(
        {
          match: 'any',
          of: [
            { fact: 'client.email', test: { op: 'no' } },
            { fact: 'field:7', test: { op: 'begins with', text: 'TPO' } },
          ],
        },
        {
          through: 'client.files',
          has: true,
          of: [
            { fact: 'file.isOpen', test: { op: 'yes' } },
            { fact: 'file.stage', test: { op: 'one of', values: [3] } },
            { fact: 'file.adviser', test: { op: 'one of', values: ['me'] } },
          ],
        },
        { match: 'none', of: [{ fact: 'client.weOwe', test: { op: 'yes' } }] },
      ),
      added: [1, 2],
      removed: [3],
    };
    expect(explain(selection, CATALOGUE)).to.equal(
      'All present clients either who have no email address or whose TPO number begins with “TPO” and ' +
        'who have a file (which are open, whose stage is Survey and whose adviser of the file is me) ' +
        'but not those who wait for our answer; 2 put in by hand and 1 taken out by hand.',
    );
    expect(explain({ ...selectionOf(), subject: 'file' }, CATALOGUE)).to.equal('All files.');
    expect(explain({ ...selectionOf(), only: [4, 5] }, CATALOGUE)).to.equal(
      'All clients; of these only 2 that were ticked.',
    );
  });

  it('passes over what has not been said yet, in groups too', () => {
    const unsaid: Line[] = [
      { fact: 'client.service', test: { op: 'one of', values: [] } },
      { fact: 'client.name', test: { op: 'contains', text: '  ' } },
      { fact: 'field:3', test: { op: 'from', day: '' } },
      { fact: 'field:3', test: { op: 'from until', from: '2026-01-01', to: '' } },
    ];
    expect(unsaid.some((line) => 'test' in line && isSaid(line))).to.equal(false);
    expect(saidLines([...unsaid, { match: 'none', of: unsaid }])).to.deep.equal([]);
    expect(saidLines([{ through: 'client.files', has: true, of: unsaid }])).to.deep.equal([
      { through: 'client.files', has: true, of: [] },
    ]);
  });

  it('says where something is wrong, and what to do', () => {
    const wrong = (line: Line) => problemsOf(of({ match: 'any', of: [line] }), CATALOGUE);
    expect(wrong({ fact: 'field:8', test: { op: 'at least', value: 1 } })).to.deep.equal([
      {
        path: [0, 0],
        words:
          'The field “Old measure” has been taken away. Take this line away too, or bring the field back in Settings.',
      },
    ]);
    expect(wrong({ fact: 'field:99', test: { op: 'filled' } })[0]?.words).to.contain('not known here');
    expect(wrong({ fact: 'client.service', test: { op: 'one of', values: [1, 77] } })[0]?.words).to.contain(
      'One of what was chosen for “Service” is no longer there',
    );
    expect(wrong({ fact: 'client.name', test: { op: 'at least', value: 1 } })[0]?.words).to.contain(
      'cannot be asked this',
    );
    expect(wrong({ fact: 'field:2', test: { op: 'between', from: 9, to: 1 } })[0]?.words).to.contain(
      'larger',
    );
    expect(wrong({ through: 'file.client', has: true, of: [] })[0]?.words).to.contain('leads nowhere');
    expect(problemsOf(of(), CATALOGUE)).to.deep.equal([]);
  });
});

describe('what a test means', () => {
  const asking = { today: '2026-03-31', me: 5 };

  it('counts days from today, months as the calendar has them, both ends inclusive', () => {
    const range = (op: 'in the last' | 'in the next' | 'longer ago than' | 'further ahead than') =>
      dayRange({ op, count: 1, unit: 'months' }, asking.today);
    expect(range('in the last')).to.deep.equal({ from: '2026-02-28', to: '2026-03-31' });
    expect(range('in the next')).to.deep.equal({ from: '2026-03-31', to: '2026-04-30' });
    expect(range('longer ago than')).to.deep.equal({ from: null, to: '2026-02-27' });
    expect(range('further ahead than')).to.deep.equal({ from: '2026-05-01', to: null });
    // Nothing lies in both, and nothing in neither.
    for (const day of ['2026-02-27', '2026-02-28', '2026-03-31'])
      expect(liesWithin(day, range('in the last'))).to.equal(!liesWithin(day, range('longer ago than')));
  });

  it('takes what is not there for none, empty, lacking and not so', () => {
    const of = (test: Parameters<typeof passes>[1]) => passes(null, test, asking);
    expect([
      of({ op: 'empty' }),
      of({ op: 'none of', values: [1] }),
      of({ op: 'lacks', text: 'x' }),
      of({ op: 'no' }),
    ]).to.deep.equal([true, true, true, true]);
    expect([
      of({ op: 'filled' }),
      of({ op: 'one of', values: [1] }),
      of({ op: 'at most', value: 3 }),
      of({ op: 'until', day: '2026-01-01' }),
      of({ op: 'yes' }),
    ]).to.deep.equal([false, false, false, false, false]);
    expect(passes(5, { op: 'one of', values: ['me'] }, asking)).to.equal(true);
  });

  it('knows an area, a district and a sector of postcodes apart', () => {
    const within = (typed: string, code: string) => new RegExp(districtPattern(typed) ?? '$^').test(code);
    // Makes of postcode as BS 7666 has them (A9 9AA, A99 9AA, AA9 9AA, A9A 9AA), the letters made up.
    expect([
      within('Q', 'Q11AB'),
      within('q1', 'Q11AB'),
      within('Q1', 'Q121AB'),
      within('Q12', 'Q121AB'),
      within('Q1 2', 'Q12AB'),
      within('QX', 'Q11AB'),
      within('QX4', 'QX42AB'),
      within('Q1W', 'Q1W0AX'),
      within('101', '10115'),
      within('1011', '20115'),
      within('(', 'Q11AB'),
    ]).to.deep.equal([true, true, false, true, true, false, true, true, true, false, false]);
    expect(districtPattern('.*')).to.equal(null);
  });

  it('is shown as people read it', () => {
    const fact = (key: string) => CATALOGUE.find((each) => each.key === key) ?? field(0, '', 'text');
    const day = (value: string) => `on ${value.slice(0, 10)}`;
    expect([
      cellWords(1234.5, fact('field:2'), day),
      cellWords('email', fact('client.mailings'), day),
      cellWords(1999, fact('client.since'), day),
      cellWords('2026-05-01', fact('field:3'), day),
      cellWords('1', fact('client.weOwe'), day),
      cellWords(null, fact('client.name'), day),
    ]).to.deep.equal(['1,234.5 ha', 'email', '1999', 'on 2026-05-01', 'yes', '']);
  });
});
