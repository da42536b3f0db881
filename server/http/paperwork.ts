import express, { Router } from 'express';
import { z } from 'zod';
import {
  Count,
  FactInfo,
  Id,
  LabelsAsk,
  MailingEnclosure,
  Made,
  Page,
  PackBegin,
  PacksPage,
  PackTick,
  PackView,
  PaperSettings,
  PieceAs,
  PieceChange,
  PieceDocument,
  PiecesAct,
  PiecesPage,
  PiecesQuery,
  PieceView,
  PutEnclosures,
  Released,
  RemindersPage,
  RemindersPrepared,
  RemindersQuery,
  RemindingChange,
  RemindingView,
  RunBegin,
  RunReach,
  RunRelease,
  RunSave,
  RunSaved,
  RunsPage,
  RunsQuery,
  RunView,
  SendAgain,
  TemplateChange,
  TemplatePut,
  TemplatesPage,
  TemplatesQuery,
  TemplateTry,
  TemplateView,
  ToneAsk,
} from '../../contract/index.ts';
import { SIGNED_FACT } from '../../core/facts/catalogue.ts';
import type { AppContext } from '../foundation/context.ts';
import { sendPieceAgain } from '../paperwork/again.ts';
import { encloseWithRun, listRunEnclosures, takeOffRun } from '../paperwork/enclosures.ts';
import { labelsFor } from '../paperwork/labels.ts';
import { makeRun } from '../paperwork/make.ts';
import { beginPack, listPacks, packContent, tickPack, viewPack } from '../paperwork/packs.ts';
import { changeReminding, remindOn, viewReminding } from '../paperwork/ownReminding.ts';
import { tryPaper } from '../paperwork/paper.ts';
import {
  actOnPieces,
  changeDocx,
  changePiece,
  listPieces,
  pieceContent,
  postToo,
  viewPiece,
} from '../paperwork/pieces.ts';
import { tellReach } from '../paperwork/reach.ts';
import { prepareReminders, writeTone } from '../paperwork/remind.ts';
import { listReminders } from '../paperwork/reminders.ts';
import { releasePieces } from '../paperwork/release.ts';
import { runReport } from '../paperwork/report.ts';
import {
  backToWords,
  beginRun,
  draftOfRun,
  dropRun,
  listRuns,
  readRun,
  saveRun,
  viewRun,
} from '../paperwork/runs.ts';
import {
  addTemplate,
  changeTemplate,
  dropTemplate,
  listTemplates,
  MOST_DOCX,
  offeredFacts,
  replaceTemplate,
  templateContent,
  tryTemplate,
  viewTemplate,
} from '../paperwork/templates.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** Letters, fee notes and statements: written, made, read, released; print packs. */
export function paperworkRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  const writers = only('prepare paperwork');
  const senders = only('release paperwork');
  router.get('/paperwork', async (req, res) =>
    reply(res, RunsPage, await listRuns(db, RunsQuery.parse(req.query))),
  );
  router.post('/paperwork', writers, async (req, res) =>
    reply(res, Made, { id: await beginRun(db, staffOf(res), RunBegin.parse(req.body)) }),
  );
  router.get('/paperwork/facts', async (_req, res) =>
    reply(res, z.array(FactInfo), [...(await offeredFacts(db)), SIGNED_FACT]),
  );
  reminderRoutes(router, context, writers);
  templateRoutes(router, db, writers);
  router.post('/paperwork/paper', only('run the office'), async (req, res) => {
    download(res, 'paper.pdf', 'application/pdf', await tryPaper(db, PaperSettings.parse(req.body)));
  });
  router.post('/paperwork/labels', writers, async (req, res) => {
    download(
      res,
      'labels.pdf',
      'application/pdf',
      await labelsFor(db, staffOf(res), LabelsAsk.parse(req.body)),
    );
  });
  packRoutes(router, db, writers);
  router.get('/paperwork/:id', async (req, res) =>
    reply(res, RunView, await viewRun(db, Id.parse(req.params.id))),
  );
  router.put('/paperwork/:id', writers, async (req, res) => {
    const { version, ...draft } = RunSave.parse(req.body);
    reply(res, RunSaved, { version: await saveRun(db, Id.parse(req.params.id), draft, version) });
  });
  router.delete('/paperwork/:id', writers, async (req, res) => {
    await dropRun(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/paperwork/:id/reach', async (req, res) => {
    const run = await readRun(db, Id.parse(req.params.id));
    reply(res, RunReach, await tellReach(db, run, draftOfRun(run)));
  });
  router.get('/paperwork/:id/enclosures', async (req, res) =>
    reply(res, z.array(MailingEnclosure), await listRunEnclosures(db, Id.parse(req.params.id))),
  );
  router.post('/paperwork/:id/enclosures/kept', writers, async (req, res) => {
    const { wordingIds } = PutEnclosures.parse(req.body);
    await encloseWithRun(db, staffOf(res), Id.parse(req.params.id), wordingIds);
    res.status(204).end();
  });
  router.delete('/paperwork/:id/enclosures/:enclosure', writers, async (req, res) => {
    await takeOffRun(db, Id.parse(req.params.id), Id.parse(req.params.enclosure));
    res.status(204).end();
  });
  router.post('/paperwork/:id/make', writers, async (req, res) => {
    const { version } = RunSaved.parse(req.body);
    reply(res, Count, { count: await makeRun(db, staffOf(res), Id.parse(req.params.id), version) });
  });
  router.post('/paperwork/:id/back', writers, async (req, res) => {
    await backToWords(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/paperwork/:id/pieces', async (req, res) =>
    reply(res, PiecesPage, await listPieces(db, Id.parse(req.params.id), PiecesQuery.parse(req.query))),
  );
  router.post('/paperwork/:id/pieces', writers, async (req, res) => {
    const act = PiecesAct.parse(req.body);
    reply(res, Count, { count: await actOnPieces(db, staffOf(res), Id.parse(req.params.id), act) });
  });
  router.post('/paperwork/:id/release', senders, async (req, res) => {
    const ask = RunRelease.parse(req.body);
    reply(res, Released, await releasePieces(db, staffOf(res), Id.parse(req.params.id), ask));
  });
  router.get('/paperwork/:id/report', async (req, res) => {
    const { filename, content } = await runReport(db, Id.parse(req.params.id));
    download(res, filename, 'text/csv', content);
  });
  router.get('/pieces/:id', async (req, res) =>
    reply(res, PieceView, await viewPiece(db, Id.parse(req.params.id))),
  );
  router.put('/pieces/:id', writers, async (req, res) => {
    await changePiece(db, staffOf(res), Id.parse(req.params.id), PieceChange.parse(req.body));
    res.status(204).end();
  });
  router.post('/pieces/:id/again', senders, async (req, res) => {
    await sendPieceAgain(db, staffOf(res), Id.parse(req.params.id), SendAgain.parse(req.body).address);
    res.status(204).end();
  });
  router.post('/pieces/:id/post', senders, async (req, res) => {
    await postToo(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/pieces/:id/content', async (req, res) => {
    const { as } = PieceAs.parse(req.query);
    const { filename, content } = await pieceContent(db, Id.parse(req.params.id), as);
    download(res, filename, as === 'pdf' ? 'application/pdf' : 'application/octet-stream', content);
  });
  router.post('/pieces/:id/document', writers, ...document, async (req, res) => {
    const { version } = PieceDocument.parse(req.query);
    await changeDocx(db, staffOf(res), Id.parse(req.params.id), version, handed(req.body));
    res.status(204).end();
  });
  router.delete('/pieces/:id/document', writers, async (req, res) => {
    const { version } = PieceDocument.parse(req.query);
    await changeDocx(db, staffOf(res), Id.parse(req.params.id), version, null);
    res.status(204).end();
  });
  return router;
}

function reminderRoutes(router: Router, context: AppContext, writers: ReturnType<typeof only>): void {
  const { db } = context;
  router.get('/paperwork/reminders', async (req, res) =>
    reply(res, RemindersPage, await listReminders(db, RemindersQuery.parse(req.query))),
  );
  router.post('/paperwork/reminders', writers, async (_req, res) =>
    reply(res, RemindersPrepared, await prepareReminders(context, staffOf(res))),
  );
  router.post('/paperwork/reminders/words', writers, async (req, res) =>
    reply(res, Made, { id: await writeTone(db, staffOf(res), ToneAsk.parse(req.body).tone) }),
  );
  for (const [path, of] of [
    ['/clients/:id/reminding', 'client'],
    ['/fee-notes/:id/reminding', 'fee note'],
  ] as const) {
    router.get(path, async (req, res) =>
      reply(res, RemindingView, await viewReminding(db, of, Id.parse(req.params.id))),
    );
    router.put(path, writers, async (req, res) => {
      const { own } = RemindingChange.parse(req.body);
      await changeReminding(db, staffOf(res), of, Id.parse(req.params.id), own);
      res.status(204).end();
    });
  }
  router.post('/fee-notes/:id/reminding/on', writers, async (req, res) => {
    await remindOn(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
}

/** A document in the body of a request, with its name beside it. */
const document = [express.raw({ type: () => true, limit: MOST_DOCX + 1024 })];
const handed = (body: unknown) => (Buffer.isBuffer(body) ? body : Buffer.alloc(0));

function templateRoutes(router: Router, db: AppContext['db'], writers: ReturnType<typeof only>): void {
  router.get('/paperwork/templates', async (req, res) =>
    reply(res, TemplatesPage, await listTemplates(db, TemplatesQuery.parse(req.query))),
  );
  router.post('/paperwork/templates', writers, ...document, async (req, res) => {
    const { filename } = TemplatePut.parse(req.query);
    reply(res, Made, { id: await addTemplate(db, staffOf(res), filename, handed(req.body)) });
  });
  router.get('/paperwork/templates/:id', async (req, res) =>
    reply(res, TemplateView, await viewTemplate(db, Id.parse(req.params.id))),
  );
  router.put('/paperwork/templates/:id', writers, async (req, res) => {
    await changeTemplate(db, staffOf(res), Id.parse(req.params.id), TemplateChange.parse(req.body));
    res.status(204).end();
  });
  router.delete('/paperwork/templates/:id', writers, async (req, res) => {
    await dropTemplate(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/paperwork/templates/:id/content', async (req, res) => {
    const { filename, content } = await templateContent(db, Id.parse(req.params.id));
    download(res, filename, 'application/octet-stream', content);
  });
  router.post('/paperwork/templates/:id/content', writers, ...document, async (req, res) => {
    const { filename } = TemplatePut.parse(req.query);
    await replaceTemplate(db, staffOf(res), Id.parse(req.params.id), filename, handed(req.body));
    res.status(204).end();
  });
  router.post('/paperwork/templates/:id/try', writers, async (req, res) => {
    const ask = TemplateTry.parse(req.body);
    const { filename, content } = await tryTemplate(db, staffOf(res), Id.parse(req.params.id), ask);
    download(res, filename, 'application/octet-stream', content);
  });
}

function packRoutes(router: Router, db: AppContext['db'], writers: ReturnType<typeof only>): void {
  router.get('/paperwork/packs', async (req, res) =>
    reply(res, PacksPage, await listPacks(db, Page.parse(req.query))),
  );
  router.post('/paperwork/packs', writers, async (req, res) =>
    reply(res, Made, { id: await beginPack(db, staffOf(res), PackBegin.parse(req.body).duplex) }),
  );
  router.get('/paperwork/packs/:id', async (req, res) =>
    reply(res, PackView, await viewPack(db, Id.parse(req.params.id))),
  );
  router.get('/paperwork/packs/:id/content', async (req, res) => {
    const id = Id.parse(req.params.id);
    download(res, `Print pack ${id}.pdf`, 'application/pdf', await packContent(db, id));
  });
  router.post('/paperwork/packs/:id/tick', writers, async (req, res) => {
    const { ids, posted } = PackTick.parse(req.body);
    reply(res, Count, { count: await tickPack(db, staffOf(res), Id.parse(req.params.id), ids, posted) });
  });
}
