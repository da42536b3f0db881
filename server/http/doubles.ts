import { Router } from 'express';
import {
  DoublePage,
  DoubleQuery,
  DoubleView,
  DoubleViewQuery,
  Id,
  Made,
  MergeDraft,
  MergePage,
  MergeUndone,
  Page,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { listMerges, mergeDoubles, unmergeDoubles, viewDouble } from '../records/doubles/merge.ts';
import { listDoubles, sayTwo } from '../records/doubles/pairs.ts';
import { only, reply, staffOf } from './guard.ts';

/** Records that may be one, merged and parted again. */
export function doublesRoutes({ db }: AppContext): Router {
  const router = Router();
  const changers = only('merge records');
  router.get('/doubles', async (req, res) =>
    reply(res, DoublePage, await listDoubles(db, DoubleQuery.parse(req.query))),
  );
  router.get('/doubles/view', async (req, res) =>
    reply(res, DoubleView, await viewDouble(db, DoubleViewQuery.parse(req.query))),
  );
  router.post('/doubles/:id/two', changers, async (req, res) => {
    await sayTwo(db, staffOf(res).id, Id.parse(req.params.id), true);
    res.status(204).end();
  });
  router.delete('/doubles/:id/two', changers, async (req, res) => {
    await sayTwo(db, staffOf(res).id, Id.parse(req.params.id), false);
    res.status(204).end();
  });
  router.get('/merges', async (req, res) => {
    const { offset, limit } = Page.parse(req.query);
    reply(res, MergePage, await listMerges(db, offset, limit));
  });
  router.post('/merges', changers, async (req, res) =>
    reply(res, Made, { id: await mergeDoubles(db, staffOf(res).id, MergeDraft.parse(req.body)) }),
  );
  router.post('/merges/:id/undo', changers, async (req, res) =>
    reply(res, MergeUndone, { left: await unmergeDoubles(db, staffOf(res).id, Id.parse(req.params.id)) }),
  );
  return router;
}
