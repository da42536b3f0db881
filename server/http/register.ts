import { Router } from 'express';
import { z } from 'zod';
import {
  ClientPage,
  ClientQuery,
  ClientView,
  Id,
  LedgerPage,
  LedgerQuery,
  SearchHits,
} from '../../contract/index.ts';
import { ledger } from '../filing/ledger.ts';
import type { Office } from '../office.ts';
import { listClients, search, viewClient } from '../register/clients.ts';
import { reply } from './guard.ts';
import { notFound } from './problems.ts';

const Find = z.object({ q: z.string().max(100).default('') });

export function registerRoutes({ db }: Office): Router {
  const router = Router();
  router.get('/clients', async (req, res) =>
    reply(res, ClientPage, await listClients(db, ClientQuery.parse(req.query))),
  );
  router.get('/clients/:id', async (req, res) => {
    const client = await viewClient(db, Id.parse(req.params.id));
    if (!client) throw notFound('That client');
    reply(res, ClientView, client);
  });
  router.get('/clients/:id/ledger', async (req, res) =>
    reply(res, LedgerPage, await ledger(db, Id.parse(req.params.id), LedgerQuery.parse(req.query))),
  );
  router.get('/search', async (req, res) =>
    reply(res, SearchHits, await search(db, Find.parse(req.query).q)),
  );
  return router;
}
