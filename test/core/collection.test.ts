import { expect } from 'chai';
import fc from 'fast-check';
import {
  asksForPage,
  hasPageMark,
  htmlWithPage,
  pageMark,
  tellingOfPage,
} from '../../core/collection/link.ts';
import { isText, judgeUpload, MOST_UPLOAD, plainName } from '../../core/collection/upload.ts';
import { renderShort } from '../../core/merge/short.ts';

const judge = (instead: Partial<Parameters<typeof judgeUpload>[0]>) =>
  judgeUpload({ filename: 'plan.pdf', size: 100, found: 'application/pdf', text: false, ...instead });

describe('what a client may put on their page', () => {
  it('is told by its bytes, and its name made to say the same', () => {
    expect(judge({})).to.deep.equal({ taken: true, filename: 'plan.pdf', mimeType: 'application/pdf' });
    expect(judge({ filename: 'plan.exe' })).to.include({ filename: 'plan.exe.pdf' });
    expect(judge({ filename: 'plan' })).to.include({ filename: 'plan.pdf' });
    expect(judge({ filename: 'a.JPEG', found: 'image/jpeg' })).to.include({ filename: 'a.JPEG' });
    expect(judge({ filename: 'list.csv', found: null, text: true })).to.include({ mimeType: 'text/plain' });
  });

  it('is nothing that is not on the list, nor text that calls itself a page or a script', () => {
    for (const found of ['application/zip', 'application/x-msdownload', 'image/svg+xml', 'text/html', null])
      expect([found, judge({ found }).taken]).to.deep.equal([found, false]);
    for (const filename of ['page.html', 'run.js', 'run.bat', 'x.svg', 'x.php'])
      expect([filename, judge({ filename, found: null, text: true }).taken]).to.deep.equal([filename, false]);
    expect(judge({ size: 0 }).taken).to.equal(false);
    expect(judge({ size: MOST_UPLOAD + 1 }).taken).to.equal(false);
    expect([isText('Good morning.\r\n\tAda'), isText('a\u0000b'), isText('a\ufffdb')]).to.deep.equal([
      true,
      false,
      false,
    ]);
  });

  it('bears a name without a path, marks of direction or other control characters, whatever it was called', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (filename) => {
        const name = plainName(filename);
        expect(name).to.match(/^[^/\\<>:"|?*\p{Cc}\p{Cf}\p{Cs}]{1,250}$/u);
        expect(name.startsWith('.')).to.equal(false);
        const judged = judge({ filename });
        expect(judged.taken && /\.pdf$/i.test(judged.filename)).to.equal(true);
      }),
    );
    expect(plainName('../../etc/passwd')).to.equal('etc passwd');
    expect(plainName('\u202Efdp.exe')).to.equal('fdp.exe');
    expect(plainName('...')).to.equal('document');
  });
});

describe('a text that leads to its reader’s own page', () => {
  const field = { type: 'mergeField', attrs: { field: 'page.link', fallback: '' } };
  const body = (...content: object[]) => ({
    type: 'doc',
    content: [{ type: 'paragraph', content: content as { type: string }[] }],
  });

  it('says so once: by itself, or by a line at its end', () => {
    const without = body({ type: 'text', text: 'Good morning.' });
    expect([asksForPage(without), asksForPage(body(field))]).to.deep.equal([false, true]);
    const told = tellingOfPage(without);
    expect(asksForPage(told)).to.equal(true);
    expect(tellingOfPage(told)).to.equal(told);
    const mark = pageMark('https://clerk.example');
    const { text } = renderShort(told, { words: { 'page.link': mark } });
    expect(text).to.equal(`Good morning.\nThe documents are laid out for you here: ${mark}`);
    expect([hasPageMark(text, mark), hasPageMark(text, '')]).to.deep.equal([true, false]);
  });

  it('has every mark replaced, and no link within a link, in time that grows with its length', () => {
    const mark = pageMark('https://clerk.example');
    const address = 'https://clerk.example/client/abc';
    const piece = fc.constantFrom(mark, '<p>', '</p>', `<a href="${mark}">`, '</a>', 'words ', '<b>', '</b>');
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => {
        expect(htmlWithPage(pieces.join(''), mark, address)).to.not.contain(mark);
      }),
    );
    const long = `<a ${'x'.repeat(200_000)}`.repeat(5);
    const began = performance.now();
    htmlWithPage(long, mark, address);
    expect(performance.now() - began).to.be.below(2000);
  });
});
