import express, { Router, type NextFunction, type Request, type Response } from 'express';
import { z } from 'zod';
import {
  Id,
  ImportChoice,
  ImportLine,
  ImportNamed,
  ImportRows,
  ImportRowsQuery,
  ImportView,
  Made,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { Refusal } from '../foundation/refusal.ts';
import {
  checkList,
  dropList,
  listRows,
  listRuns,
  runList,
  takeList,
  undoList,
  viewRun,
} from '../records/import/runs.ts';
import { only, reply, staffOf } from './guard.ts';

/** A list may be so large. */
const MOST = '64mb';

/** Lists of clients brought in: taken in, tried, brought in, taken back. */
export function importRoutes({ db }: AppContext): Router {
  const router = Router();
  const may = only('bring lists in');
  const seen = async (res: Response, id: number) => reply(res, ImportView, await viewRun(db, id));
  router.get('/imports', may, async (_req, res) => reply(res, z.array(ImportLine), await listRuns(db)));
  router.post(
    '/imports',
    may,
    express.raw({ type: () => true, limit: MOST }),
    tooLarge,
    async (req: Request, res: Response) => {
      const { filename } = ImportNamed.parse(req.query);
      const bytes = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
      reply(res, Made, { id: await takeList(db, staffOf(res).id, filename, bytes) });
    },
  );
  router.get('/imports/:id', may, (req, res) => seen(res, Id.parse(req.params.id)));
  router.get('/imports/:id/rows', may, async (req, res) =>
    reply(res, ImportRows, await listRows(db, Id.parse(req.params.id), ImportRowsQuery.parse(req.query))),
  );
  router.put('/imports/:id', may, async (req, res) => {
    const id = Id.parse(req.params.id);
    await checkList(db, staffOf(res).id, id, ImportChoice.parse(req.body));
    await seen(res, id);
  });
  router.post('/imports/:id/run', may, async (req, res) => {
    const id = Id.parse(req.params.id);
    await runList(db, staffOf(res).id, id);
    await seen(res, id);
  });
  router.post('/imports/:id/undo', may, async (req, res) => {
    const id = Id.parse(req.params.id);
    await undoList(db, staffOf(res).id, id);
    await seen(res, id);
  });
  router.delete('/imports/:id', may, async (req, res) => {
    await dropList(db, Id.parse(req.params.id));
    res.status(204).end();
  });
  return router;
}

/** Says what is to be done about a list that is too large. */
function tooLarge(error: unknown, _req: Request, _res: Response, next: NextFunction): void {
  const large = (error as { type?: string }).type === 'entity.too.large';
  next(large ? new Refusal(413, 'A list may have 64 MB. Bring it in in parts.') : error);
}
