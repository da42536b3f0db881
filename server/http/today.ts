import { Router } from 'express';
import { Page, ReturnedPage, Today } from '../../contract/index.ts';
import type { Office } from '../office.ts';
import { listReturned, readToday } from '../today/today.ts';
import { reply } from './guard.ts';

export function todayRoutes({ db }: Office): Router {
  const router = Router();
  router.get('/today', async (_req, res) => reply(res, Today, await readToday(db)));
  router.get('/returned', async (req, res) => {
    const { offset, limit } = Page.parse(req.query);
    reply(res, ReturnedPage, await listReturned(db, offset, limit));
  });
  return router;
}
