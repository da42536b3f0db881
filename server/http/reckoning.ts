import { Router } from 'express';
import {
  DifferenceSeen,
  Id,
  ReckoningAsk,
  ReckoningDay,
  ReckoningDays,
  ReckoningDaysQuery,
  ReckoningSheet,
  Sample,
  SampleVerdict,
} from '../../contract/index.ts';
import { judge, readSample } from '../filing/sample.ts';
import type { AppContext } from '../foundation/context.ts';
import { monthSheet } from '../reckoning/sheet.ts';
import { askFor, listDays, settleDifference, viewDay } from '../reckoning/view.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** What every day was accounted for; sheets of a month; the week's sample of what was filed without a person. */
export function reckoningRoutes({ db }: AppContext): Router {
  const router = Router();
  const reckoners = only('reckon the days');
  router.get('/reckoning', reckoners, async (req, res) =>
    reply(res, ReckoningDays, await listDays(db, ReckoningDaysQuery.parse(req.query))),
  );
  router.post('/reckoning', reckoners, async (req, res) => {
    await askFor(db, staffOf(res), ReckoningAsk.parse(req.body).day);
    res.status(204).end();
  });
  router.get('/reckoning/sheet', reckoners, async (req, res) => {
    const { month, format } = ReckoningSheet.parse(req.query);
    const type = format === 'pdf' ? 'application/pdf' : 'text/csv';
    download(res, `reckoning ${month}.${format}`, type, await monthSheet(db, month, format));
  });
  router.put('/reckoning/differences/:id', reckoners, async (req, res) => {
    await settleDifference(db, staffOf(res), Id.parse(req.params.id), DifferenceSeen.parse(req.body).seen);
    res.status(204).end();
  });
  router.get('/reckoning/:day', reckoners, async (req, res) =>
    reply(res, ReckoningDay, await viewDay(db, staffOf(res), ReckoningAsk.parse(req.params).day)),
  );
  router.get('/filing/sample', async (_req, res) => reply(res, Sample, await readSample(db)));
  router.put('/filing/sample', only('sort mail'), async (req, res) => {
    await judge(db, staffOf(res).id, SampleVerdict.parse(req.body));
    res.status(204).end();
  });
  return router;
}
