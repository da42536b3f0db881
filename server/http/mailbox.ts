import { Router } from 'express';
import { z } from 'zod';
import {
  AnswerNeeded,
  DisconnectQuery,
  FilingAddress,
  Guess,
  GuessAsk,
  HeldFor,
  Id,
  LookedOnServer,
  LookOnServer,
  Made,
  MailAct,
  MailActDone,
  MailboxChange,
  MailboxConnect,
  MailboxSettings,
  MailboxStatus,
  MailPage,
  MailQuery,
  Owing,
  OwingQuery,
  ShownMailbox,
  TryAsk,
  TryResult,
  UndoneChange,
  UndoneSeen,
  Verified,
} from '../../contract/index.ts';
import { actOnMail } from '../mailbox/list/acts.ts';
import { makeBin } from '../mailbox/accounts/bin.ts';
import {
  accessFrom,
  guessAccess,
  refuseStrangeServers,
  tryIncoming,
  tryOutgoing,
  verifyMailbox,
} from '../mailbox/accounts/connect.ts';
import { listMail } from '../mailbox/list/list.ts';
import { lookOnServer } from '../mailbox/list/onServer.ts';
import { owing, setAnswerNeeded } from '../correspondence/owing.ts';
import {
  changeMailbox,
  connectMailbox,
  disconnectMailbox,
  keptPassword,
  mailboxSettings,
  mailboxToManage,
  setFilingAddress,
} from '../mailbox/accounts/settings.ts';
import { listUndone, noteUndoneSeen } from '../mailbox/sync/undone.ts';
import { mailboxStatuses, retryMailbox } from '../mailbox/accounts/status.ts';
import type { AppContext } from '../foundation/context.ts';
import { mustWait, noteAttempt } from '../security/attempts.ts';
import { only, reply, staffOf } from './guard.ts';
import { Refusal } from '../foundation/refusal.ts';
import { shownMailboxes } from '../mailbox/list/shown.ts';

/** The Mail screen, and the mailboxes themselves. @returns the routes; they throw what their services refuse */
export function mailboxRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  router.get('/mail', async (req, res) =>
    reply(res, MailPage, await listMail(context, staffOf(res).id, MailQuery.parse(req.query))),
  );
  router.get('/mail/boxes', async (_req, res) =>
    reply(res, z.array(ShownMailbox), await shownMailboxes(db, staffOf(res).id)),
  );
  router.post('/mail/acts', async (req, res) =>
    reply(res, MailActDone, await actOnMail(context, staffOf(res).id, MailAct.parse(req.body))),
  );
  router.get('/mail/undone', async (_req, res) =>
    reply(res, z.array(UndoneChange), await listUndone(db, staffOf(res).id)),
  );
  router.put('/mail/undone', async (req, res) => {
    await noteUndoneSeen(db, staffOf(res).id, UndoneSeen.parse(req.body).upTo);
    res.status(204).end();
  });
  router.post('/mail/on-server', async (req, res) => {
    const { q, boxes } = LookOnServer.parse(req.body);
    reply(res, LookedOnServer, await lookOnServer(context, staffOf(res).id, q, boxes));
  });
  router.get('/owing', async (req, res) => {
    const { clientId, who, limit } = OwingQuery.parse(req.query);
    const narrowed = { limit, ...(clientId ? { clientId } : {}), ...(who ? { who } : {}) };
    reply(res, z.array(Owing), await owing(db, narrowed));
  });
  router.post('/messages/:id/answer', async (req, res) => {
    const { needs } = AnswerNeeded.parse(req.body);
    await setAnswerNeeded(context, staffOf(res).id, Id.parse(req.params.id), needs);
    res.status(204).end();
  });
  router.get('/mailboxes', async (_req, res) =>
    reply(res, z.array(MailboxStatus), await mailboxStatuses(db, staffOf(res))),
  );
  router.get('/held', (_req, res) => reply(res, HeldFor, context.held.lately()));
  router.get('/filing-address', async (_req, res) =>
    reply(res, FilingAddress, { address: (await context.firm()).filingAddress }),
  );
  router.put('/filing-address', only('set the filing address'), async (req, res) => {
    await setFilingAddress(context, staffOf(res), FilingAddress.parse(req.body).address);
    res.status(204).end();
  });
  router.post('/mailboxes/guess', async (req, res) =>
    reply(res, Guess, await guessAccess(GuessAsk.parse(req.body).address)),
  );
  router.post('/mailboxes/try', async (req, res) => {
    const { access, password, mailboxId, step } = TryAsk.parse(req.body);
    const staff = staffOf(res);
    const kept = mailboxId ? await mailboxToManage(db, staff, mailboxId) : null;
    await refuseStrangeServers(context, staff, access);
    const minutes = await mustWait(db, 'reach a server', String(staff.id));
    if (minutes) throw new Refusal(429, `Too many tries. Please wait ${minutes} minutes.`);
    await noteAttempt(db, 'reach a server', String(staff.id));
    const ways = accessFrom(
      context,
      access,
      password ?? (kept ? keptPassword(context, kept, access, step) : ''),
    );
    reply(res, TryResult, await (step === 'incoming' ? tryIncoming(ways) : tryOutgoing(ways)));
  });
  router.post('/mailboxes', async (req, res) =>
    reply(res, Made, { id: await connectMailbox(context, staffOf(res), MailboxConnect.parse(req.body)) }),
  );
  router.get('/mailboxes/:id', async (req, res) =>
    reply(res, MailboxSettings, await mailboxSettings(context, staffOf(res), Id.parse(req.params.id))),
  );
  router.put('/mailboxes/:id', async (req, res) => {
    await changeMailbox(context, staffOf(res), Id.parse(req.params.id), MailboxChange.parse(req.body));
    res.status(204).end();
  });
  router.post('/mailboxes/:id/bin', async (req, res) => {
    await makeBin(context, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/mailboxes/:id/verify', async (req, res) => {
    const mailbox = await mailboxToManage(db, staffOf(res), Id.parse(req.params.id));
    reply(res, Verified, await verifyMailbox(context, mailbox));
  });
  router.delete('/mailboxes/:id', async (req, res) => {
    const { remove } = DisconnectQuery.parse(req.query);
    await disconnectMailbox(context, staffOf(res), Id.parse(req.params.id), remove === '1');
    res.status(204).end();
  });
  router.post('/mailboxes/:id/retry', only('retry mailboxes'), async (req, res) => {
    await retryMailbox(db, Id.parse(req.params.id));
    res.status(204).end();
  });
  return router;
}
