import { Router } from 'express';
import { z } from 'zod';
import { Id, Made, ManyAsk, ManyDo, ManyDone, ManyPreview, Page, TakeOut } from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { changeMany, listMany, previewMany, undoMany } from '../records/many/changes.ts';
import { takeOut } from '../records/takeOut.ts';
import { only, reply, staffOf } from './guard.ts';

/** What is done to all of a selection: one change, or a list of them taken out. */
export function manyRoutes({ db }: AppContext): Router {
  const router = Router();
  const changers = only('change many records');
  router.get('/many', async (req, res) =>
    reply(res, z.array(ManyDone), await listMany(db, Page.parse(req.query).limit)),
  );
  router.post('/many/preview', changers, async (req, res) =>
    reply(res, ManyPreview, await previewMany(db, staffOf(res).id, ManyAsk.parse(req.body))),
  );
  router.post('/many', changers, async (req, res) =>
    reply(res, Made, { id: await changeMany(db, staffOf(res).id, ManyDo.parse(req.body)) }),
  );
  router.post('/many/:id/undo', changers, async (req, res) => {
    await undoMany(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/selections/take-out', only('take lists out'), async (req, res) => {
    const wanted = TakeOut.parse(req.body);
    const { type, filename, write } = await takeOut(db, staffOf(res).id, wanted);
    res.type(type).attachment(filename);
    await write(res);
  });
  return router;
}
