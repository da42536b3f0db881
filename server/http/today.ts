import { Router } from 'express';
import { Count, Page, ReturnedPage, SettleHeld, Today } from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { listReturned, resolveHeld } from '../today/returned.ts';
import { readToday } from '../today/today.ts';
import { only, reply, staffOf } from './guard.ts';

/** The first screen, and what came back undelivered. */
export function todayRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  router.get('/today', async (_req, res) => reply(res, Today, await readToday(db, staffOf(res))));
  router.get('/returned', async (req, res) => {
    const { offset, limit } = Page.parse(req.query);
    reply(res, ReturnedPage, await listReturned(db, staffOf(res).id, offset, limit));
  });
  router.post('/returned/held', only('settle returns'), async (req, res) => {
    const { apply } = SettleHeld.parse(req.body);
    reply(res, Count, { count: await resolveHeld(context, staffOf(res).id, apply) });
  });
  return router;
}
