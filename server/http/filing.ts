import { Router, type Response } from 'express';
import { z } from 'zod';
import {
  AlonePage,
  AloneQuery,
  AloneRow,
  ConversationRow,
  FilingScore,
  Id,
  MessageView,
  Note,
  NoteDraft,
  Page,
  Rule,
  RuleDraft,
  RuleTrial,
  Sort,
  SortDone,
  SortingQueue,
} from '../../contract/index.ts';
import { settledAlike, settledAlone } from '../filing/alone.ts';
import { conversation } from '../filing/conversation.ts';
import { messageSource, viewMessage } from '../filing/message.ts';
import { addNote } from '../filing/notes.ts';
import { dropRule, listRules, makeRule, tryRule } from '../filing/rules.ts';
import { filingScore } from '../filing/score.ts';
import { sortingQueue } from '../filing/sorting.ts';
import { sortMessage, undoStep } from '../filing/steps.ts';
import type { Office } from '../office.ts';
import { framePage, framePolicy, plainAsHtml, safeHtml } from '../security/html.ts';
import { only, reply, staffOf } from './guard.ts';
import { notFound } from './problems.ts';

const Pictures = z.object({ pictures: z.enum(['0', '1']).default('0') });

export function filingRoutes(office: Office): Router {
  const { db } = office;
  const router = Router();
  router.get('/sorting', async (req, res) =>
    reply(res, SortingQueue, await sortingQueue(db, staffOf(res).id, Page.parse(req.query))),
  );
  router.post('/sorting', async (req, res) =>
    reply(res, SortDone, await sortMessage(office, staffOf(res).id, Sort.parse(req.body))),
  );
  router.post('/sorting/steps/:id/undo', async (req, res) =>
    reply(res, SortDone, await undoStep(office, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/messages/:id', async (req, res) =>
    reply(res, MessageView, await viewMessage(office, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/messages/:id/alike', async (req, res) =>
    reply(res, z.array(AloneRow), await settledAlike(db, Id.parse(req.params.id))),
  );
  router.get('/conversations/:id', async (req, res) =>
    reply(res, z.array(ConversationRow), await conversation(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/filing/alone', async (req, res) =>
    reply(res, AlonePage, await settledAlone(db, AloneQuery.parse(req.query))),
  );
  router.get('/filing/score', async (_req, res) => reply(res, FilingScore, await filingScore(db)));
  router.get('/filing/rules', async (_req, res) => reply(res, z.array(Rule), await listRules(db)));
  router.post('/filing/rules/try', async (req, res) =>
    reply(res, RuleTrial, await tryRule(db, RuleDraft.parse(req.body))),
  );
  router.post('/filing/rules', only('manager', 'adviser'), async (req, res) =>
    reply(res, Rule, await makeRule(db, staffOf(res).id, RuleDraft.parse(req.body))),
  );
  router.delete('/filing/rules/:id', only('manager', 'adviser'), async (req, res) => {
    await dropRule(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/notes', async (req, res) =>
    reply(res, Note, await addNote(db, staffOf(res).id, NoteDraft.parse(req.body))),
  );
  router.get('/messages/:id/page', async (req, res) => {
    const { read } = await messageSource(db, staffOf(res).id, Id.parse(req.params.id));
    const pictures = Pictures.parse(req.query).pictures === '1';
    res.set('Content-Security-Policy', framePolicy(pictures));
    res
      .type('html')
      .send(
        framePage(
          read.html === null ? plainAsHtml(read.text) : safeHtml(read.html, read.enclosures, pictures),
        ),
      );
  });
  router.get('/messages/:id/source', async (req, res) => {
    const { raw, subject } = await messageSource(db, staffOf(res).id, Id.parse(req.params.id));
    download(res, `${subject || 'message'}.eml`, 'message/rfc822', raw);
  });
  router.get('/messages/:id/enclosures/:index', async (req, res) => {
    const { read } = await messageSource(db, staffOf(res).id, Id.parse(req.params.id));
    const part = read.enclosures[z.coerce.number().int().min(0).parse(req.params.index)];
    if (!part) throw notFound('That enclosure');
    download(res, part.filename, 'application/octet-stream', part.content);
  });
  return router;
}

/** Offers bytes for saving; never shown within our origin. */
function download(res: Response, filename: string, type: string, bytes: Uint8Array): void {
  res.set({
    'Content-Type': type,
    'X-Content-Type-Options': 'nosniff',
    'Content-Security-Policy': "default-src 'none'; sandbox",
  });
  res.attachment(filename.replace(/[^\p{L}\p{N} ._()+-]/gu, '_').slice(0, 120));
  res.type(type).send(Buffer.from(bytes));
}
