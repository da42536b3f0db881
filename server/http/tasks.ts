import { Router } from 'express';
import { Id, Made, TaskChange, TaskDone, TaskFields, TasksPage, TasksQuery } from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { addTask, changeTask, keepTask, listTasks, settleTask } from '../tasks/tasks.ts';
import { only, reply, staffOf } from './guard.ts';

/** What is to be done, by whom and by when. */
export function taskRoutes({ db }: AppContext): Router {
  const router = Router();
  const leavers = only('leave tasks');
  router.get('/tasks', async (req, res) =>
    reply(res, TasksPage, await listTasks(db, staffOf(res).id, TasksQuery.parse(req.query))),
  );
  router.post('/tasks', leavers, async (req, res) =>
    reply(res, Made, { id: await addTask(db, staffOf(res).id, TaskFields.parse(req.body)) }),
  );
  router.put('/tasks/:id', leavers, async (req, res) => {
    await changeTask(db, staffOf(res).id, Id.parse(req.params.id), TaskChange.parse(req.body));
    res.status(204).end();
  });
  router.put('/tasks/:id/done', leavers, async (req, res) => {
    await settleTask(db, staffOf(res).id, Id.parse(req.params.id), TaskDone.parse(req.body).done);
    res.status(204).end();
  });
  router.delete('/tasks/:id', leavers, async (req, res) => {
    await keepTask(db, staffOf(res).id, Id.parse(req.params.id), false);
    res.status(204).end();
  });
  router.post('/tasks/:id/restore', leavers, async (req, res) => {
    await keepTask(db, staffOf(res).id, Id.parse(req.params.id), true);
    res.status(204).end();
  });
  return router;
}
