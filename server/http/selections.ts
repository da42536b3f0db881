import { Router } from 'express';
import {
  ChangeKept,
  ColumnsOf,
  Compare,
  Compared,
  Id,
  KeepSelection,
  KeptPage,
  KeptSelection,
  ShownList,
  Made,
  Page,
  SelectionAsk,
  SelectionCatalogue,
  SelectionColumn,
  SelectionPage,
  SelectionRowsAsk,
} from '../../contract/index.ts';
import { problemsOf } from '../../core/selection/explain.ts';
import type { AppContext } from '../foundation/context.ts';
import { refuseBroken, runningNow, selectionCatalogue } from '../selection/catalogue.ts';
import { readColumns, keepColumns } from '../selection/columns.ts';
import { compareKept } from '../selection/compare.ts';
import { changeKept, dropKept, keepSelection, listKept, readKept } from '../selection/kept.ts';
import { columnOf } from '../selection/query.ts';
import { resultPage } from '../selection/results.ts';
import { reply, staffOf } from './guard.ts';

/** Picking out records: what by, how many are left after each line, who they are; and what is kept of it. */
export function selectionRoutes({ db }: AppContext): Router {
  const router = Router();
  router.get('/selections/catalogue', async (_req, res) =>
    reply(res, SelectionCatalogue, await selectionCatalogue(db, staffOf(res).id)),
  );
  router.post('/selections/column', async (req, res) => {
    const { selection } = SelectionAsk.parse(req.body);
    const problems = problemsOf(selection, await selectionCatalogue(db, staffOf(res).id));
    const column = problems.length
      ? null
      : await columnOf(db, selection, await runningNow(db, staffOf(res).id));
    reply(res, SelectionColumn, { problems, column });
  });
  router.post('/selections/rows', async (req, res) => {
    const ask = SelectionRowsAsk.parse(req.body);
    await refuseBroken(db, staffOf(res).id, ask.selection, [...ask.columns, ask.sort]);
    const running = await runningNow(db, staffOf(res).id);
    const order = { by: ask.sort, order: ask.order };
    const page = await resultPage(db, ask.selection, ask.columns, order, ask, running);
    reply(res, SelectionPage, page);
  });
  router.post('/selections/compared', async (req, res) =>
    reply(res, Compared, await compareKept(db, staffOf(res).id, Compare.parse(req.body))),
  );
  router.get('/columns/:list', async (req, res) => {
    const list = ShownList.parse(req.params.list);
    reply(res, ColumnsOf, { columns: await readColumns(db, staffOf(res).id, list) });
  });
  router.put('/columns/:list', async (req, res) => {
    const { columns } = ColumnsOf.parse(req.body);
    await keepColumns(db, staffOf(res).id, ShownList.parse(req.params.list), columns);
    res.status(204).end();
  });
  router.get('/selections', async (req, res) =>
    reply(res, KeptPage, await listKept(db, staffOf(res).id, Page.parse(req.query))),
  );
  router.post('/selections', async (req, res) =>
    reply(res, Made, { id: await keepSelection(db, staffOf(res), KeepSelection.parse(req.body)) }),
  );
  router.get('/selections/:id', async (req, res) =>
    reply(res, KeptSelection, await readKept(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.put('/selections/:id', async (req, res) => {
    await changeKept(db, staffOf(res), Id.parse(req.params.id), ChangeKept.parse(req.body));
    res.status(204).end();
  });
  router.delete('/selections/:id', async (req, res) => {
    await dropKept(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  return router;
}
