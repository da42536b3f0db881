import { Router } from 'express';
import { z } from 'zod';
import {
  AutoFiledPage,
  AutoFiledQuery,
  AutoFiledRow,
  ConversationRow,
  Conversed,
  Join,
  Joined,
  FilingScore,
  Id,
  MessageView,
  Page,
  PicturesQuery,
  ReadAgain,
  Rule,
  RuleDraft,
  RuleTrial,
  Sort,
  SortDone,
  SortingQueue,
  UnconnectedKinds,
  Weighing,
} from '../../contract/index.ts';
import { autoFiledAlike, autoFiledPage } from '../filing/autoFiled.ts';
import { conversation, joinConversation, partMessage } from '../filing/conversation.ts';
import {
  messageEnclosure,
  messagePage,
  messageSource,
  readMessageAgain,
  viewMessage,
} from '../filing/message.ts';
import { dropRule, listRules, makeRule, tryRule } from '../filing/rules.ts';
import { filingScore } from '../filing/score.ts';
import { sortingQueue } from '../filing/sorting.ts';
import { sortMessage, undoStep } from '../filing/steps.ts';
import { weighingLeft } from '../filing/weighing.ts';
import { setUnconnectedKinds } from '../filing/unconnected.ts';
import type { AppContext } from '../foundation/context.ts';
import { framePolicy } from '../security/html.ts';
import { sendLook } from './documents.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** Sorting, what was filed by itself, rules, and messages opened. */
export function filingRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  router.get('/sorting', async (req, res) =>
    reply(res, SortingQueue, await sortingQueue(db, staffOf(res).id, Page.parse(req.query))),
  );
  const sorters = only('sort mail');
  router.post('/sorting', sorters, async (req, res) =>
    reply(res, SortDone, await sortMessage(context, staffOf(res).id, Sort.parse(req.body))),
  );
  router.post('/sorting/steps/:id/undo', sorters, async (req, res) =>
    reply(res, SortDone, await undoStep(context, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/messages/:id', async (req, res) =>
    reply(res, MessageView, await viewMessage(context, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/messages/:id/alike', async (req, res) =>
    reply(res, z.array(AutoFiledRow), await autoFiledAlike(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/conversations/:id', async (req, res) =>
    reply(res, z.array(ConversationRow), await conversation(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.get('/filing/alone', async (req, res) =>
    reply(res, AutoFiledPage, await autoFiledPage(db, staffOf(res).id, AutoFiledQuery.parse(req.query))),
  );
  router.get('/filing/score', async (_req, res) => reply(res, FilingScore, await filingScore(db)));
  router.get('/filing/weighing', async (_req, res) => reply(res, Weighing, await weighingLeft(db)));
  router.put('/filing/unconnected', only('make rules'), async (req, res) =>
    reply(
      res,
      UnconnectedKinds,
      await setUnconnectedKinds(context, staffOf(res).id, UnconnectedKinds.parse(req.body)),
    ),
  );
  router.get('/filing/rules', async (_req, res) => reply(res, z.array(Rule), await listRules(db)));
  router.post('/filing/rules/try', async (req, res) =>
    reply(res, RuleTrial, await tryRule(db, staffOf(res).id, RuleDraft.parse(req.body))),
  );
  router.post('/filing/rules', only('make rules'), async (req, res) =>
    reply(res, Rule, await makeRule(db, staffOf(res).id, RuleDraft.parse(req.body))),
  );
  router.delete('/filing/rules/:id', only('make rules'), async (req, res) => {
    await dropRule(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/messages/:id/page', async (req, res) => {
    const pictures = PicturesQuery.parse(req.query).pictures === '1';
    const page = await messagePage(db, staffOf(res).id, Id.parse(req.params.id), pictures);
    res.set('Content-Security-Policy', framePolicy(pictures));
    res.type('html').send(page);
  });
  router.post('/messages/:id/read-again', sorters, async (req, res) =>
    reply(res, ReadAgain, {
      problem: await readMessageAgain(context, staffOf(res).id, Id.parse(req.params.id)),
    }),
  );
  router.post('/messages/:id/part', sorters, async (req, res) => {
    const conversationId = await partMessage(context, staffOf(res).id, Id.parse(req.params.id));
    reply(res, Conversed, { conversationId });
  });
  router.post('/messages/:id/join', sorters, async (req, res) => {
    const to = Join.parse(req.body);
    reply(res, Joined, await joinConversation(context, staffOf(res).id, Id.parse(req.params.id), to));
  });
  router.get('/messages/:id/source', async (req, res) => {
    const { raw, subject } = await messageSource(db, staffOf(res).id, Id.parse(req.params.id));
    download(res, `${subject || 'message'}.eml`, 'message/rfc822', raw);
  });
  router.get('/messages/:id/enclosures/:index', async (req, res) => {
    const index = z.coerce.number().int().min(0).parse(req.params.index);
    const part = await messageEnclosure(db, staffOf(res).id, Id.parse(req.params.id), index);
    download(res, part.filename, 'application/octet-stream', part.content);
  });
  router.get('/messages/:id/enclosures/:index/page', async (req, res) => {
    const index = z.coerce.number().int().min(0).parse(req.params.index);
    await sendLook(res, await messageEnclosure(db, staffOf(res).id, Id.parse(req.params.id), index));
  });
  return router;
}
