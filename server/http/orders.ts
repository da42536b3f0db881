import { Router } from 'express';
import {
  Count,
  CoursesPage,
  CoursesQuery,
  HeldTurn,
  Id,
  Made,
  OrderChoices,
  OrderFields,
  OrderSave,
  OrderSends,
  OrdersPage,
  OrdersQuery,
  OrderTried,
  OrderTry,
  OrderTurn,
  OrderView,
  PreparedAct,
  PreparedActed,
  PreparedPage,
  PreparedQuery,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { addOrder, dropOrder, letSend, saveOrder, turnOrder } from '../orders/keep.ts';
import { orderChoices } from '../orders/names.ts';
import { actOnPrepared, listPrepared } from '../orders/prepared.ts';
import { listCourses, listOrders, tryOrder, turnHeld, viewOrder } from '../orders/view.ts';
import { only, reply, staffOf } from './guard.ts';

/** Standing orders: written, tried, switched on; what they have under way, and what they prepared. */
export function orderRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  const keepers = only('keep orders');
  router.get('/orders', async (req, res) =>
    reply(res, OrdersPage, await listOrders(db, staffOf(res).id, OrdersQuery.parse(req.query))),
  );
  router.post('/orders', keepers, async (req, res) =>
    reply(res, Made, { id: await addOrder(db, staffOf(res), OrderFields.parse(req.body)) }),
  );
  router.get('/orders/choices', async (_req, res) =>
    reply(res, OrderChoices, await orderChoices(db, staffOf(res).id)),
  );
  router.post('/orders/tried', keepers, async (req, res) =>
    reply(res, OrderTried, await tryOrder(db, staffOf(res).id, OrderTry.parse(req.body))),
  );
  router.get('/orders/prepared', async (req, res) =>
    reply(res, PreparedPage, await listPrepared(db, staffOf(res).id, PreparedQuery.parse(req.query))),
  );
  router.post('/orders/prepared', only('write messages'), async (req, res) =>
    reply(res, PreparedActed, await actOnPrepared(context, staffOf(res).id, PreparedAct.parse(req.body))),
  );
  router.get('/orders/:id', async (req, res) =>
    reply(res, OrderView, await viewOrder(db, staffOf(res), Id.parse(req.params.id))),
  );
  router.put('/orders/:id', keepers, async (req, res) => {
    const { version, ...fields } = OrderSave.parse(req.body);
    const id = Id.parse(req.params.id);
    await saveOrder(db, staffOf(res), id, fields, version);
    reply(res, OrderView, await viewOrder(db, staffOf(res), id));
  });
  router.delete('/orders/:id', keepers, async (req, res) => {
    await dropOrder(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  router.put('/orders/:id/turn', keepers, async (req, res) => {
    const id = Id.parse(req.params.id);
    await turnOrder(db, staffOf(res), id, OrderTurn.parse(req.body));
    reply(res, OrderView, await viewOrder(db, staffOf(res), id));
  });
  router.put('/orders/:id/sends', only('let orders send'), async (req, res) => {
    const id = Id.parse(req.params.id);
    await letSend(db, staffOf(res), id, OrderSends.parse(req.body).sends);
    reply(res, OrderView, await viewOrder(db, staffOf(res), id));
  });
  router.get('/orders/:id/courses', async (req, res) =>
    reply(res, CoursesPage, await listCourses(db, Id.parse(req.params.id), CoursesQuery.parse(req.query))),
  );
  router.put('/orders/:id/held', keepers, async (req, res) => {
    const turn = HeldTurn.parse(req.body);
    reply(res, Count, { count: await turnHeld(db, staffOf(res), Id.parse(req.params.id), turn) });
  });
  return router;
}
