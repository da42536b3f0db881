import { Router } from 'express';
import {
  GatewayAnswer,
  GatewayDraft,
  Id,
  Made,
  TextAnswered,
  TextDesk,
  TextDraft,
  TextFile,
  TextsPage,
  TextsQuery,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { listTexts } from '../textmessage/ledger.ts';
import { cancelText, fileText, releaseText, setWaits } from '../textmessage/place.ts';
import { dropGateway, keepGateway, viewGateway } from '../textmessage/settings.ts';
import { readDesk, sendText } from '../textmessage/write.ts';
import { only, reply, staffOf } from './guard.ts';

/** Text messages: written, listed, filed; and the gateway they go through. */
export function textRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  const writers = only('write messages');
  const managers = only('run the office');
  router.get('/texts', async (req, res) =>
    reply(res, TextsPage, await listTexts(db, TextsQuery.parse(req.query))),
  );
  router.get('/clients/:id/texts', async (req, res) =>
    reply(res, TextDesk, await readDesk(db, Id.parse(req.params.id))),
  );
  router.post('/texts', writers, async (req, res) =>
    reply(res, Made, { id: await sendText(db, staffOf(res), TextDraft.parse(req.body)) }),
  );
  router.delete('/texts/:id', writers, async (req, res) => {
    await cancelText(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/texts/:id/release', only('release mailings'), async (req, res) => {
    await releaseText(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.put('/texts/:id/file', only('sort mail'), async (req, res) => {
    await fileText(db, staffOf(res), Id.parse(req.params.id), TextFile.parse(req.body).fileId);
    res.status(204).end();
  });
  router.put('/texts/:id/answer', writers, async (req, res) => {
    await setWaits(db, staffOf(res), Id.parse(req.params.id), TextAnswered.parse(req.body).waits);
    res.status(204).end();
  });
  router.get('/office/gateway', managers, async (_req, res) =>
    reply(res, GatewayAnswer, { gateway: await viewGateway(db) }),
  );
  router.put('/office/gateway', managers, async (req, res) => {
    await keepGateway(context, staffOf(res), GatewayDraft.parse(req.body));
    reply(res, GatewayAnswer, { gateway: await viewGateway(db) });
  });
  router.delete('/office/gateway', managers, async (_req, res) => {
    await dropGateway(context, staffOf(res));
    res.status(204).end();
  });
  return router;
}
