import { Router } from 'express';
import { GapCounts, GapPage, GapQuery, RightAsItIs } from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { gapCounts, readGap, sayRight } from '../records/upkeep/lists.ts';
import { only, reply, staffOf } from './guard.ts';

/** Records in which something is missing or looks wrong. */
export function upkeepRoutes({ db }: AppContext): Router {
  const router = Router();
  router.get('/upkeep', async (_req, res) => reply(res, GapCounts, await gapCounts(db)));
  router.get('/upkeep/rows', async (req, res) =>
    reply(res, GapPage, await readGap(db, GapQuery.parse(req.query))),
  );
  router.put('/upkeep/right', only('change the records'), async (req, res) => {
    await sayRight(db, staffOf(res).id, RightAsItIs.parse(req.body));
    res.status(204).end();
  });
  return router;
}
