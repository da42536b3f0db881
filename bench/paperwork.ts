import { request } from 'node:http';
import type { AddressInfo } from 'node:net';
import JSZip from 'jszip';
import { setTimeout as wait } from 'node:timers/promises';
import type { RunDraft, StaffMember } from '../contract/index.ts';
import { selectionOf } from '../core/selection/tree.ts';
import { letterPages, type Printed } from '../core/paperwork/print.ts';
import { webApp } from '../server/http/app.ts';
import { LEDGER } from '../server/parts.ts';
import { makeRun, PaperMaker } from '../server/paperwork/make.ts';
import { beginPack, packContent, PackMaker } from '../server/paperwork/packs.ts';
import { actOnPieces } from '../server/paperwork/pieces.ts';
import { releasePieces } from '../server/paperwork/release.ts';
import { beginRun, draftOfRun, readRun, saveRun } from '../server/paperwork/runs.ts';
import { fillIn } from '../server/paperwork/templates.ts';
import { drawable, pagesPdf } from '../server/reading/pdf.ts';
import { paperOf, readFirm } from '../server/foundation/firm.ts';
import { layGround, line, result, seconds } from './ground.ts';

const MAREN: StaffMember = {
  id: 1,
  name: 'Maren Okell',
  email: 'maren.okell@quillhurst.example',
  role: 'manager',
};
/** The limit is measured with so many. */
const LIMIT_OF = 100;
const MB = 1024 * 1024;

const SENTENCE =
  'The wood at the upper end has been looked at, and what was planted there in spring has come up well but for the eastern strip. ';
const paragraph = (...content: RunDraft['body']['content'] & object) => ({ type: 'paragraph', content });
/** Words that fill two pages. */
const BODY: RunDraft['body'] = {
  type: 'doc',
  content: [
    paragraph(
      { type: 'text', text: 'Dear ' },
      { type: 'mergeField', attrs: { field: 'greeting', fallback: 'all', format: '' } },
    ),
    ...Array.from({ length: 12 }, () => paragraph({ type: 'text', text: SENTENCE.repeat(3) })),
  ],
};

/** How long a page takes meanwhile, in milliseconds, the 95th of a hundred; asked again and again until told to stop. */
function pages(port: number): { stop(): Promise<number> } {
  const took: number[] = [];
  let stopped = false;
  const ask = () =>
    new Promise<void>((resolve, reject) => {
      const began = performance.now();
      request({ port, path: '/api/session', host: '127.0.0.1' }, (answer) => {
        answer.resume();
        answer.on('end', () => {
          took.push(performance.now() - began);
          resolve();
        });
      })
        .on('error', reject)
        .end();
    });
  const work = (async () => {
    while (!stopped) {
      await ask();
      await wait(20);
    }
  })();
  return {
    async stop() {
      stopped = true;
      await work;
      took.sort((a, b) => a - b);
      return took[Math.floor(took.length * 0.95)] ?? 0;
    },
  };
}

/** Makes so many letters of two pages, releases them for the post and packs them, beside the PDF library alone. */
export async function benchPaperwork(count = 1000): Promise<void> {
  console.log(`Making ${count.toLocaleString('en-GB')} letters of two pages …`);
  const ground = await layGround(count, () => undefined);
  const { db, context } = ground;
  try {
    await db('client').update({ postal: '["1 The Lane","Quillhurst","Q1 1AA"]' });
    const firm = await readFirm(db);
    const id = await beginRun(db, MAREN, {
      kind: 'letter',
      personId: null,
      clientId: null,
      fileId: null,
      selection: selectionOf(),
    });
    const version = await saveRun(db, id, { ...draftOfRun(await readRun(db, id)), body: BODY }, 1);
    const alone = await limit(paperOf(firm));
    const server = webApp(context, LEDGER).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    const asked = pages((server.address() as AddressInfo).port);
    const before = process.memoryUsage().rss;
    let pieces = 0;
    const laid = await seconds(async () => (pieces = await makeRun(db, MAREN, id, version)));
    line('laid on the desk', laid, pieces);
    const maker = new PaperMaker(context);
    let most = before;
    const looked = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 200);
    const made = await seconds(() => maker.makeAll());
    clearInterval(looked);
    const p95 = await asked.stop();
    server.close();
    line('made, facts gathered, kept', made, pieces);
    line('the PDF library alone, in one thread', alone * pieces, pieces);
    console.log(`another page meanwhile, 95 of 100 within ${p95.toFixed(0)} ms (asked 200)`);
    console.log(`memory ${(before / MB).toFixed(0)} MB before, ${(most / MB).toFixed(0)} MB at most`);
    const [{ length = 0 } = {}] = (await db('paper_piece')
      .where({ run_id: id })
      .max({ length: 'pages' })) as { length?: number }[];
    console.log(`each has ${length} pages`);
    const ids: number[] = await db('paper_piece').where({ run_id: id }).pluck('id');
    await db('paper_piece').where({ run_id: id }).update({ way: 'post', problems: '[]' });
    await actOnPieces(db, MAREN, id, { ids, act: 'read', why: '' });
    const released = await seconds(() =>
      releasePieces(db, MAREN, id, { what: 'read', expected: ids.length }),
    );
    line('released for the post', released, pieces);
    let pack = 0;
    const packed = await seconds(async () => {
      pack = await beginPack(db, MAREN, true);
      await new PackMaker(context).round();
    });
    line('put into one print pack', packed, pieces);
    const after = process.memoryUsage().rss;
    const bytes = (await packContent(db, pack)).length;
    console.log(
      `the pack has ${(bytes / MB).toFixed(1)} MB; memory ${(after / MB).toFixed(0)} MB after (asked 600)`,
    );
    const documents = await benchDocuments(count);
    const ratio = made / (alone * pieces);
    result('paperwork', {
      pieces,
      pages: length,
      made,
      alone: alone * pieces,
      ratio,
      p95,
      packed,
      memory: after / MB,
      ...documents,
    });
  } finally {
    await ground.close();
  }
}

/** A letter of one page as a word-processor template. */
async function template(): Promise<Buffer> {
  const merge = (name: string) =>
    `<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText> MERGEFIELD ${name} </w:instrText></w:r><w:r><w:fldChar w:fldCharType="separate"/></w:r><w:r><w:t>x</w:t></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r>`;
  const text = `<w:r><w:t xml:space="preserve">${SENTENCE}</w:t></w:r>`;
  const body = Array.from(
    { length: 14 },
    (_, at) => `<w:p>${text}${at % 2 ? merge('name') : merge('due \\@ "d MMMM yyyy"')}${text}</w:p>`,
  );
  const zip = new JSZip();
  const office = 'application/vnd.openxmlformats-officedocument.wordprocessingml';
  zip.file(
    '[Content_Types].xml',
    `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Override PartName="/word/document.xml" ContentType="${office}.document.main+xml"/></Types>`,
  );
  zip.file(
    'word/document.xml',
    `<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>${body.join('')}</w:body></w:document>`,
  );
  return zip.generateAsync({ type: 'nodebuffer', compression: 'DEFLATE' });
}

/** Fills so many one-page documents in as the maker does, beside the archive library alone packing as many. */
async function benchDocuments(count: number): Promise<{ documents: number; documentsAlone: number }> {
  const content = await template();
  const matching = { name: { fact: 'name', instead: '' }, due: { fact: 'due', instead: '' } };
  const known = Array.from({ length: count }, (_, at) => ({
    words: { name: `Client ${at}`, due: '3 May 2026' },
    values: { due: '2026-05-03' },
  }));
  const [warm] = await fillIn(content, known.slice(0, 1), matching);
  const filled = await seconds(async () => {
    for (let at = 0; at < count; at += 24) await fillIn(content, known.slice(at, at + 24), matching);
  });
  line('one-page documents filled in', filled, count);
  const zip = await JSZip.loadAsync(warm?.docx ?? content);
  const xml = (await zip.file('word/document.xml')?.async('string')) ?? '';
  const packed = await seconds(async () => {
    for (let at = 0; at < count; at++) {
      zip.file('word/document.xml', xml);
      await zip.generateAsync({
        type: 'uint8array',
        compression: 'DEFLATE',
        compressionOptions: { level: 4 },
      });
    }
  });
  line('the archive library alone, packing as many', packed, count);
  return { documents: filled, documentsAlone: packed };
}

/** Seconds that the PDF library takes for one such letter by itself, in this thread. */
async function limit(paper: Printed['paper']): Promise<number> {
  const printed: Printed = {
    paper,
    madeAt: new Date(0),
    address: ['A client', '1 The Lane', 'Q1 1AA'],
    facts: [{ label: 'Date', value: '3 May 2026' }],
    subject: '',
    body: { type: 'doc', content: (BODY.content ?? []).slice(1) },
    signature: [],
    pictures: {},
    continued: 'To a client',
    slip: null,
  };
  for (let n = 0; n < 10; n++) await pagesPdf(letterPages(printed, drawable()));
  const took = await seconds(async () => {
    for (let n = 0; n < LIMIT_OF; n++) await pagesPdf(letterPages(printed, drawable()));
  });
  return took / LIMIT_OF;
}
