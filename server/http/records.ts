import { Router } from 'express';
import {
  ClientMade,
  ClientPage,
  ClientQuery,
  ClientView,
  Doubles,
  DoublesQuery,
  Id,
  LedgerPage,
  LedgerQuery,
  NewClient,
  SearchHits,
  SearchQuery,
} from '../../contract/index.ts';
import { ledger } from '../correspondence/ledger/ledger.ts';
import type { LedgerKind } from '../correspondence/ledger/port.ts';
import type { AppContext } from '../foundation/context.ts';
import { listClients, viewClient } from '../records/clients.ts';
import { runningNow } from '../selection/catalogue.ts';
import { search } from '../records/search.ts';
import { findDoubles, makeClient } from '../records/create.ts';
import { only, reply, staffOf } from './guard.ts';
import { notFound } from '../foundation/refusal.ts';
import { filingRegister } from '../records/filingRegister.ts';

/** Clients with their ledger, and search. @throws Refusal for a client that is not here */
export function recordsRoutes(context: AppContext, entries: readonly LedgerKind[]): Router {
  const { db } = context;
  const router = Router();
  router.get('/clients', async (req, res) => {
    const running = await runningNow(db, staffOf(res).id);
    reply(res, ClientPage, await listClients(db, ClientQuery.parse(req.query), running));
  });
  router.get('/clients/doubles', async (req, res) =>
    reply(res, Doubles, await findDoubles(context, DoublesQuery.parse(req.query))),
  );
  router.post('/clients', only('add to the records'), async (req, res) =>
    reply(res, ClientMade, await makeClient(context, staffOf(res).id, NewClient.parse(req.body))),
  );
  router.get('/clients/:id', async (req, res) => {
    const client = await viewClient(db, Id.parse(req.params.id));
    if (!client) throw notFound('That client');
    reply(res, ClientView, client);
  });
  router.get('/clients/:id/ledger', async (req, res) =>
    reply(res, LedgerPage, await ledger(db, entries, Id.parse(req.params.id), LedgerQuery.parse(req.query))),
  );
  router.get('/search', async (req, res) =>
    reply(res, SearchHits, await search(db, await filingRegister(context), SearchQuery.parse(req.query).q)),
  );
  return router;
}
