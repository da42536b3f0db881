import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { simpleParser } from 'mailparser';
import type { RunBegin, RunDraft, RunRelease } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { readFirm, writeFirm } from '../../server/foundation/firm.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { ledger } from '../../server/correspondence/ledger/ledger.ts';
import { listDocuments } from '../../server/documents/list.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { LABEL_SHEETS } from '../../core/paperwork/labels.ts';
import { sendPieceAgain } from '../../server/paperwork/again.ts';
import { encloseWithRun, listRunEnclosures, takeOffRun } from '../../server/paperwork/enclosures.ts';
import { keepEnclosure } from '../../server/writing/keptEnclosures.ts';
import { paragraph, pdfOf, pngOf, printed } from './papers.ts';
import { letterPdf } from '../../server/reading/pdf.ts';
import { labelsFor } from '../../server/paperwork/labels.ts';
import { makeRun, PaperMaker } from '../../server/paperwork/make.ts';
import {
  beginPack,
  listPacks,
  packContent,
  PackMaker,
  tickPack,
  viewPack,
} from '../../server/paperwork/packs.ts';
import { tryPaper } from '../../server/paperwork/paper.ts';
import {
  actOnPieces,
  changePiece,
  listPieces,
  pieceContent,
  postToo,
  viewPiece,
} from '../../server/paperwork/pieces.ts';
import { reach } from '../../server/paperwork/reach.ts';
import { releasePieces } from '../../server/paperwork/release.ts';
import { runReport } from '../../server/paperwork/report.ts';
import {
  backToWords,
  beginRun,
  draftOfRun,
  dropRun,
  readRun,
  saveRun,
  viewRun,
} from '../../server/paperwork/runs.ts';
import { LEDGER, outgoing } from '../../server/parts.ts';
import { transact } from '../../server/foundation/database.ts';
import { insertClient } from '../../server/records/create.ts';
import { keepPicture } from '../../server/writing/pictures.ts';
import { keepSigned } from '../../server/writing/signatures.ts';
import { words } from './drafts.ts';
import { MANAGER, one, openFirm, until, type TestFirm } from './helpers.ts';

const field = (key: string) => ({ type: 'mergeField', attrs: { field: key, fallback: '', format: '' } });

describe('paperwork', () => {
  let firm: TestFirm;
  let dir: string;
  const say = (work: Promise<unknown>) =>
    work.then(
      () => 'done',
      (error: Error) => error.message,
    );
  const begin = async (ask: Partial<RunBegin>, change: Partial<RunDraft> = {}) => {
    const id = await beginRun(firm.db, MANAGER, {
      kind: 'letter',
      clientId: null,
      fileId: null,
      personId: null,
      ...ask,
    });
    const draft = draftOfRun(await readRun(firm.db, id));
    const version = await saveRun(firm.db, id, { ...draft, ...change }, 1);
    return { id, version, draft: { ...draft, ...change } };
  };
  const makeAll = async () => {
    await new PaperMaker(firm.context).makeAll();
  };
  const made = async (ask: Partial<RunBegin>, change: Partial<RunDraft> = {}) => {
    const run = await begin(ask, change);
    const count = await makeRun(firm.db, MANAGER, run.id, run.version);
    await makeAll();
    return { ...run, count };
  };
  const pieces = async (id: number, show: Parameters<typeof listPieces>[2]['show'] = 'all') =>
    (await listPieces(firm.db, id, { show, offset: 0, limit: 200 })).rows;
  const release = (id: number, what: RunRelease['what'], expected: number) =>
    releasePieces(firm.db, MANAGER, id, { what, expected });
  /** By poppler, which has nothing to do with what makes them. */
  const poppler = (tool: string, pdf: Buffer, ...args: string[]) => {
    const file = join(dir, 'a.pdf');
    writeFileSync(file, pdf);
    const { stdout, status } = spawnSync(tool, [...args, file, ...(tool === 'pdftotext' ? ['-'] : [])], {
      encoding: 'utf8',
    });
    expect(status, tool).to.equal(0);
    return stdout;
  };
  const textOf = (pdf: Buffer) => poppler('pdftotext', pdf, '-layout');
  const pieceText = async (id: number) => textOf((await pieceContent(firm.db, id)).content);
  const send = async () => {
    const worker = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('all have gone', async () => {
      await worker.work();
      const left = await firm
        .db('dispatch')
        .where({ kind: 'paperwork' })
        .whereIn('state', ['waiting', 'going', 'delayed'])
        .first('id');
      const unlogged = await firm
        .db('dispatch')
        .where({ kind: 'paperwork', state: 'sent' })
        .whereNull('logged_message_id')
        .first('id');
      return !left && !unlogged;
    });
    await worker.stop();
  };

  before(async () => {
    firm = await openFirm({ clients: 16, files: 26, conversationsPerClient: 0 });
    dir = mkdtempSync(join(tmpdir(), 'patient-clerk-paper-'));
    const settled = await readFirm(firm.db);
    await writeFirm(firm.db, {
      ...settled,
      paper: {
        ...settled.paper,
        foot: 'Registered under 30417',
        howToPay: 'Sort code 00-00-00\nAccount 12345678',
      },
    });
  });
  after(async () => {
    rmSync(dir, { recursive: true, force: true });
    await firm.close();
  });

  describe('letters to many', () => {
    let id: number;

    it('are made one for each, with their facts, on the firm’s paper, in fonts that travel with them', async () => {
      const body = {
        type: 'doc' as const,
        content: [
          { type: 'paragraph', content: [{ type: 'text', text: 'Dear ' }, field('greeting')] },
          ...(words('We shall prune in Łódź, and pay 1 < 2 & 3.').content ?? []),
        ],
      };
      const run = await made({}, { body, subject: words('Pruning'), day: '2026-05-03' });
      ({ id } = run);
      expect(run.count).to.be.greaterThan(8);
      const [first] = await pieces(id, 'unread');
      if (!first) throw new Error('there is none');
      const { content } = await pieceContent(firm.db, first.id);
      const client = await one(firm.db('client').where({ id: first.clientId }).first('postal'));
      const text = textOf(content);
      expect(text)
        .to.contain('Quillhurst Land Advisers')
        .and.to.contain('Pruning')
        .and.to.contain('3 May 2026');
      expect(text)
        .to.contain('We shall prune in Łódź, and pay 1 < 2 & 3.')
        .and.to.contain('Registered under 30417');
      for (const line of JSON.parse(client.postal) as string[]) expect(text).to.contain(line);
      const info = poppler('pdfinfo', content);
      expect(info)
        .to.match(/Pages: +1\n/)
        .and.to.match(/Page size: +595\.28 x 841\.89 pts \(A4\)/);
      const fonts = poppler('pdffonts', content).split('\n').slice(2).filter(Boolean);
      expect(fonts.length).to.be.greaterThan(1);
      // emb, sub, uni: within it, of what it needs, and to be read again as text.
      for (const font of fonts) expect(font).to.match(/ yes yes yes +\d+ +\d+$/);
    });

    it('say what stands in their way: no address, a fact that is missing', async () => {
      const piece = (await pieces(id, 'unread')).find(({ problems }) => !problems.length);
      await actOnPieces(firm.db, MANAGER, id, { ids: [piece?.id ?? 0], act: 'both', why: '' });
      await makeAll();
      await changePiece(firm.db, MANAGER, piece?.id ?? 0, {
        version: (piece?.version ?? 0) + 1,
        people: [],
        postal: [' '],
      });
      await makeAll();
      const [wrong] = await pieces(id, 'wrong');
      expect(wrong?.id).to.equal(piece?.id);
      expect(wrong?.problems).to.deep.equal([
        'There is no email address to send it to.',
        'There is no postal address.',
      ]);
      const { id: gaps } = await made(
        { clientId: piece?.clientId ?? 0 },
        {
          body: { type: 'doc', content: [{ type: 'paragraph', content: [field('note.number')] }] },
        },
      );
      expect((await pieces(gaps))[0]?.problems).to.deep.equal(['Number of the fee note is missing.']);
      expect(await say(release(gaps, 'all', 1))).to.equal(
        '0 pieces are ready to go now, not 1. Look at the list again.',
      );
      await dropRun(firm.db, MANAGER, gaps);
    });

    it('are mended one by one, held and dropped, and only those that were read go', async () => {
      const right = (await pieces(id, 'unread')).filter(({ problems }) => !problems.length);
      const [mended, held, dropped, read] = right;
      if (!mended || !held || !dropped || !read) throw new Error('there are too few');
      await changePiece(firm.db, MANAGER, mended.id, {
        version: mended.version,
        body: words('Yours alone: bring the ladder.'),
      });
      expect(
        await say(changePiece(firm.db, MANAGER, mended.id, { version: mended.version, body: null })),
      ).to.contain('Somebody else changed');
      await makeAll();
      expect(await pieceText(mended.id)).to.contain('Yours alone: bring the ladder.');
      expect((await viewPiece(firm.db, mended.id)).own).to.equal(true);
      await actOnPieces(firm.db, MANAGER, id, { ids: [held.id], act: 'hold', why: 'ask first' });
      await actOnPieces(firm.db, MANAGER, id, { ids: [dropped.id], act: 'drop', why: 'not theirs' });
      await actOnPieces(firm.db, MANAGER, id, { ids: [mended.id, read.id], act: 'read', why: '' });
      expect((await pieces(id, 'held')).map(({ heldWhy }) => heldWhy).sort()).to.deep.equal([
        'ask first',
        'not theirs',
      ]);
      await actOnPieces(firm.db, MANAGER, id, { ids: [read.id], act: 'post', why: '' });
      await makeAll();
      expect((await pieces(id, 'read')).map((each) => each.id)).to.deep.equal([mended.id]);
      await actOnPieces(firm.db, MANAGER, id, { ids: [read.id], act: 'read', why: '' });
      const released = await release(id, 'read', 2);
      expect(released).to.deep.equal({
        released: 2,
        byEmail: mended.way === 'post' ? 0 : 1,
        byPost: mended.way === 'email' ? 1 : 2,
        overtaken: 0,
      });
      expect(await say(release(id, 'read', 2))).to.contain('0 pieces are ready');
      expect(
        await say(changePiece(firm.db, MANAGER, read.id, { version: read.version + 1, way: 'email' })),
      ).to.contain('released already');
      expect(await say(backToWords(firm.db, MANAGER, id))).to.contain('2 pieces have been released already');
      expect(await say(dropRun(firm.db, MANAGER, id))).to.contain('released already');
    });

    it('go by email as the very document that lies on the file, each once however often it is asked for', async () => {
      const ready = (await pieces(id, 'unread')).filter(({ problems }) => !problems.length);
      const [first, second] = await Promise.all([
        say(release(id, 'all', ready.length)),
        say(release(id, 'all', ready.length)),
      ]);
      expect([first, second].filter((answer) => answer === 'done')).to.have.length(1);
      await send();
      const rows = await firm.db('dispatch').where({ kind: 'paperwork', state: 'sent' });
      expect(rows.length).to.be.greaterThan(3);
      for (const row of rows) {
        const piece = await one(firm.db('paper_piece').where('id', row.piece_id).first());
        const mail = await simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)));
        expect(mail.subject).to.equal('A letter from Quillhurst Land Advisers');
        const [enclosed] = mail.attachments;
        expect(enclosed?.filename).to.equal('Letter 2026-05-03.pdf');
        const kept = await readRaw(firm.db, piece.raw_hash ?? Buffer.alloc(0));
        expect(Buffer.compare(enclosed?.content ?? Buffer.alloc(0), kept)).to.equal(0);
        const filed = await firm.db('filing').where('message_id', row.logged_message_id).pluck('file_id');
        expect(filed).to.deep.equal([piece.file_id]);
        const documents = await listDocuments(firm.db, {
          clientId: piece.client_id,
          offset: 0,
          limit: 50,
          sort: 'at',
          order: 'desc',
        });
        expect(documents.rows.filter(({ filename }) => filename === 'Letter 2026-05-03.pdf')).to.have.length(
          1,
        );
      }
      const { counts } = await viewRun(firm.db, id);
      expect(counts.sent).to.equal(rows.length);
      expect(counts.released).to.equal(counts.total - counts.held - counts.dropped - counts.wrong);
    });

    it('are told of in a table that spreadsheets read', async () => {
      const { content } = await runReport(firm.db, id);
      const lines = content.toString('utf8').split('\r\n').filter(Boolean);
      expect(lines[0]).to.contain('Client,File,State,Way');
      expect(lines).to.have.length((await pieces(id)).length + 1);
      expect(content.toString()).to.contain('sent');
    });
  });

  describe('a print pack', () => {
    it('has all that waits for the post in envelope order, each on a sheet of its own', async () => {
      const long = {
        type: 'doc' as const,
        content: Array.from(
          { length: 30 },
          () =>
            words('A long letter about everything that was seen on the way. '.repeat(4)).content?.[0] ?? {
              type: 'paragraph',
            },
        ),
      };
      const { id } = await made({}, { body: long, name: 'Long letters' });
      const all = (await pieces(id)).filter(({ problems }) => !problems.length);
      await actOnPieces(firm.db, MANAGER, id, { ids: all.map((each) => each.id), act: 'post', why: '' });
      await makeAll();
      const right = (await pieces(id)).filter(({ problems, way }) => !problems.length && way === 'post');
      await actOnPieces(firm.db, MANAGER, id, {
        ids: right.slice(0, 3).map((each) => each.id),
        act: 'read',
        why: '',
      });
      await release(id, 'read', 3);
      const { waiting } = await listPacks(firm.db, { offset: 0, limit: 10 });
      expect(waiting).to.be.greaterThan(3);
      const pack = await beginPack(firm.db, MANAGER, true);
      expect(await say(beginPack(firm.db, MANAGER, true))).to.equal('Nothing waits to be printed.');
      expect(await say(packContent(firm.db, pack))).to.equal('It is still being made.');
      const maker = new PackMaker(firm.context);
      while (await maker.round());
      const view = await viewPack(firm.db, pack);
      expect(view).to.include({ state: 'made', pieces: waiting, posted: 0 });
      const pages = view.list.map((each) => each.pages);
      expect([...pages].sort((a, b) => a - b)).to.deep.equal(pages);
      expect(Math.max(...pages)).to.be.greaterThan(1);
      const pdf = await packContent(firm.db, pack);
      const sheets = pages.map((count) => count + (count % 2));
      const covered =
        Number(/Pages: +(\d+)/.exec(poppler('pdfinfo', pdf))?.[1]) -
        sheets.reduce((sum, count) => sum + count, 0);
      expect([2, 4]).to.include(covered);
      expect(view.pages).to.equal(sheets.reduce((sum, count) => sum + count, 0));
      // Each begins on the front of a sheet, with its own address.
      let page = covered + 1;
      for (const [index, { id: pieceId }] of view.list.entries()) {
        expect(page % 2).to.equal(1);
        const { postal } = await viewPiece(firm.db, pieceId);
        expect(poppler('pdftotext', pdf, '-f', String(page), '-l', String(page))).to.contain(postal[0]);
        page += sheets[index] ?? 0;
      }
      const cover = poppler('pdftotext', pdf, '-l', String(covered));
      for (const { client } of view.list) expect(cover).to.contain(client.split(' ')[0]);
    });

    it('is ticked off piece by piece, and stands on the ledger; what was spoiled waits for the next', async () => {
      const [newest] = (await listPacks(firm.db, { offset: 0, limit: 10 })).rows;
      const { list } = await viewPack(firm.db, newest?.id ?? 0);
      const [spoiled, ...good] = list;
      if (!spoiled || !good[0]) throw new Error('there are too few');
      expect(await tickPack(firm.db, MANAGER, newest?.id ?? 0, [spoiled.id], false)).to.equal(1);
      const ids = good.map((each) => each.id);
      expect(await tickPack(firm.db, MANAGER, newest?.id ?? 0, ids, true)).to.equal(ids.length);
      expect(await tickPack(firm.db, MANAGER, newest?.id ?? 0, ids, true)).to.equal(0);
      expect((await listPacks(firm.db, { offset: 0, limit: 10 })).waiting).to.equal(1);
      const page = await ledger(firm.db, LEDGER, good[0].clientId, { offset: 0, limit: 20, only: 'paper' });
      const [entry] = page.entries;
      expect(entry).to.include({ kind: 'paper', pages: good[0].pages, by: 'Maren Okell' });
      expect(entry?.kind === 'paper' && entry.documentId).to.be.a('number');
    });

    it('has the PDFs that go with all behind each piece, kept in it once', async () => {
      // Three pages, of which no two are on one sheet with anything else.
      const leaflet = await letterPdf(
        printed(Array.from({ length: 60 }, () => paragraph('On the care of hedges. '.repeat(6)))),
      );
      const count = Number(/Pages: +(\d+)/.exec(poppler('pdfinfo', leaflet))?.[1]);
      expect(count).to.be.greaterThan(1);
      const kept = [
        await keepEnclosure(firm.db, MANAGER, {
          filename: 'hedges.pdf',
          type: 'application/pdf',
          content: leaflet,
        }),
        await keepEnclosure(firm.db, MANAGER, {
          filename: 'a.txt',
          type: 'text/plain',
          content: Buffer.from('not printed'),
        }),
      ];
      const run = await begin({}, { body: words('With a leaflet.'), name: 'Hedges' });
      await encloseWithRun(firm.db, MANAGER, run.id, kept);
      await makeRun(firm.db, MANAGER, run.id, run.version);
      await makeAll();
      const ids = (await pieces(run.id)).map((each) => each.id);
      await actOnPieces(firm.db, MANAGER, run.id, { ids, act: 'post', why: '' });
      await makeAll();
      const right = (await pieces(run.id)).filter(({ problems, way }) => !problems.length && way === 'post');
      await release(run.id, 'all', right.length);
      const pack = await beginPack(firm.db, MANAGER, true);
      while (await new PackMaker(firm.context).round());
      const view = await viewPack(firm.db, pack);
      const each = 2 + count + (count % 2);
      expect(view.list.filter((piece) => piece.run === 'Hedges').map((piece) => piece.pages)).to.deep.equal(
        right.map(() => each),
      );
      const pdf = await packContent(firm.db, pack);
      expect(textOf(pdf).match(/On the care of hedges/g)?.length).to.be.at.least(right.length * count);
      // Thirty times six words a piece would make it larger by each.
      expect(pdf.length).to.be.below(leaflet.length + right.length * 25_000);
      await firm
        .db('paper_piece')
        .where({ pack_id: pack })
        .update({ pack_id: null, pack_place: null, printed_at: new Date() });
    });
  });

  it('bear a picture of their adviser’s signature where there is one, and say so where there is none', async () => {
    const hash = await keepPicture(firm.db, MANAGER.id, pngOf(300, 90));
    const client = await one(
      firm.db('client').whereNotNull('adviser_id').where({ status: 'active' }).first('id', 'adviser_id'),
    );
    const body = {
      type: 'doc' as const,
      content: [{ type: 'paragraph', content: [field('adviser.signed')] }],
    };
    const ask = [{ clientId: client.id }, { body, subject: words('Signed') }] as const;
    const imagesOf = async (id: number) => {
      const [piece] = await pieces(id);
      writeFileSync(join(dir, 'signed.pdf'), (await pieceContent(firm.db, piece?.id ?? 0)).content);
      const { stdout } = spawnSync('pdfimages', ['-list', join(dir, 'signed.pdf')], { encoding: 'utf8' });
      return [stdout.match(/^ *\d+ +\d+ image /gm)?.length ?? 0, piece?.remarks.join(' ')];
    };
    const bare = await made(...ask);
    expect(await imagesOf(bare.id)).to.deep.equal([
      0,
      'Its adviser has no picture of a signature: it is not signed.',
    ]);
    await keepSigned(firm.db, client.adviser_id ?? 0, hash);
    const run = await made(...ask);
    expect(await imagesOf(run.id)).to.deep.equal([1, '']);
    expect(await say(keepSigned(firm.db, MANAGER.id, 'f'.repeat(64)))).to.contain('picture');
  });

  describe('fee notes and statements', () => {
    before(async () => {
      await firm.db('fee_note').delete();
      const file = await one(firm.db('file').where({ general: 0 }).first('id', 'client_id'));
      const others = await firm
        .db('file')
        .where({ general: 1 })
        .whereNot({ client_id: file.client_id })
        .limit(2);
      const row = (number: string, change: object) => ({
        ...{
          client_id: file.client_id,
          file_id: file.id,
          number,
          words: `Work ${number}`,
          tax: 20,
          amount: 120,
        },
        ...{ issued_on: '2026-01-05', due_on: '2026-02-04', paid_on: null },
        ...change,
      });
      await firm
        .db('fee_note')
        .insert([
          row('A1', {}),
          row('A2', { amount: 60.5, issued_on: '2026-03-01', due_on: '2026-04-20' }),
          row('A3', { paid_on: '2026-04-01' }),
          row('A4', { issued_on: '2026-06-01', due_on: '2026-07-01' }),
          ...others.map((other, at) =>
            row(`B${at}`, { client_id: other.client_id, file_id: other.id, amount: 10 + at, tax: 0 }),
          ),
        ]);
    });
    const day = '2026-05-01';
    const forAll = { selection: selectionOf() };

    it('are for those with something open on their day, and add up to their fee notes', async () => {
      const { id, count } = await made(
        { kind: 'statement', ...forAll },
        { ...forAll, day, paidMonths: 3, slip: true },
      );
      expect(count).to.equal(3);
      const rows = await pieces(id);
      const open = await firm
        .db('fee_note')
        .where('issued_on', '<=', day)
        .whereNull('paid_on')
        .sum({ all: 'amount' })
        .first();
      expect(rows.reduce((sum, { amount }) => sum + Math.round((amount ?? 0) * 100), 0)).to.equal(
        Math.round(Number(open?.all) * 100),
      );
      const largest = rows.find(({ amount }) => amount === 180.5);
      const text = await pieceText(largest?.id ?? 0);
      expect(text)
        .to.match(/A1 .*£120\.00 +£120\.00/)
        .and.to.match(/A3 .*paid 1 Apr/)
        .and.to.not.contain('A4');
      expect(text).to.match(/Open in all +£180\.50/);
      // A1 is 86 days over, A2 is 11.
      expect(text.replace(/\s+/g, ' ')).to.contain('£0.00 £60.50 £0.00 £120.00 £0.00');
      expect(text).to.contain('Account 12345678').and.to.contain('To be sent with your payment');
    });

    it('are sent once: what was released is not made again', async () => {
      const { id, count } = await made({ kind: 'fee note', ...forAll }, { ...forAll, day });
      expect(count).to.equal(4);
      const rows = await pieces(id);
      const right = rows.filter(({ problems }) => !problems.length).length;
      await release(id, 'all', right);
      const draft = draftOfRun(await readRun(firm.db, id));
      const left = await reach(firm.db, await readRun(firm.db, id), draft);
      expect(left).to.have.length(4 - right);
      const first = rows.find(({ amount }) => amount === 120);
      const text = await pieceText(first?.id ?? 0);
      expect(text)
        .to.contain('Fee note A1')
        .and.to.match(/To be paid +£120\.00/)
        .and.to.contain('Please pay by 4 February 2026');
      const names = await firm.db('document').where({ piece_id: first?.id }).pluck('filename');
      expect(names).to.deep.equal(['Fee note A1.pdf']);
    });

    it('go to two people of a client where its record says so, and a new client begins with the firm’s ways', async () => {
      const { client_id } = await one(firm.db('fee_note').where({ number: 'A1' }).first('client_id'));
      await firm.db('client_person').where({ client_id }).delete();
      const ids = [];
      for (const name of ['Ada', 'Ben', 'Cid']) {
        const [id = 0] = await firm.db('person').insert({ first_name: name, last_name: 'Ledger' });
        await firm.db('address').insert({
          person_id: id,
          email: `${name}@ledger.example`.toLowerCase(),
          email_key: `${name}@ledger.example`.toLowerCase(),
        });
        await firm
          .db('client_person')
          .insert({ client_id, person_id: id, role: 'contact', position: ids.length, writes: 1 });
        ids.push(id);
      }
      const [, ben = 0, cid = 0] = ids;
      await firm.db('delivery').where({ client_id }).delete();
      await firm
        .db('delivery')
        .insert({ client_id, kind: 'statements', way: 'both', person_id: cid, also_id: ben });
      const { id } = await made({ kind: 'statement', clientId: client_id }, { day });
      const [piece] = await pieces(id);
      expect(piece?.way).to.equal('both');
      expect(piece?.people.map(({ email }) => email)).to.deep.equal([
        'cid@ledger.example',
        'ben@ledger.example',
      ]);
      const settled = await readFirm(firm.db);
      await writeFirm(firm.db, {
        ...settled,
        ways: { letters: 'post', statements: 'both', mailings: 'email' },
      });
      const fresh = await transact(firm.db, (trx) =>
        insertClient(
          trx,
          { staffId: MANAGER.id },
          { name: 'New one', kind: 'person', status: 'active', place: '' },
        ),
      );
      expect(
        await firm.db('delivery').where({ client_id: fresh }).orderBy('kind').select('kind', 'way'),
      ).to.deep.equal([
        { kind: 'letters', way: 'post' },
        { kind: 'statements', way: 'both' },
      ]);
    });

    it('that were overtaken since they were made stay: paid meanwhile, changed, sent by another run', async () => {
      const { client_id } = await one(firm.db('fee_note').where({ number: 'B1' }).first('client_id'));
      const [base] = await firm.db('fee_note').where({ number: 'B1' });
      const row = { ...base, id: undefined };
      await firm.db('fee_note').insert([
        { ...row, number: 'C1' },
        { ...row, number: 'C2' },
      ]);
      const two = { clientId: client_id, kind: 'fee note' as const };
      const [one_, other] = [await made(two, { day }), await made(two, { day })];
      /** Whatever else is wrong with that client. */
      const clear = (run: number) =>
        firm.db('paper_piece').where({ run_id: run }).update({ problems: '[]', way: 'post' });
      await clear(one_.id);
      await clear(other.id);
      await firm
        .db('paper_piece')
        .whereIn('run_id', [one_.id, other.id])
        .whereNotIn('fee_note_id', firm.db('fee_note').whereIn('number', ['C1', 'C2']).select('id'))
        .update({ state: 'dropped' });
      const [first, second] = await Promise.all([release(one_.id, 'all', 2), release(other.id, 'all', 2)]);
      expect([first.released, second.released].sort()).to.deep.equal([0, 2]);
      expect(first.overtaken + second.overtaken).to.equal(2);
      const sent = await firm
        .db('paper_piece')
        .join('fee_note', 'fee_note.id', 'paper_piece.fee_note_id')
        .where('paper_piece.state', 'released')
        .whereIn('fee_note.number', ['C1', 'C2']);
      expect(sent).to.have.length(2);
      const account = await made({ kind: 'statement', clientId: client_id }, { day });
      await clear(account.id);
      await firm.db('fee_note').where({ number: 'C1' }).update({ paid_on: day });
      expect(await release(account.id, 'all', 1)).to.include({ released: 0, overtaken: 1 });
      await makeAll();
      await clear(account.id);
      const [again] = await pieces(account.id);
      expect(await pieceText(again?.id ?? 0)).to.not.contain('C1');
      expect(await release(account.id, 'all', 1)).to.include({ released: 1, overtaken: 0 });
    });

    it('that came back go once more, to an address that is mended in the records too', async () => {
      const { client_id } = await one(firm.db('fee_note').where({ number: 'A1' }).first('client_id'));
      const { id } = await made({ kind: 'statement', clientId: client_id }, { day });
      const [piece] = await pieces(id);
      await actOnPieces(firm.db, MANAGER, id, { ids: [piece?.id ?? 0], act: 'email', why: '' });
      await makeAll();
      await release(id, 'all', 1);
      const again = () => say(sendPieceAgain(firm.db, MANAGER, piece?.id ?? 0, 'new@ledger.example'));
      expect(await again()).to.contain('has not come back');
      // Nobody has that address in the world outside.
      await send();
      const row = () => one(firm.db('dispatch').where({ piece_id: piece?.id }).first());
      const { state, message_id } = await row();
      expect(state).to.equal('returned');
      expect(await again()).to.equal('done');
      await send();
      const sent = await row();
      expect(sent.to_address).to.equal('new@ledger.example');
      expect(sent.message_id).to.not.equal(message_id);
      const mail = await simpleParser(await readRaw(firm.db, sent.raw_hash!));
      const { hash } = await one(firm.db('document').where({ piece_id: piece?.id }).first('hash'));
      expect(mail.attachments[0]?.content.equals(await readRaw(firm.db, hash))).to.equal(true);
      const addresses = await firm
        .db('address')
        .where({ person_id: sent.person_id ?? 0 })
        .orderBy('position')
        .select('email', 'current');
      expect(addresses[0]).to.deep.equal({ email: 'new@ledger.example', current: 1 });
      expect((await pieces(id))[0]?.people[0]?.email).to.equal('new@ledger.example');
    });

    it('that came back are posted too', async () => {
      const row = await one(
        firm
          .db('paper_piece')
          .where({ state: 'released', way: 'email' })
          .whereNot({ postal: '[]' })
          .first('id'),
      );
      const before = (await listPacks(firm.db, { offset: 0, limit: 1 })).waiting;
      await postToo(firm.db, MANAGER, row.id);
      expect((await listPacks(firm.db, { offset: 0, limit: 1 })).waiting).to.equal(before + 1);
      expect(await say(postToo(firm.db, MANAGER, row.id))).to.contain('goes by post already');
    });

    it('that ask for nothing do not go', async () => {
      const { client_id } = await one(firm.db('fee_note').where({ number: 'B0' }).first('client_id'));
      await firm.db('fee_note').where({ number: 'B0' }).update({ amount: 0 });
      const { id } = await made({ kind: 'statement', clientId: client_id }, { day });
      expect((await pieces(id))[0]?.problems).to.include('There is nothing to pay.');
      expect(
        await say(
          makeRun(
            firm.db,
            MANAGER,
            (await begin({ kind: 'statement', clientId: client_id }, { day: '2025-01-01' })).id,
            2,
          ),
        ),
      ).to.equal('Nothing is open there: there is nothing to send.');
    });
  });

  it('is made by any number of processes, each piece once, also when one dies in the midst', async () => {
    const run = await begin({});
    const count = await makeRun(firm.db, MANAGER, run.id, run.version);
    // Claimed by a process that is gone.
    await firm
      .db('paper_piece')
      .where({ run_id: run.id })
      .limit(3)
      .update({ lease_owner: 'gone', tries: 1, lease_until: new Date(Date.now() - 1000) });
    await firm
      .db('paper_piece')
      .where({ run_id: run.id })
      .orderBy('id', 'desc')
      .limit(1)
      .update({ tries: 3 });
    const makers = [1, 2, 3].map(() => new PaperMaker(firm.context));
    await Promise.all(makers.map((maker) => maker.makeAll()));
    const rows = await firm.db('paper_piece').where({ run_id: run.id });
    expect(rows).to.have.length(count);
    expect(rows.filter(({ state }) => state !== 'made')).to.deep.equal([]);
    expect(rows.filter(({ raw_hash }) => !raw_hash)).to.have.length(1);
    expect(rows.at(-1)?.problems).to.contain('could not be made');
    // What is the same is the same bytes.
    const before = new Map(rows.map((row) => [row.id, row.raw_hash?.toString('hex')]));
    await firm.db('paper_piece').where({ run_id: run.id }).update({ state: 'waiting', tries: 0 });
    await makeAll();
    for (const row of await firm.db('paper_piece').where({ run_id: run.id }))
      if (before.get(row.id)) expect(row.raw_hash?.toString('hex')).to.equal(before.get(row.id));
  });

  it('survives whatever a fact holds', async () => {
    const { id, client_id } = await one(firm.db('file').where({ general: 1 }).first('id', 'client_id'));
    const nasty = [
      '<b>&amp;</b> \u0007\u0000',
      'שלום עולם',
      '中文 and 한국어',
      'x'.repeat(10_000),
      '\ud800 alone',
      '🙂',
    ];
    for (const place of nasty) {
      await firm
        .db('client')
        .where({ id: client_id })
        .update({ place: place.replace('\ud800', '\ufffd').slice(0, 120) });
      const { id: run } = await made(
        { clientId: client_id },
        {
          body: {
            type: 'doc',
            content: [
              { type: 'paragraph', content: [{ type: 'text', text: `${place} ` }, field('client.place')] },
            ],
          },
        },
      );
      const [piece] = await pieces(run);
      expect(piece?.pages, place.slice(0, 20)).to.be.greaterThan(0);
    }
    expect(id).to.be.a('number');
  });

  it('is on hold for whoever wants nothing of its kind, until somebody takes it up', async () => {
    const tie = await one(firm.db('client_person').where({ writes: 1 }).first('client_id'));
    await firm.db('delivery').where({ client_id: tie.client_id, kind: 'letters' }).delete();
    await firm.db('delivery').insert({ client_id: tie.client_id, kind: 'letters', way: 'none' });
    const { id } = await made({ clientId: tie.client_id });
    const [piece] = await pieces(id);
    expect(piece).to.include({ state: 'held', heldWhy: 'They want nothing of this kind.' });
    await actOnPieces(firm.db, MANAGER, id, { ids: [piece?.id ?? 0], act: 'take up', why: '' });
    await actOnPieces(firm.db, MANAGER, id, { ids: [piece?.id ?? 0], act: 'both', why: '' });
    await makeAll();
    expect((await pieces(id))[0]).to.include({ state: 'made', heldWhy: '', way: 'both' });
    await firm.db('delivery').where({ client_id: tie.client_id, kind: 'letters' }).delete();
  });

  it('takes files of the cupboard along with every message, as they were put in', async () => {
    const kept = await keepEnclosure(firm.db, MANAGER, {
      filename: 'leaflet.pdf',
      type: 'application/pdf',
      content: await pdfOf('A leaflet'),
    });
    const client = await one(
      firm
        .db('client_person')
        .join('address', 'address.person_id', 'client_person.person_id')
        .where({ current: 1 })
        .whereNull('returned_why')
        .first('client_person.client_id'),
    );
    const run = await begin({ clientId: client.client_id });
    await encloseWithRun(firm.db, MANAGER, run.id, [kept]);
    await encloseWithRun(firm.db, MANAGER, run.id, [kept]);
    const listed = await listRunEnclosures(firm.db, run.id);
    expect(listed.map(({ filename }) => filename)).to.deep.equal(['leaflet.pdf']);
    await makeRun(firm.db, MANAGER, run.id, run.version);
    await makeAll();
    expect(await say(takeOffRun(firm.db, run.id, listed[0]?.id ?? 0))).to.contain('Its pieces are made');
    await firm
      .db('paper_piece')
      .where({ run_id: run.id })
      .update({ problems: '[]', way: 'email', people: '[{"name":"A","email":"a@elsewhere.example"}]' });
    await release(run.id, 'all', 1);
    await send();
    const row = await one(
      firm
        .db('dispatch')
        .join('paper_piece', 'paper_piece.id', 'dispatch.piece_id')
        .where({ run_id: run.id })
        .first('dispatch.raw_hash'),
    );
    const mail = await simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)));
    expect(mail.attachments.map(({ filename }) => filename)).to.deep.equal([
      `Letter ${run.draft.day}.pdf`,
      'leaflet.pdf',
    ]);
  });

  it('is written to one person, under their own name, and about one file, on that file', async () => {
    const tie = await one(
      firm
        .db('client_person')
        .join('person', 'person.id', 'client_person.person_id')
        .whereNot('first_name', '')
        .first('client_person.client_id', 'person.id', 'first_name', 'last_name'),
    );
    const { id, count } = await made({ personId: tie.id });
    expect(count).to.be.at.least(1);
    const [piece] = await pieces(id);
    expect((await viewPiece(firm.db, piece?.id ?? 0)).postal[0]).to.contain(
      `${tie.first_name} ${tie.last_name}`,
    );
    expect(await pieceText(piece?.id ?? 0)).to.contain(`Dear ${tie.first_name}`);
    const file = await one(firm.db('file').where({ general: 0 }).first('id', 'number'));
    const about = await made({ fileId: file.id });
    expect((await pieces(about.id)).map((each) => each.file?.number)).to.deep.equal([file.number]);
  });

  it('prints labels for those picked out, from the first that is still on the sheet', async () => {
    const [sheet] = LABEL_SHEETS;
    if (!sheet) throw new Error('there is none');
    const pdf = await labelsFor(firm.db, MANAGER, { selection: selectionOf(), sheet, start: 20 });
    const with_ = await firm.db('client').whereNot({ postal: '[]' }).select('name', 'postal');
    const text = textOf(pdf);
    for (const { name } of with_) expect(text.replace(/\s+/g, ' ')).to.contain(name.split(' ')[0]);
    const sheets = Math.ceil((with_.length + 19) / 21);
    expect(poppler('pdfinfo', pdf)).to.match(new RegExp(`Pages: +${sheets}\\n`));
    expect(await say(labelsFor(firm.db, MANAGER, { selection: selectionOf(), sheet, start: 22 }))).to.contain(
      'not so many',
    );
    expect(
      await say(
        labelsFor(firm.db, MANAGER, { selection: selectionOf(), sheet: { ...sheet, left: 90 }, start: 1 }),
      ),
    ).to.contain('wider');
  });

  it('shows how the letter paper looks', async () => {
    const { paper } = await readFirm(firm.db);
    const text = textOf(
      await tryPaper(firm.db, { ...paper, foot: 'Below all', window: 'right', currency: 'EUR' }),
    );
    expect(text).to.contain('Below all').and.to.contain('€200.00').and.to.contain('How to pay');
  });
});
