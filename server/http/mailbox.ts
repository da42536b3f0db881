import { Router } from 'express';
import { z } from 'zod';
import {
  Id,
  LookedOnServer,
  LookOnServer,
  MailAct,
  MailActDone,
  MailPage,
  MailQuery,
  MailboxStatus,
  Owing,
  ShownMailbox,
} from '../../contract/index.ts';
import { actOnMail } from '../mailbox/acts.ts';
import { shownMailboxes } from '../mailbox/boxes.ts';
import { listMail } from '../mailbox/list.ts';
import { lookOnServer } from '../mailbox/onServer.ts';
import { owing, settleOwing } from '../mailbox/owing.ts';
import { mailboxStatuses, retryMailbox } from '../mailbox/status.ts';
import type { Office } from '../office.ts';
import { only, reply, staffOf } from './guard.ts';

const OwingQuery = z.object({
  clientId: Id.optional(),
  who: z.enum(['we', 'they']).optional(),
  limit: z.coerce.number().int().min(1).max(200).default(50),
});
const Needs = z.object({ needs: z.boolean() });

/** The Mail screen, and the mailboxes themselves. */
export function mailboxRoutes(office: Office): Router {
  const { db } = office;
  const router = Router();
  router.get('/mail', async (req, res) =>
    reply(res, MailPage, await listMail(office, staffOf(res).id, MailQuery.parse(req.query))),
  );
  router.get('/mail/boxes', async (_req, res) =>
    reply(res, z.array(ShownMailbox), await shownMailboxes(db, staffOf(res).id)),
  );
  router.post('/mail/acts', async (req, res) =>
    reply(res, MailActDone, await actOnMail(office, staffOf(res).id, MailAct.parse(req.body))),
  );
  router.post('/mail/on-server', async (req, res) => {
    const { q, boxes } = LookOnServer.parse(req.body);
    reply(res, LookedOnServer, await lookOnServer(office, staffOf(res).id, q, boxes));
  });
  router.get('/owing', async (req, res) => {
    const { clientId, who, limit } = OwingQuery.parse(req.query);
    const narrowed = { limit, ...(clientId ? { clientId } : {}), ...(who ? { who } : {}) };
    reply(res, z.array(Owing), await owing(db, narrowed));
  });
  router.post('/messages/:id/answer', async (req, res) => {
    const { needs } = Needs.parse(req.body);
    await settleOwing(office, staffOf(res).id, Id.parse(req.params.id), needs);
    res.status(204).end();
  });
  router.get('/mailboxes', async (_req, res) =>
    reply(res, z.array(MailboxStatus), await mailboxStatuses(db)),
  );
  router.post('/mailboxes/:id/retry', only('manager', 'adviser'), async (req, res) => {
    await retryMailbox(db, Id.parse(req.params.id));
    res.status(204).end();
  });
  return router;
}
