import express, { Router } from 'express';
import { z } from 'zod';
import {
  Answers,
  Checks,
  DispatchPage,
  DispatchQuery,
  EnclosureNamed,
  FactInfo,
  HandOver,
  Id,
  Made,
  MailingBegin,
  MailingEnclosure,
  OwnEnclosure,
  OwnEnclosures,
  MailingResults,
  MailingRow,
  MailingSave,
  MailingSaved,
  MailingSender,
  MailingSteer,
  MailingTrace,
  MailingView,
  OwnCopy,
  OwnCopyChange,
  Page,
  Presence,
  PresenceTold,
  Preview,
  PreviewAsk,
  PutEnclosures,
  RecipientKey,
  Recipients,
  RecipientsAsk,
  Release,
  Schedule,
  SeriesPage,
  SendAgain,
  Settle,
  TestAsk,
  Timing,
  TimingAsk,
  TimingPlan,
} from '../../contract/index.ts';
import { createMailing, deleteMailing, listMailings, saveMailing } from '../mailing/mailings.ts';
import { addToSeries, listSeries } from '../mailing/series.ts';
import { changeCopy, dropCopy, readCopy } from '../mailing/ownCopies.ts';
import { viewMailing } from '../mailing/view.ts';
import { factCatalogue } from '../facts/gather.ts';
import { domainRemarks } from '../mailing/domain.ts';
import {
  enclose,
  encloseKeptWithAll,
  listEnclosures,
  renewEnclosure,
  takeOff,
} from '../mailing/enclosures.ts';
import { listOwn, sayOwn } from '../mailing/ownEnclosures.ts';
import { tellPresence } from '../mailing/presence.ts';
import { listRecipients } from '../mailing/recipients.ts';
import { listSenders } from '../mailing/senders.ts';
import type { AppContext } from '../foundation/context.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';
import { checkMailing, previewMailing, sendTest } from '../mailing/checking.ts';
import { resolveUncertain } from '../mailing/progress.ts';
import { listAnswers, listDispatch, readResults, resultsAsCsv } from '../mailing/results.ts';
import { sendAgain } from '../mailing/again.ts';
import { handOver, releaseMailing, steerMailing, takeBack } from '../mailing/release.ts';
import { readSchedule } from '../mailing/schedule.ts';
import { changeTiming, planTiming } from '../mailing/timing.ts';
import { traceOf } from '../mailing/trace.ts';

/** Mailings, whom they reach, and how each copy fared. */
export function mailingRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  const senders = only('release mailings');
  const writers = only('prepare mailings');
  router.get('/facts/known', async (_req, res) => reply(res, z.array(FactInfo), await factCatalogue(db)));
  router.post('/mailings/recipients', async (req, res) =>
    reply(res, Recipients, await listRecipients(db, RecipientsAsk.parse(req.body))),
  );
  router.get('/clients/:id/mailings', async (req, res) =>
    reply(
      res,
      MailingTrace,
      await traceOf(db, staffOf(res).id, Id.parse(req.params.id), Page.parse(req.query)),
    ),
  );
  router.get('/mailings/senders', async (_req, res) =>
    reply(res, z.array(MailingSender), await listSenders(db)),
  );
  router.get('/mailings', async (req, res) => {
    const { offset, limit } = Page.parse(req.query);
    reply(res, z.array(MailingRow), await listMailings(db, offset, limit));
  });
  router.post('/mailings', writers, async (req, res) =>
    reply(res, Made, {
      id: await createMailing(db, staffOf(res), MailingBegin.parse(req.body ?? {})),
    }),
  );
  router.get('/mailings/:id', async (req, res) =>
    reply(res, MailingView, await viewMailing(db, Id.parse(req.params.id))),
  );
  router.put('/mailings/:id', writers, async (req, res) => {
    const { version, ...draft } = MailingSave.parse(req.body);
    reply(res, MailingSaved, { version: await saveMailing(db, Id.parse(req.params.id), draft, version) });
  });
  router.delete('/mailings/:id', writers, async (req, res) => {
    await deleteMailing(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/mailings/:id/follow', writers, async (req, res) =>
    reply(res, Made, { id: await addToSeries(db, staffOf(res), Id.parse(req.params.id)) }),
  );
  router.get('/mailings/:id/series', async (req, res) =>
    reply(res, SeriesPage, await listSeries(db, Id.parse(req.params.id), Page.parse(req.query))),
  );
  router.get('/mailings/:id/checks', async (req, res) =>
    reply(res, Checks, await checkMailing(db, Id.parse(req.params.id))),
  );
  router.get('/mailings/:id/sending-domain', async (req, res) =>
    reply(res, z.array(z.string()), await domainRemarks(db, Id.parse(req.params.id))),
  );
  router.get('/mailings/:id/preview', async (req, res) =>
    reply(
      res,
      Preview,
      await previewMailing(context, Id.parse(req.params.id), PreviewAsk.parse(req.query).key),
    ),
  );
  router.get('/mailings/:id/copies/:key', async (req, res) =>
    reply(res, OwnCopy, await readCopy(db, Id.parse(req.params.id), RecipientKey.parse(req.params.key))),
  );
  router.put('/mailings/:id/copies/:key', writers, async (req, res) => {
    const key = RecipientKey.parse(req.params.key);
    await changeCopy(db, staffOf(res), Id.parse(req.params.id), key, OwnCopyChange.parse(req.body));
    res.status(204).end();
  });
  router.delete('/mailings/:id/copies/:key', writers, async (req, res) => {
    await dropCopy(db, Id.parse(req.params.id), RecipientKey.parse(req.params.key));
    res.status(204).end();
  });
  router.post('/mailings/:id/test', writers, async (req, res) => {
    await sendTest(context, staffOf(res), Id.parse(req.params.id), TestAsk.parse(req.body));
    res.status(204).end();
  });
  router.get('/mailings/:id/enclosures', async (req, res) =>
    reply(res, z.array(MailingEnclosure), await listEnclosures(db, Id.parse(req.params.id))),
  );
  router.post(
    '/mailings/:id/enclosures',
    writers,
    express.raw({ type: () => true, limit: '11mb' }),
    async (req, res) => {
      const { filename, type } = EnclosureNamed.parse(req.query);
      const content = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
      await enclose(db, Id.parse(req.params.id), { filename, type, content });
      res.status(204).end();
    },
  );
  router.get('/mailings/:id/enclosures/own', async (req, res) =>
    reply(res, z.array(OwnEnclosure), await listOwn(db, Id.parse(req.params.id))),
  );
  router.put('/mailings/:id/enclosures/own', writers, async (req, res) => {
    await sayOwn(db, Id.parse(req.params.id), OwnEnclosures.parse(req.body));
    res.status(204).end();
  });
  router.post('/mailings/:id/enclosures/kept', writers, async (req, res) => {
    const { wordingIds } = PutEnclosures.parse(req.body);
    await encloseKeptWithAll(db, staffOf(res), Id.parse(req.params.id), wordingIds);
    res.status(204).end();
  });
  router.post('/mailings/:id/enclosures/:enclosure/renew', writers, async (req, res) => {
    await renewEnclosure(db, staffOf(res), Id.parse(req.params.id), Id.parse(req.params.enclosure));
    res.status(204).end();
  });
  router.post('/mailings/:id/presence', writers, async (req, res) => {
    const { step } = PresenceTold.parse(req.body);
    reply(res, Presence, await tellPresence(db, staffOf(res), Id.parse(req.params.id), step));
  });
  router.delete('/mailings/:id/enclosures/:enclosure', writers, async (req, res) => {
    await takeOff(db, Id.parse(req.params.id), Id.parse(req.params.enclosure));
    res.status(204).end();
  });
  router.post('/mailings/:id/release', senders, async (req, res) => {
    await releaseMailing(context, staffOf(res), Id.parse(req.params.id), Release.parse(req.body));
    res.status(204).end();
  });
  router.post('/mailings/:id/hand-over', writers, async (req, res) => {
    await handOver(db, staffOf(res), Id.parse(req.params.id), HandOver.parse(req.body).version);
    res.status(204).end();
  });
  router.post('/mailings/:id/take-back', writers, async (req, res) => {
    await takeBack(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/mailings/timing', async (req, res) => {
    const { mailingId, timing } = TimingAsk.parse(req.body);
    reply(res, TimingPlan, await planTiming(context, mailingId, timing));
  });
  router.put('/mailings/:id/timing', senders, async (req, res) => {
    await changeTiming(context, staffOf(res), Id.parse(req.params.id), Timing.parse(req.body));
    res.status(204).end();
  });
  router.get('/schedule', async (_req, res) => reply(res, Schedule, await readSchedule(db)));
  router.post('/mailings/:id/steer', senders, async (req, res) => {
    await steerMailing(context, staffOf(res), Id.parse(req.params.id), MailingSteer.parse(req.body).to);
    res.status(204).end();
  });
  router.get('/mailings/:id/dispatch', async (req, res) => {
    const query = DispatchQuery.parse(req.query);
    reply(res, DispatchPage, await listDispatch(db, Id.parse(req.params.id), query));
  });
  router.get('/mailings/:id/results', async (req, res) =>
    reply(res, MailingResults, await readResults(db, Id.parse(req.params.id))),
  );
  router.get('/mailings/:id/answers', async (req, res) =>
    reply(
      res,
      Answers,
      await listAnswers(db, staffOf(res).id, Id.parse(req.params.id), Page.parse(req.query)),
    ),
  );
  router.post('/mailings/:id/results/take-out', only('take lists out'), async (req, res) => {
    const { filename, text } = await resultsAsCsv(db, staffOf(res).id, Id.parse(req.params.id));
    download(res, filename, 'text/csv; charset=utf-8', Buffer.from(text));
  });
  router.post('/dispatch/:id/again', senders, async (req, res) => {
    await sendAgain(db, staffOf(res), Id.parse(req.params.id), SendAgain.parse(req.body).address);
    res.status(204).end();
  });
  router.post('/dispatch/:id/settle', senders, async (req, res) => {
    await resolveUncertain(db, staffOf(res), Id.parse(req.params.id), Settle.parse(req.body).outcome);
    res.status(204).end();
  });
  return router;
}
