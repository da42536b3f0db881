import { Router } from 'express';
import { z } from 'zod';
import {
  Beginning,
  BeginningChange,
  FirmChange,
  FirmView,
  Id,
  Leaving,
  ListChange,
  ListEntry,
  ListName,
  NumbersLearned,
  NumberTrial,
  OneTimeLink,
  StaffDraft,
  StaffRecord,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { beginning, settleBeginning } from '../office/beginning.ts';
import { changeFirm, tryNumbers, viewFirm } from '../office/settings.ts';
import { fromNextTime } from '../paperwork/remind.ts';
import {
  addStaff,
  changeStaff,
  comeBack,
  dropSecondStep,
  leave,
  linkFor,
  listStaff,
} from '../office/staff.ts';
import { changeList, readList } from '../office/lists.ts';
import { only, reply, staffOf } from './guard.ts';

/** The firm's settings, its staff, and what an office begins with. */
export function officeRoutes({ db }: AppContext): Router {
  const router = Router();
  const managers = only('run the office');
  router.get('/office/firm', async (_req, res) => reply(res, FirmView, await viewFirm(db)));
  router.put('/office/firm', managers, async (req, res) => {
    const change = FirmChange.parse(req.body);
    const view = await changeFirm(db, staffOf(res).id, change);
    if (change.after.reminders) await fromNextTime(db);
    reply(res, FirmView, view);
  });
  router.post('/office/numbers/try', managers, async (req, res) =>
    reply(res, NumbersLearned, await tryNumbers(db, NumberTrial.parse(req.body))),
  );
  router.get('/office/lists/:list', async (req, res) =>
    reply(res, z.array(ListEntry), await readList(db, ListName.parse(req.params.list))),
  );
  router.put('/office/lists/:list', managers, async (req, res) => {
    const list = ListName.parse(req.params.list);
    const change = ListChange.parse(req.body);
    reply(res, z.array(ListEntry), await changeList(db, staffOf(res).id, list, change));
  });
  router.get('/office/beginning', managers, async (_req, res) => reply(res, Beginning, await beginning(db)));
  router.put('/office/beginning', managers, async (req, res) =>
    reply(res, Beginning, await settleBeginning(db, BeginningChange.parse(req.body))),
  );
  router.get('/office/staff', managers, async (_req, res) =>
    reply(res, z.array(StaffRecord), await listStaff(db)),
  );
  router.post('/office/staff', managers, async (req, res) =>
    reply(res, OneTimeLink, await addStaff(db, staffOf(res).id, StaffDraft.parse(req.body))),
  );
  router.put('/office/staff/:id', managers, async (req, res) => {
    await changeStaff(db, staffOf(res).id, Id.parse(req.params.id), StaffDraft.parse(req.body));
    res.status(204).end();
  });
  router.post('/office/staff/:id/link', managers, async (req, res) =>
    reply(res, OneTimeLink, await linkFor(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.post('/office/staff/:id/second-step/off', managers, async (req, res) => {
    await dropSecondStep(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/office/staff/:id/leave', managers, async (req, res) => {
    await leave(db, staffOf(res).id, Id.parse(req.params.id), Leaving.parse(req.body).to);
    res.status(204).end();
  });
  router.post('/office/staff/:id/back', managers, async (req, res) =>
    reply(res, OneTimeLink, await comeBack(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  return router;
}
