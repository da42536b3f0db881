import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { Router } from 'express';
import {
  CodeGiven,
  DoorView,
  Id,
  Made,
  OwnChoice,
  OwnLine,
  OwnPage,
  OwnUpload,
} from '../../../contract/index.ts';
import { MOST_UPLOAD } from '../../../core/collection/upload.ts';
import { behind, enter, leave, sendCode } from '../../collection/door.ts';
import { collect } from '../../collection/items.ts';
import { leaveLine } from '../../collection/ledger.ts';
import { ownPage } from '../../collection/own.ts';
import { giveUpload, takeUploadBack } from '../../collection/uploads.ts';
import type { AppContext } from '../../foundation/context.ts';
import { readFirm } from '../../foundation/firm.ts';
import { readHears, writeHears } from '../../mailing/hears.ts';
import { download } from '../download.ts';
import { reply, sameOrigin } from '../guard.ts';
import { openedOf, setVisit, visiting, visitOf } from './guard.ts';

/** The small app may run our own code and reach our own server: nothing from elsewhere, and in no frame. */
const POLICY =
  "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; form-action 'none'; base-uri 'none'; frame-ancestors 'none'";

/**
 * Clients' pages: the only ones that strangers reach, beside the one on which they opt out. Behind a guard of their
 * own, with a cookie of their own: nobody who is signed in to the office is anybody here, nor the other way round.
 */
export function clientRoutes(context: AppContext, webDir: string): Router {
  const router = Router();
  router.use((_req, res, next) => {
    res.set({ 'Cache-Control': 'no-store', 'Referrer-Policy': 'no-referrer', 'X-Robots-Tag': 'noindex' });
    next();
  });
  router.use('/api/:token', apiOf(context));
  router.get('/:token', (_req, res) => {
    res.set('Content-Security-Policy', POLICY);
    const page = join(webDir, 'client.html');
    if (!existsSync(page)) return void res.status(503).type('text').send('The page has not been built yet.');
    res.sendFile(page);
  });
  return router;
}

function apiOf(context: AppContext): Router {
  const { db, config } = context;
  const api = Router({ mergeParams: true });
  const json = express.json({ limit: '60kb' });
  const guard = visiting(context);
  api.use(sameOrigin);
  api.get('/', async (req: express.Request<{ token: string }>, res) => {
    await behind(context, req.params.token, req.ip ?? '');
    const { name, phone } = await readFirm(db);
    reply(res, DoorView, { firm: name, phone });
  });
  api.post('/code', async (req: express.Request<{ token: string }>, res) => {
    await sendCode(context, req.params.token, req.ip ?? '');
    res.status(204).end();
  });
  api.post('/visit', json, async (req: express.Request<{ token: string }>, res) => {
    const { code } = CodeGiven.parse(req.body ?? {});
    const visit = await enter(context, req.params.token, code, req.ip ?? '');
    setVisit(res, visit, config.secureCookies || req.secure);
    res.status(204).end();
  });
  api.delete('/visit', async (req, res) => {
    await leave(db, visitOf(req));
    setVisit(res, null, config.secureCookies || req.secure);
    res.status(204).end();
  });
  api.use(guard as express.RequestHandler);
  api.get('/page', async (_req, res) => {
    const opened = openedOf(res);
    const [page, hears] = await Promise.all([ownPage(context, opened), readHears(db, hearer(res))]);
    reply(res, OwnPage, { ...page, hears });
  });
  api.get('/items/:id', async (req, res) => {
    const { filename, content } = await collect(db, openedOf(res).page, Id.parse(req.params.id));
    download(res, filename, 'application/octet-stream', content);
  });
  api.post('/uploads', express.raw({ type: () => true, limit: MOST_UPLOAD + 1024 }), async (req, res) => {
    const { filename, wantedId } = OwnUpload.parse(req.query);
    const content = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
    const given = { filename, content, wantedId: wantedId ?? null };
    reply(res, Made, { id: await giveUpload(db, openedOf(res).page, given) });
  });
  api.delete('/uploads/:id', async (req, res) => {
    await takeUploadBack(db, openedOf(res).page, Id.parse(req.params.id));
    res.status(204).end();
  });
  api.post('/lines', json, async (req, res) => {
    await leaveLine(db, openedOf(res).page, OwnLine.parse(req.body).words);
    res.status(204).end();
  });
  api.put('/hears', json, async (req, res) => {
    await writeHears(db, hearer(res), OwnChoice.parse(req.body));
    res.status(204).end();
  });
  return api;
}

function hearer(res: express.Response) {
  const { page, email } = openedOf(res);
  return { clientId: page.client_id, personId: page.person_id, email };
}
