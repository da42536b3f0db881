import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import JSZip from 'jszip';
import { simpleParser } from 'mailparser';
import mammoth from 'mammoth';
import type { RunDraft } from '../../contract/index.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { makeRun, PaperMaker } from '../../server/paperwork/make.ts';
import { actOnPieces, changeDocx, listPieces, pieceContent, postToo } from '../../server/paperwork/pieces.ts';
import { releasePieces } from '../../server/paperwork/release.ts';
import { beginRun, draftOfRun, readRun, saveRun } from '../../server/paperwork/runs.ts';
import {
  addTemplate,
  changeTemplate,
  dropTemplate,
  listTemplates,
  replaceTemplate,
  tryTemplate,
  viewTemplate,
} from '../../server/paperwork/templates.ts';
import { outgoing } from '../../server/parts.ts';
import { hasOffice } from '../../server/reading/office.ts';
import { cell, docxOf, field, para, relationship, table, text } from './docx.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

const BODY =
  para(text('Dear '), field('MERGEFIELD Greeting'), text(',')) +
  para(text('We write about '), field('MERGEFIELD "Your name"'), text('.')) +
  table(
    cell(para(text('Number'))) + cell(para(text('Sum'))),
    cell(para(field('MERGEFIELD Note'))) + cell(para(field('MERGEFIELD Sum \\# "0.00"'))),
  );

describe('word-processor templates of the firm', () => {
  let firm: TestFirm;
  const say = (work: Promise<unknown>) =>
    work.then(
      () => 'done',
      (error: Error) => error.message,
    );
  const add = async (content: Buffer, filename = 'Letter.docx') =>
    addTemplate(firm.db, MANAGER, filename, content);
  const match = (fact: string | null, instead = '') => ({ fact, instead });
  const MATCHING = {
    greeting: match('greeting'),
    'your name': match('client.name'),
    note: match('row.number'),
    sum: match('row.amount'),
  };
  const matched = async (content: Buffer, matching = MATCHING) => {
    const id = await add(content);
    await changeTemplate(firm.db, MANAGER, id, { version: 1, title: 'Autumn', matching });
    return id;
  };
  const made = async (change: Partial<RunDraft>) => {
    const clientIds: number[] = await firm
      .db('client')
      .where({ status: 'active' })
      .orderBy('name')
      .limit(3)
      .pluck('id');
    const id = await beginRun(firm.db, MANAGER, {
      kind: 'letter',
      clientId: null,
      fileId: null,
      personId: null,
    });
    const draft = draftOfRun(await readRun(firm.db, id));
    const version = await saveRun(
      firm.db,
      id,
      { ...draft, ...change, selection: { ...draft.selection, only: clientIds } },
      1,
    );
    await makeRun(firm.db, MANAGER, id, version);
    await new PaperMaker(firm.context).makeAll();
    return id;
  };
  const pieces = async (id: number) =>
    (await listPieces(firm.db, id, { show: 'all', offset: 0, limit: 50 })).rows;
  const wordsOf = async (content: Buffer) =>
    (await mammoth.extractRawText({ buffer: content })).value.replace(/\s+/g, ' ').trim();
  const withoutOffice = async (work: () => Promise<void>) => {
    process.env.WITHOUT_LIBREOFFICE = '1';
    try {
      await work();
    } finally {
      delete process.env.WITHOUT_LIBREOFFICE;
    }
  };
  const textOfPdf = (pdf: Buffer) => {
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-docx-'));
    writeFileSync(join(dir, 'a.pdf'), pdf);
    const { stdout } = spawnSync('pdftotext', ['-layout', join(dir, 'a.pdf'), '-'], { encoding: 'utf8' });
    rmSync(dir, { recursive: true });
    return stdout;
  };

  before(async () => {
    firm = await openFirm({ clients: 8, files: 12, conversationsPerClient: 0 });
    await firm.sync();
    await firm.db('fee_note').delete();
    const first = await one(firm.db('client').where({ status: 'active' }).orderBy('name').first('id'));
    await firm.db('fee_note').insert(
      ['N1', 'N2'].map((number, at) => ({
        ...{ client_id: first.id, number, words: 'Advice', amount: 10 + at, tax: 0 },
        ...{ issued_on: '2026-01-01', due_on: '2026-02-01' },
      })),
    );
  });
  after(() => firm.close());

  it('tell which fields they want, guess what stands for them, and let each be matched', async () => {
    const id = await add(
      await docxOf(BODY, { header: para(field('MERGEFIELD "Client name"')) }),
      'Autumn letter.docx',
    );
    const view = await viewTemplate(firm.db, id);
    expect(view).to.include({ title: 'Autumn letter', fields: 5, unmatched: 3 });
    expect(view.wanted.fields.map(({ name, inRow }) => [name, inRow])).to.deep.equal([
      ['Greeting', false],
      ['Your name', false],
      ['Note', true],
      ['Sum', true],
      ['Client name', false],
    ]);
    expect(view.matching.greeting?.fact).to.equal('greeting');
    expect(view.matching['client name']?.fact).to.equal('client.name');
    const change = { version: 1, title: 'Autumn', matching: { ...view.matching, ...MATCHING } };
    await changeTemplate(firm.db, MANAGER, id, change);
    expect((await viewTemplate(firm.db, id)).unmatched).to.equal(0);
    expect(await say(changeTemplate(firm.db, MANAGER, id, change))).to.contain('Somebody else changed it');
    const wrong = (name: string, fact: string) =>
      say(
        changeTemplate(firm.db, MANAGER, id, {
          ...change,
          version: 2,
          matching: { ...change.matching, [name]: match(fact) },
        }),
      );
    expect(await wrong('greeting', 'nothing.known')).to.contain('not known any more');
    expect(await wrong('greeting', 'row.number')).to.contain('row of a table');
    // Another document in its place keeps what was matched by name.
    await replaceTemplate(
      firm.db,
      MANAGER,
      id,
      'Autumn 2.docx',
      await docxOf(para(field('MERGEFIELD Note'), field('MERGEFIELD Fresh'))),
    );
    const next = await viewTemplate(firm.db, id);
    expect([next.filename, next.title, next.matching]).to.deep.equal([
      'Autumn 2.docx',
      'Autumn',
      { note: match('row.number'), fresh: match(null) },
    ]);
    // In a row what repeats comes first.
    const rows = await add(await docxOf(table(cell(para(field('MERGEFIELD Number'))))));
    expect((await viewTemplate(firm.db, rows)).matching.number?.fact).to.equal('row.number');
    await dropTemplate(firm.db, MANAGER, rows);
    await dropTemplate(firm.db, MANAGER, id);
    expect((await listTemplates(firm.db, { offset: 0, limit: 10 })).total).to.equal(0);
  });

  it('are filled in for each, read back by another reader, printed, and lie on the file as they went', async function () {
    this.timeout(180_000);
    const templateId = await matched(await docxOf(BODY));
    const id = await made({ templateId });
    const rows = await pieces(id);
    expect(rows.map(({ docx }) => docx)).to.deep.equal([true, true, true]);
    const [first, second] = rows;
    const words = await wordsOf((await pieceContent(firm.db, first?.id ?? 0, 'docx')).content);
    expect(words).to.contain(`We write about ${first?.client}.`).and.to.contain('N1 10.00 N2 11.00');
    if (hasOffice()) {
      expect(rows.map(({ pdf, pages }) => [pdf, pages])).to.deep.equal([
        [true, 1],
        [true, 1],
        [true, 1],
      ]);
      const printed = textOfPdf((await pieceContent(firm.db, first?.id ?? 0)).content);
      expect(printed)
        .to.contain(`We write about ${first?.client}.`)
        .and.to.match(/N2 +11\.00/);
      expect(printed).to.match(new RegExp(`Dear .+,`));
    }
    // One changed by hand takes the place of the one that was made.
    const own = await docxOf(para(text('Words of its own.')));
    expect(await say(changeDocx(firm.db, MANAGER, second?.id ?? 0, 7, own))).to.contain('Somebody else');
    expect(await say(changeDocx(firm.db, MANAGER, second?.id ?? 0, 1, Buffer.from('no')))).to.contain(
      'no word-processor document',
    );
    await changeDocx(firm.db, MANAGER, second?.id ?? 0, 1, own);
    await new PaperMaker(firm.context).makeAll();
    expect(await wordsOf((await pieceContent(firm.db, second?.id ?? 0, 'docx')).content)).to.equal(
      'Words of its own.',
    );
    expect((await pieces(id)).find((each) => each.id === second?.id)).to.deep.include({
      own: true,
      remarks: ['Its words were changed by hand.'],
    });
    await changeDocx(firm.db, MANAGER, second?.id ?? 0, 2, null);
    await new PaperMaker(firm.context).makeAll();
    expect(await wordsOf((await pieceContent(firm.db, second?.id ?? 0, 'docx')).content)).to.contain(
      'We write about',
    );
  });

  it('go as .docx where the run says so, as the very bytes that lie on the file', async function () {
    this.timeout(180_000);
    const templateId = await matched(await docxOf(BODY));
    const id = await made({ templateId, carries: 'docx' });
    const rows = await pieces(id);
    const mailed = rows.filter(({ people }) => people.length).map((row) => row.id);
    await actOnPieces(firm.db, MANAGER, id, { ids: mailed, act: 'email', why: '' });
    await new PaperMaker(firm.context).makeAll();
    const ready = (await pieces(id)).filter(({ problems }) => !problems.length);
    expect(ready.length).to.be.at.least(1);
    await releasePieces(firm.db, MANAGER, id, { what: 'all', expected: ready.length });
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('they have gone', async () => {
      await worker.work();
      return !(await firm
        .db('dispatch')
        .where({ kind: 'paperwork' })
        .whereNull('logged_message_id')
        .first('id'));
    });
    await worker.stop();
    const [sent] = await firm.db('dispatch').where({ kind: 'paperwork' });
    const mail = await simpleParser(await readRaw(firm.db, sent!.raw_hash!));
    const document = await one(firm.db('document').where({ piece_id: sent?.piece_id }).first());
    expect(document.filename).to.match(/^Letter .*\.docx$/);
    expect(mail.attachments[0]?.content.equals(await readRaw(firm.db, document.hash))).to.equal(true);
    expect(await wordsOf(mail.attachments[0]?.content ?? Buffer.alloc(0))).to.contain('We write about');
  });

  it('stay .docx without LibreOffice, which is said, and cannot be posted', () =>
    withoutOffice(async () => {
      const templateId = await matched(await docxOf(BODY));
      expect((await viewTemplate(firm.db, templateId)).without).to.contain('LibreOffice is not installed');
      const id = await made({ templateId });
      const rows = await pieces(id);
      await actOnPieces(firm.db, MANAGER, id, { ids: [rows[0]?.id ?? 0], act: 'post', why: '' });
      await new PaperMaker(firm.context).makeAll();
      const [first] = (await pieces(id)).filter((row) => row.id === rows[0]?.id);
      expect(first?.pdf).to.equal(false);
      expect(first?.problems.join(' ')).to.contain('LibreOffice is not installed');
      const mailed = rows.slice(1).find(({ way }) => way === 'email');
      await firm
        .db('paper_piece')
        .where({ id: mailed?.id ?? 0 })
        .update({ state: 'released', postal: '["1 Lane"]' });
      expect(await say(postToo(firm.db, MANAGER, mailed?.id ?? 0))).to.contain('no PDF of it');
      await firm
        .db('paper_piece')
        .where({ id: mailed?.id ?? 0 })
        .update({ state: 'made' });
      const ask = { clientId: null, matching: MATCHING, as: 'pdf' as const };
      expect(await say(tryTemplate(firm.db, MANAGER, templateId, ask))).to.contain(
        'LibreOffice is not installed',
      );
      const { content } = await tryTemplate(firm.db, MANAGER, templateId, { ...ask, as: 'docx' });
      expect(await wordsOf(content)).to.contain('We write about');
    }));

  it('say what is missing of each, and refuse to be used while a field stands for nothing', async () => {
    const content = await docxOf(para(field('MERGEFIELD a'), field('MERGEFIELD b')));
    const templateId = await matched(content, { a: match('client.place'), b: match(null) } as never);
    expect(await say(made({ templateId }))).to.contain('what stands for b');
    await changeTemplate(firm.db, MANAGER, templateId, {
      version: 2,
      title: 'x',
      matching: { a: match('client.place'), b: match(null, 'always') },
    });
    await firm.db('client').update({ place: '' });
    const [first] = await pieces(await made({ templateId }));
    expect(first?.problems.join(' ')).to.contain('Place is missing');
    expect(await say(dropTemplate(firm.db, MANAGER, templateId))).to.contain('is being written with it');
  });

  it('are changed for runs to come: what lies on the desk keeps what it was made of', async () => {
    const templateId = await matched(await docxOf(BODY));
    const id = await made({ templateId });
    await replaceTemplate(firm.db, MANAGER, templateId, 'b.docx', await docxOf(para(text('Other words.'))));
    const [first] = await pieces(id);
    await actOnPieces(firm.db, MANAGER, id, { ids: [first?.id ?? 0], act: 'both', why: '' });
    await new PaperMaker(firm.context).makeAll();
    expect(await wordsOf((await pieceContent(firm.db, first?.id ?? 0, 'docx')).content)).to.contain(
      'We write about',
    );
  }).timeout(120_000);

  describe('that a stranger made', () => {
    const bomb = async () => {
      const zip = await JSZip.loadAsync(await docxOf(para(text('x'))));
      zip.file('word/media/a.bin', Buffer.alloc(90 * 1024 * 1024));
      return zip.generateAsync({ type: 'nodebuffer', compression: 'DEFLATE' });
    };
    const CASES: [string, () => Promise<Buffer>, string][] = [
      ['are no document', async () => Buffer.from('PK nothing of the kind'), 'no word-processor document'],
      ['are empty', async () => Buffer.alloc(0), 'empty'],
      [
        'are another archive',
        async () => new JSZip().file('a.txt', 'a').generateAsync({ type: 'nodebuffer' }),
        'no word-processor document',
      ],
      ['unpack to ninety megabytes', bomb, 'more than a document would'],
      [
        'have macros',
        () => docxOf(para(text('x')), { main: 'application/vnd.ms-word.document.macroEnabled.main+xml' }),
        'macros',
      ],
      [
        'have a macro part',
        () => docxOf(para(text('x')), { relationships: relationship('vbaProject', 'vbaProject.bin') }),
        'that runs',
      ],
      [
        'have an object of another program',
        () => docxOf(para(text('x')), { relationships: relationship('oleObject', 'embeddings/a.bin') }),
        'that runs',
      ],
      [
        'bring in another document',
        () => docxOf(para(text('x')), { relationships: relationship('aFChunk', 'a.html') }),
        'that runs',
      ],
      [
        'point to a picture elsewhere',
        () =>
          docxOf(para(text('x')), {
            relationships: relationship('image', 'http://host.example/a.png', true),
          }),
        'lies elsewhere',
      ],
      [
        'define entities',
        () => docxOf('', { parts: { 'word/document.xml': '<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>' } }),
        'definitions of its own',
      ],
      ['are broken within', () => docxOf('<w:p><w:r></w:p>'), 'cannot be read'],
      ['reach for a file', () => docxOf(para(field('INCLUDETEXT "/etc/passwd"'))), 'outside the document'],
      [
        'have a field that repeats itself',
        () =>
          docxOf(
            para(
              '<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText>IF </w:instrText></w:r>'.repeat(
                5000,
              ),
            ),
          ),
        'too deeply',
      ],
      [
        'stand within themselves a hundred thousand times',
        () =>
          docxOf(
            '<w:sdt><w:sdtContent>'.repeat(100_000) +
              para(text('x')) +
              '</w:sdtContent></w:sdt>'.repeat(100_000),
          ),
        'cannot be read',
      ],
    ];
    for (const [name, content, words] of CASES)
      it(`are refused in words when they ${name}`, async () => {
        expect(await say(add(await content()))).to.contain(words);
      });

    it('lose what a merge by hand left in them, and keep their pictures and links', async () => {
      const settings =
        '<?xml version="1.0"?><w:settings xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:mailMerge><w:dataSource/></w:mailMerge><w:zoom/></w:settings>';
      const left = relationship('mailMergeSource', 'file:///C:/list.xlsx', true);
      const picture = Buffer.from('not really a picture');
      const content = await docxOf(BODY, {
        relationships:
          left +
          relationship('hyperlink', 'https://firm.example', true) +
          relationship('image', 'media/a.png'),
        parts: { 'word/settings.xml': settings, 'word/media/a.png': picture },
      });
      const templateId = await matched(content);
      const { content: filled } = await tryTemplate(firm.db, MANAGER, templateId, {
        clientId: null,
        matching: MATCHING,
        as: 'docx',
      });
      const zip = await JSZip.loadAsync(filled);
      expect(await zip.file('word/settings.xml')?.async('string'))
        .to.contain('<w:zoom/>')
        .and.to.not.contain('mailMerge');
      const relationships = await zip.file('word/_rels/document.xml.rels')?.async('string');
      expect(relationships).to.contain('https://firm.example').and.to.not.contain('list.xlsx');
      expect((await zip.file('word/media/a.png')?.async('nodebuffer'))?.equals(picture)).to.equal(true);
    });
  });
});
