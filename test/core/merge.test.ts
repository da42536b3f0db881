import { expect } from 'chai';
import { addressClients } from '../../core/checks/recipients.ts';
import { meaningOf, waitBeforeNext } from '../../core/delivery/attempts.ts';
import { greeting } from '../../core/merge/greeting.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { safeLink } from '../../core/merge/html.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { addressKey, isAddress, nameKey } from '../../core/address/address.ts';
import { writtenPart, snippet } from '../../core/message/written.ts';

const text = (words: string, ...marks: string[]): DocNode => ({
  type: 'text',
  text: words,
  ...(marks.length ? { marks: marks.map((type) => ({ type })) } : {}),
});
const field = (name: string, fallback = ''): DocNode => ({
  type: 'mergeField',
  attrs: { field: name, fallback },
});
const p = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
const doc = (...content: DocNode[]): DocNode => ({ type: 'doc', content });

describe('merging one message for one recipient', () => {
  it('fills subject, HTML and plain text from the same facts', () => {
    const body = doc(p(text('Dear '), field('name'), text(',')), p(text('Important', 'bold')), {
      type: 'bulletList',
      content: [
        { type: 'listItem', content: [p(text('one'))] },
        { type: 'listItem', content: [p(text('two'))] },
      ],
    });
    const made = renderMessage(doc(p(text('For '), field('name'))), body, {
      words: { name: 'Cosmo & Bryony' },
    });
    expect(made.subject).to.equal('For Cosmo & Bryony');
    expect(made.text).to.equal('Dear Cosmo & Bryony,\n\nImportant\n\n- one\n- two\n');
    expect(made.html)
      .to.contain('Dear Cosmo &amp; Bryony,')
      .and.contain('<strong>Important</strong>')
      .and.contain('<table role="presentation"');
    expect(made.html).to.not.match(/<(style|script|link)/);
    expect(made.missing).to.deep.equal([]);
  });
  it('uses the fallback, and reports what is missing with its place', () => {
    const made = renderMessage(
      doc(p()),
      doc(p(text('At '), field('place', 'your place'), text(' we saw '), field('area'), text(' of wood.'))),
      { words: { place: '  ' } },
    );
    expect(made.text).to.equal('At your place we saw  of wood.\n');
    expect(made.missing).to.deep.equal([{ field: 'area', place: 'At  we saw … of wood.' }]);
  });
  it('lets no fact add markup, headers or links that act', () => {
    const made = renderMessage(doc(p(field('name'))), doc(p(field('name'))), {
      words: { name: '<img src=x onerror=a>\r\nBcc: all@x.example' },
    });
    expect(made.subject).to.equal('<img src=x onerror=a> Bcc: all@x.example');
    expect(made.html).to.contain('&lt;img src=x').and.not.contain('<img');
    expect([
      safeLink('javascript:alert(1)'),
      safeLink(' https://a.example/x '),
      safeLink('data:text/html,x'),
    ]).to.deep.equal([null, 'https://a.example/x', null]);
  });
  it('writes a link’s address after its words in plain text', () => {
    const link = {
      type: 'text',
      text: 'our pages',
      marks: [{ type: 'link', attrs: { href: 'https://a.example/' } }],
    };
    const made = renderMessage(doc(p()), doc(p(link)), { words: {} });
    expect(made.text).to.equal('our pages (https://a.example/)\n');
    expect(made.html).to.contain('<a href="https://a.example/"');
  });
  it('renders headings, numbered lists, quotations, rules and line breaks', () => {
    const made = renderMessage(
      doc(p()),
      doc(
        { type: 'heading', attrs: { level: 2 }, content: [text('Title')] },
        { type: 'orderedList', content: [{ type: 'listItem', content: [p(text('a'))] }] },
        { type: 'blockquote', content: [p(text('said'))] },
        { type: 'horizontalRule' },
        p(text('x'), { type: 'hardBreak' }, text('y')),
      ),
      { words: {} },
    );
    expect(made.text).to.equal('Title\n-----\n\n1. a\n\n  said\n\n----------\n\nx\ny\n');
    for (const tag of ['<h2', '<ol', '<blockquote', '<hr', 'x<br>y']) expect(made.html).to.contain(tag);
  });
});

describe('greetings', () => {
  const person = (firstName: string) => ({ firstName, lastName: 'X' });
  it('join a household, prefer the client’s own, and are null rather than wrong', () => {
    expect(greeting([person('Cosmo'), person('Bryony')], null)).to.equal('Cosmo and Bryony');
    expect(greeting([person('A'), person('B'), person('C')], null)).to.equal('A, B and C');
    expect(greeting([person('')], 'the clerk')).to.equal('the clerk');
    expect([greeting([person('')], null), greeting([], ' ')]).to.deep.equal([null, null]);
  });
});

describe('addressing clients', () => {
  const address = (email: string, extra = {}) => ({
    email,
    key: email,
    optedOut: false,
    returned: null,
    ...extra,
  });
  const client = (id: number, addresses: ReturnType<typeof address>[], extra = {}) => ({
    id,
    name: `C${id}`,
    couple: false,
    greeting: null,
    household: null,
    hasSender: true,
    way: 'email' as const,
    addressees: [{ personId: id, firstName: 'P', lastName: '', addresses }],
    ...extra,
  });
  it('takes the first usable address, and says why of the others', () => {
    const { addressed, leftOut } = addressClients([
      client(1, [address('a@x.example', { returned: 'gone' }), address('b@x.example')]),
      client(2, []),
      client(3, [address('c@x.example', { optedOut: true })]),
      client(4, [address('d@x.example', { returned: 'gone' })]),
      client(5, [address('b@x.example')]),
      client(6, [address('e@x.example')], { hasSender: false }),
    ]);
    expect(addressed.map((row) => [row.clientId, row.email])).to.deep.equal([[1, 'b@x.example']]);
    expect(leftOut.map((row) => row.why)).to.deep.equal([
      'no email address',
      'opted out',
      'email returned undelivered',
      'same address as another recipient',
      'nobody to send as',
    ]);
  });
});

describe('addressing clients who live together', () => {
  const living = (id: number) => ({
    ...{ id, name: `C${id}`, couple: false, greeting: null, hasSender: true, way: 'email' as const },
    household: 'theoldmill',
    addressees: [1, 2].map((n) => ({
      personId: id * 10 + n,
      firstName: `P${n}`,
      lastName: '',
      addresses: [
        { email: `${id}${n}@x.example`, key: `${id}${n}@x.example`, optedOut: false, returned: null },
      ],
    })),
  });
  const reached = (eachOf: 'client' | 'household' | 'person') =>
    addressClients([living(1), living(2)], eachOf).addressed.map(({ personId }) => personId);
  it('is a copy a client, a household or a person, as was asked', () => {
    expect(reached('client')).to.deep.equal([11, 21]);
    expect(reached('household')).to.deep.equal([11]);
    expect(reached('person')).to.deep.equal([11, 12, 21, 22]);
    const { leftOut } = addressClients([living(1), living(2)], 'household');
    expect(leftOut.map(({ why, detail }) => [why, detail])).to.deep.equal([
      ['lives with another recipient', 'C1'],
    ]);
  });
});

describe('attempts', () => {
  it('read reply codes by RFC 5321 section 4.2.1 and wait longer each time', () => {
    expect([250, 451, 550].map(meaningOf)).to.deep.equal(['sent', 'delayed', 'returned']);
    const waits = [1, 2, 3, 4, 5, 6, 7, 8].map(waitBeforeNext);
    // Whatever is counted wrong waits as the first does, or as the last.
    expect([0, -3].map(waitBeforeNext)).to.deep.equal([waits[0], waits[0]]);
    expect(waitBeforeNext(1000)).to.equal(waits.at(-1));
    expect(waits.every((wait, index) => index === 0 || wait >= (waits[index - 1] ?? 0))).to.equal(true);
    expect(waits.at(-1)).to.be.at.least(1800);
  });
});

describe('addresses and names', () => {
  it('compare without case and plus part', () => {
    expect(addressKey(' Ann+Farm@One.Example ')).to.equal('ann@one.example');
    expect(addressKey('+x@one.example')).to.equal('+x@one.example');
    expect([
      isAddress('a@b.example'),
      isAddress('a@b'),
      isAddress('a b@c.example'),
      isAddress('a@b.example\r\nx'),
    ]).to.deep.equal([true, false, false, false]);
    expect(nameKey('Loamley, Béatrice')).to.equal(nameKey('béatrice LOAMLEY'));
  });
});

describe('what the writer wrote', () => {
  const split = (lines: string[]) => writtenPart(lines.join('\n'));
  it('apart from quoted lines and their introduction, in several languages', () => {
    for (const intro of [
      'On Mon, 2 Sep 2024 at 10:00, Ann <a@b.example> wrote:',
      'Am 2. September 2024 schrieb Ann <a@b.example>:',
      'Le 2 septembre 2024 à 10:00, Ann a écrit :',
      'Den 2 sep. 2024 skrev Ann <a@b.example>:',
    ]) {
      const { own, quotedLines } = split(['Yes.', '', intro, '> old words', '> more']);
      expect([own, quotedLines]).to.deep.equal(['Yes.', 3]);
    }
  });
  it('apart from a block of forwarded headers or a divider', () => {
    expect(split(['See below.', '', '-----Original Message-----', 'From: Ann', 'old']).own).to.equal(
      'See below.',
    );
    expect(
      split([
        'See below.',
        '',
        'From: Ann <a@b.example>',
        'Sent: Monday, 2 September 2024',
        'To: Us <us@firm.example>',
        'Subject: Old',
        '',
        'old',
      ]).own,
    ).to.equal('See below.');
    expect(split(['Von: ich bin da', 'und weiter']).own).to.equal('Von: ich bin da\nund weiter');
  });
  it('apart from the signature; a snippet is one line', () => {
    expect(split(['Words', '-- ', 'Ann', '0555']).own).to.equal('Words');
    expect(snippet('a\n b  c', 10)).to.equal('a b c');
    expect(snippet('x'.repeat(30), 10)).to.have.length(10);
  });
});
