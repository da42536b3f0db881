import { Router } from 'express';
import {
  Ask,
  ClientPages,
  CollectionList,
  CollectionQuery,
  EntryAnswered,
  Id,
  ItemSettle,
  LaidOut,
  LayOut,
  Made,
  PageLink,
  PageSettle,
  UploadSettle,
  WantedSettle,
} from '../../contract/index.ts';
import { layOut, settleItem } from '../collection/items.ts';
import { setLineWaits } from '../collection/ledger.ts';
import { clientPages, linkFor, listCollection } from '../collection/office.ts';
import { settlePage } from '../collection/pages.ts';
import { readUpload, settleUpload } from '../collection/uploads.ts';
import { askFor, settleWanted } from '../collection/wanted.ts';
import type { AppContext } from '../foundation/context.ts';
import { writeOfPage } from '../writing/ofPage.ts';
import { sendLook } from './documents.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** Clients' pages as the office keeps them: laid out, asked for, looked at. */
export function collectionRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  const keepers = only('keep documents');
  router.get('/collection', async (req, res) =>
    reply(res, CollectionList, await listCollection(db, CollectionQuery.parse(req.query))),
  );
  router.get('/clients/:id/pages', async (req, res) =>
    reply(res, ClientPages, await clientPages(context, Id.parse(req.params.id))),
  );
  router.post('/clients/:id/pages/items', keepers, async (req, res) =>
    reply(res, LaidOut, await layOut(db, staffOf(res).id, Id.parse(req.params.id), LayOut.parse(req.body))),
  );
  router.post('/clients/:id/pages/wanted', keepers, async (req, res) => {
    await askFor(db, staffOf(res).id, Id.parse(req.params.id), Ask.parse(req.body));
    res.status(204).end();
  });
  router.post('/clients/:id/pages/:person/link', keepers, async (req, res) => {
    const whose = { clientId: Id.parse(req.params.id), personId: Id.parse(req.params.person) };
    reply(res, PageLink, await linkFor(context, whose));
  });
  router.post('/clients/:id/pages/:person/letter', only('write messages'), async (req, res) => {
    const whose = { clientId: Id.parse(req.params.id), personId: Id.parse(req.params.person) };
    reply(res, Made, { id: await writeOfPage(context, staffOf(res).id, whose) });
  });
  router.put('/clients/:id/pages/:person', keepers, async (req, res) => {
    const whose = { clientId: Id.parse(req.params.id), personId: Id.parse(req.params.person) };
    await settlePage(db, staffOf(res).id, whose, PageSettle.parse(req.body).withdrawn);
    res.status(204).end();
  });
  router.put('/collection/items/:id', keepers, async (req, res) => {
    await settleItem(db, staffOf(res).id, Id.parse(req.params.id), ItemSettle.parse(req.body).withdrawn);
    res.status(204).end();
  });
  router.put('/collection/wanted/:id', keepers, async (req, res) => {
    await settleWanted(db, staffOf(res).id, Id.parse(req.params.id), WantedSettle.parse(req.body).to);
    res.status(204).end();
  });
  router.get('/collection/uploads/:id/content', keepers, async (req, res) => {
    const { row, content } = await readUpload(db, Id.parse(req.params.id));
    download(res, row.filename, 'application/octet-stream', content);
  });
  router.get('/collection/uploads/:id/page', keepers, async (req, res) => {
    const { row, content } = await readUpload(db, Id.parse(req.params.id));
    await sendLook(res, { filename: row.filename, mimeType: row.mime_type, content });
  });
  router.put('/collection/uploads/:id', keepers, async (req, res) => {
    await settleUpload(db, staffOf(res).id, Id.parse(req.params.id), UploadSettle.parse(req.body));
    res.status(204).end();
  });
  router.put('/collection/lines/:id/answer', only('write messages'), async (req, res) => {
    await setLineWaits(db, staffOf(res).id, Id.parse(req.params.id), EntryAnswered.parse(req.body).waits);
    res.status(204).end();
  });
  return router;
}
