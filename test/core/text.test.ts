import { parseDocument } from 'htmlparser2';
import { expect } from 'chai';
import fc from 'fast-check';
import type { FactKind, Known } from '../../core/facts/catalogue.ts';
import { picturesOf, type DocNode } from '../../core/merge/document.ts';
import { fill, rowsWanted } from '../../core/merge/fill.ts';
import { formatsOf, formatted } from '../../core/merge/format.ts';
import { asArticle, type Frame } from '../../core/merge/frame.ts';
import { contrastOnWhite, LETTER_COLOURS, MARK_COLOURS } from '../../core/merge/looks.ts';
import { countedLinks, linksOf } from '../../core/merge/links.ts';
import { withoutLooks } from '../../core/merge/plain.ts';
import { renderMessage } from '../../core/merge/render.ts';

const text = (words: string, ...marks: NonNullable<DocNode['marks']>): DocNode => ({
  type: 'text',
  text: words,
  ...(marks.length ? { marks } : {}),
});
const field = (name: string, attrs: object = {}): DocNode => ({
  type: 'mergeField',
  attrs: { field: name, fallback: '', format: '', ...attrs },
});
const p = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
const doc = (...content: DocNode[]): DocNode => ({ type: 'doc', content });
const cell = (...content: DocNode[]): DocNode => ({ type: 'tableCell', content: [p(...content)] });
const made = (body: DocNode, known: Known = { words: {} }) => renderMessage(doc(p()), body, known);
const HASH = 'ab'.repeat(32);

describe('a text made right for one reader', () => {
  it('writes facts as they are asked for', () => {
    const of = (kind: FactKind) => formatsOf(kind).map(({ key }) => key);
    const day = (format: string) => formatted('3 May 2026', '2026-05-03', format);
    // 3 May 2026 is a Sunday: Zeller's congruence, by hand.
    expect(of('date').map(day)).to.deep.equal([
      '3 May 2026',
      '3 May',
      'Sunday 3 May 2026',
      '03/05/2026',
      'May 2026',
    ]);
    expect(of('money').map((format) => formatted('£1,200.50', '1200.5', format))).to.deep.equal([
      '£1,200.50',
      '£1,201',
      '£1,200.50',
    ]);
    expect(of('text').map((format) => formatted('ada o’byrne-lund', undefined, format))).to.deep.equal([
      'ada o’byrne-lund',
      'ADA O’BYRNE-LUND',
      'ada o’byrne-lund',
      'Ada o’byrne-lund',
      'Ada O’byrne-Lund',
      'A. O. L.',
    ]);
    // What is no day or number stays as it is.
    expect(formatted('soon', undefined, 'weekday')).to.equal('soon');
  });

  it('keeps the lines of an address, and none of them empty', () => {
    const known = { words: { 'client.address': 'Brackenholt Estate\nThe Old Mill\nHolt  ' } };
    const { html, text: plain } = made(doc(p(field('client.address')), p(text('Dear all'))), known);
    expect(html).to.contain('Brackenholt Estate<br>The Old Mill<br>Holt</p>');
    expect(plain).to.equal('Brackenholt Estate\nThe Old Mill\nHolt\n\nDear all\n');
    // In a subject they are one line.
    expect(renderMessage(doc(p(field('client.address'))), doc(p()), known).subject).to.not.match(/[\r\n]/);
  });

  it('lets a passage stand only if its condition holds', () => {
    const passage = (test: string, value = '', of = 'service') =>
      doc(p(text('a')), { type: 'passage', attrs: { field: of, test, value }, content: [p(text('stands'))] });
    const known: Known = {
      words: { service: 'Project', area: '14.2 ha', due: '3 May 2026' },
      values: { area: '14.2', due: '2026-05-03' },
    };
    const stands = (...of: Parameters<typeof passage>) => made(passage(...of), known).text.includes('stands');
    expect([stands('is known'), stands('is not known'), stands('is known', '', 'nothing')]).to.deep.equal([
      true,
      false,
      false,
    ]);
    expect([stands('is', 'project'), stands('is', 'Retainer'), stands('is not', 'Retainer')]).to.deep.equal([
      true,
      false,
      true,
    ]);
    expect([
      stands('is at least', '14.2', 'area'),
      stands('is at least', '15', 'area'),
      stands('is at most', '2026-05-03', 'due'),
      stands('is at most', '2026-05-02', 'due'),
      stands('is at most', '10', 'nothing'),
    ]).to.deep.equal([true, false, true, false, false]);
    // A field in a passage that does not stand is not missing.
    const inside = doc({
      type: 'passage',
      attrs: { field: 'nothing', test: 'is known', value: '' },
      content: [p(field('gap'))],
    });
    expect(made(inside, known).missing).to.deep.equal([]);
  });

  it('repeats a row of a table, or a paragraph, for each of several things', () => {
    const note = (number: string, amount: string): Known => ({
      words: { 'row.number': number, 'row.amount': amount },
    });
    const known: Known = {
      words: { name: 'Ada' },
      rows: { 'fee notes': [note('F1', '10.00'), note('F22', '1,200.50')] },
    };
    const table: DocNode = {
      type: 'table',
      content: [
        { type: 'tableRow', content: [cell(text('Number')), cell(text('Amount'))] },
        {
          type: 'tableRow',
          attrs: { of: 'fee notes' },
          content: [cell(field('row.number')), cell(field('row.amount'))],
        },
      ],
    };
    expect(rowsWanted(doc(table))).to.deep.equal(['fee notes']);
    const whole = made(doc(table), known);
    expect(whole.html.match(/<tr>/g)).to.have.length(1 + 2 + 2);
    expect(whole.text).to.equal('Number  Amount\nF1      10.00\nF22     1,200.50\n');
    expect(whole.missing).to.deep.equal([]);
    const lines = doc({
      type: 'repeated',
      attrs: { of: 'fee notes' },
      content: [p(field('name'), text(': '), field('row.number'))],
    });
    expect(made(lines, known).text).to.equal('Ada: F1\n\nAda: F22\n');
    expect(made(lines, { words: {} }).text).to.equal('\n');
  });

  it('draws tables, pictures and looks as mail programs want them, and nothing else that is said of them', () => {
    const body = doc(
      {
        type: 'table',
        attrs: { lines: false },
        content: [
          {
            type: 'tableRow',
            content: [
              { type: 'tableHeader', attrs: { colspan: 2, colwidth: [120, 80] }, content: [p(text('Head'))] },
              { type: 'tableCell', attrs: { rowspan: '"><script>' }, content: [p(text('x'))] },
            ],
          },
        ],
      },
      { type: 'picture', attrs: { hash: HASH, alt: 'A "gate"', width: 240 } },
      { type: 'picture', attrs: { hash: 'https://evil.example/x.png', alt: '', width: 1 } },
      { type: 'paragraph', attrs: { textAlign: 'center' }, content: [text('mid')] },
      { type: 'paragraph', attrs: { textAlign: 'center;background:url(x)' }, content: [text('not')] },
      p(
        text('red', { type: 'textStyle', attrs: { color: '#A33B2A', fontSize: '20px' } }),
        text('bad', { type: 'textStyle', attrs: { color: 'red;x:url(y)', fontSize: '900px' } }),
        text('out', { type: 'strike' }),
        text('marked', { type: 'highlight', attrs: { color: '#DCEBE3' } }),
      ),
    );
    const { html, text: plain } = made(body);
    expect(html)
      .to.contain('<th colspan="2" width="200"')
      .and.not.contain('<script')
      .and.not.contain('border:1px solid');
    expect(html).to.contain(`src="cid:${HASH.slice(0, 32)}@picture" alt="A &quot;gate&quot;" width="240"`);
    expect(html).to.not.contain('evil.example').and.not.contain('url(');
    expect(html).to.contain('text-align:center">mid').and.contain('color:#A33B2A;font-size:20px">red');
    expect(html).to.contain('<s>out</s>').and.contain('background-color:#DCEBE3">marked').and.contain('bad');
    expect(plain).to.contain('Head  x\n\n[A "gate"]\n\nmid');
    expect(picturesOf(body)).to.deep.equal([HASH]);
  });

  it('stands in the frame of a newsletter, its articles below each other, whatever the frame says', () => {
    const frame: Frame = {
      name: 'Elm & Partners <Surveyors>',
      logo: null,
      colour: '#7A5208',
      footer: ['Company 01234567', '', '</td><script>'],
    };
    const picture = (alt: string): DocNode => ({ type: 'picture', attrs: { hash: HASH, alt, width: 520 } });
    const heading = (words: string): DocNode => ({
      type: 'heading',
      attrs: { level: 2 },
      content: [text(words)],
    });
    const link = text('Read on', { type: 'link', attrs: { href: 'https://firm.example/wood' } });
    const beside = asArticle(doc(picture('A wood'), heading('The wood'), p(text('Look up.'), link)));
    beside.attrs = { beside: true };
    const body = doc(
      p(text('To begin with')),
      beside,
      asArticle(doc(picture('An orchard'), heading('Orchards'))),
    );
    const { html, text: plain } = renderMessage(doc(p()), body, { words: {} }, { frame });
    // An independent parser: one table of 600 that holds all of it, and nothing that was not put there.
    const tags: string[] = [];
    const visit = (nodes: ReturnType<typeof parseDocument>['children']) => {
      for (const node of nodes)
        if ('children' in node) {
          if ('name' in node) tags.push(node.name);
          visit(node.children as typeof nodes);
        }
    };
    visit(parseDocument(html).children);
    expect(tags).to.not.include('script');
    expect(tags.filter((tag) => tag === 'img')).to.have.length(2);
    expect(html)
      .to.contain('Elm &amp; Partners &lt;Surveyors&gt;')
      .and.contain('Company 01234567<br>&lt;/td');
    expect(html).to.contain('border-top:6px solid #7A5208').and.contain('style="color:#7A5208">Read on');
    // Two boxes together are as wide as the frame has room for: 600 without its edges of 24.
    const boxes = [...html.matchAll(/inline-block;vertical-align:top;width:100%;max-width:(\d+)px/g)];
    expect(boxes.reduce((sum, [, wide]) => sum + Number(wide), 0)).to.equal(552);
    expect(html).to.contain('alt="A wood" width="180"').and.contain('alt="An orchard" width="520"');
    expect(plain).to.contain('To begin with').and.contain('Company 01234567');
    expect(plain.match(/^-{10}$/gm)).to.have.length(3);
    const withLogo = { ...frame, logo: { hash: HASH, width: 90 } };
    const { html: logo } = renderMessage(doc(p()), body, { words: {} }, { frame: withLogo });
    expect(logo).to.contain('alt="Elm &amp; Partners &lt;Surveyors&gt;" width="90"');
  });

  it('offers colours that can be read: WCAG 2.2, 1.4.3, on white and on every colour words are marked with', () => {
    // WCAG 2.2, relative luminance and contrast ratio, as defined there.
    const part = (value: number) => (value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4);
    const light = (colour: string) => {
      const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => part(parseInt(colour.slice(at, at + 2), 16) / 255));
      return 0.2126 * r + 0.7152 * g + 0.0722 * b;
    };
    const contrast = (a: string, b: string) => {
      const [high = 0, low = 0] = [light(a), light(b)].sort((x, y) => y - x);
      return (high + 0.05) / (low + 0.05);
    };
    expect(contrast('#000000', '#FFFFFF')).to.be.closeTo(21, 0.01);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 0xffffff }), (number) => {
        const colour = `#${number.toString(16).padStart(6, '0')}`;
        expect(contrastOnWhite(colour)).to.be.closeTo(contrast(colour, '#ffffff'), 1e-9);
      }),
    );
    for (const { value } of [...LETTER_COLOURS, { value: '#1F2B28' }])
      for (const ground of ['#FFFFFF', ...MARK_COLOURS.map((each) => each.value)])
        expect(contrast(value, ground), `${value} on ${ground}`).to.be.at.least(4.5);
  });

  it('knows its links, one in several pieces as one, and counts none whose words are an address', () => {
    const to = (words: string, href: string, ...more: string[]) =>
      text(words, { type: 'link', attrs: { href } }, ...more.map((type) => ({ type })));
    const body = doc(
      p(
        to('the ', 'https://a.example/'),
        to('plan', 'https://a.example/', 'bold'),
        text(', '),
        to('b', 'mailto:b@x.example'),
      ),
      p(to('www.c.example', 'https://c.example/'), to('again', 'https://a.example/')),
    );
    expect(linksOf(body)).to.deep.equal([
      { href: 'https://a.example/', words: 'the plan' },
      { href: 'https://c.example/', words: 'www.c.example' },
    ]);
    const way = countedLinks(body, { mark: '', link: (at) => `counted ${at}` });
    expect([
      way('https://a.example/', 'the '),
      way('https://c.example/', 'www.c.example'),
      way('mailto:b@x.example', 'b'),
    ]).to.deep.equal(['counted 0', 'https://c.example/', 'mailto:b@x.example']);
  });

  it('property: no fact ever becomes markup, whatever it says and wherever it stands', () => {
    const place = fc.constantFrom('paragraph', 'heading', 'cell', 'passage', 'repeated', 'item');
    const around = (where: string): DocNode => {
      const own = [field('a'), text(' and '), field('row.b', { format: 'each word' })];
      if (where === 'cell')
        return {
          type: 'table',
          content: [{ type: 'tableRow', attrs: { of: 'files' }, content: [cell(...own)] }],
        };
      if (where === 'item')
        return { type: 'bulletList', content: [{ type: 'listItem', content: [p(...own)] }] };
      if (where === 'passage')
        return { type: 'passage', attrs: { field: 'a', test: 'is known', value: '' }, content: [p(...own)] };
      if (where === 'repeated') return { type: 'repeated', attrs: { of: 'files' }, content: [p(...own)] };
      return { type: where, content: own };
    };
    const tags = (html: string) => {
      const found: string[] = [];
      const visit = (node: { name?: string; children?: unknown[]; attribs?: object }) => {
        if (node.name) found.push(`${node.name} ${Object.keys(node.attribs ?? {}).join()}`);
        for (const child of node.children ?? []) visit(child as typeof node);
      };
      visit(parseDocument(html) as never);
      return found;
    };
    const said = fc.oneof(
      fc.string(),
      fc.constantFrom('<img src=x onerror=y>', '"><script>', '&lt;b&gt;', "' style='x"),
    );
    fc.assert(
      fc.property(said, said, place, (a, b, where) => {
        const known = (one: string, other: string): Known => ({
          words: { a: one },
          rows: { files: [{ words: { 'row.b': other } }] },
        });
        const body = doc(around(where));
        // One line each, as the same words that cannot be markup would be.
        const lines = (value: string) => (/[\r\n]/.test(value) || !value.trim() ? 'x' : value);
        const [hostile, plain] = [known(lines(a), lines(b)), known('word', 'word')];
        expect(tags(renderMessage(doc(p(field('a'))), body, hostile).html)).to.deep.equal(
          tags(renderMessage(doc(p(field('a'))), body, plain).html),
        );
        expect(renderMessage(doc(p(field('a'))), body, known(a, b)).subject).to.not.match(/[\r\n]/);
      }),
      { numRuns: 300 },
    );
  });

  it('fills nothing in twice: a fact that looks like a field stays words', () => {
    const { doc: filled } = fill(doc(p(field('a'))), { words: { a: '{{b}} [c]', b: 'no' } });
    expect(filled.content?.[0]?.content?.[0]?.text).to.equal('{{b}} [c]');
  });

  it('begins its plain text by hand as it would be made, and keeps facts, passages and rows in it', () => {
    const bold = (words: string) => text(words, { type: 'bold' });
    const body = doc(
      { type: 'heading', attrs: { level: 2 }, content: [text('News')] },
      p(
        bold('Dear '),
        field('name'),
        text(', see '),
        text('this', { type: 'link', attrs: { href: 'https://a.example/' } }),
      ),
      { type: 'bulletList', content: [{ type: 'listItem', content: [p(text('one'))] }] },
      { type: 'passage', attrs: { field: 'name', test: 'is known', value: '' }, content: [p(text('known'))] },
      {
        type: 'table',
        content: [
          { type: 'tableRow', content: [cell(text('No')), cell(text('Title'))] },
          {
            type: 'tableRow',
            attrs: { of: 'files' },
            content: [cell(field('row.fileNumber')), cell(text('x'))],
          },
        ],
      },
    );
    const known: Known = { words: { name: 'Ada' }, rows: { files: [{ words: { 'row.fileNumber': 'F1' } }] } };
    const byHand = withoutLooks(body);
    const made = renderMessage(doc(p()), body, known, { plain: byHand });
    expect(made.text).to.equal(
      'News\n\nDear Ada, see this (https://a.example/)\n\n- one\n\nknown\n\nNo  Title\n\nF1  x\n',
    );
    expect(made.html).to.contain('<h2');
    const gap = renderMessage(doc(p()), doc(p()), known, { plain: doc(p(field('nothing'))) });
    expect(gap.missing.map((each) => each.field)).to.deep.equal(['nothing']);
    expect(JSON.stringify(byHand)).to.not.contain('bold').and.not.contain('link');
  });
});
