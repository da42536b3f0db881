import express, { Router, type Response } from 'express';
import { z } from 'zod';
import {
  DocumentChange,
  DocumentCopy,
  DocumentPut,
  DocumentRow,
  DocumentsPage,
  DocumentsQuery,
  Id,
  ListEntry,
  Made,
} from '../../contract/index.ts';
import {
  changeDocument,
  copyDocument,
  documentContent,
  MOST_BYTES,
  putDocument,
  removeDocument,
} from '../documents/keep.ts';
import { listDocuments, readDocument } from '../documents/list.ts';
import { lookPage, type Looked } from '../documents/look.ts';
import type { AppContext } from '../foundation/context.ts';
import { readList } from '../office/lists.ts';
import { framePolicy } from '../security/html.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** Documents of clients and files: listed, looked at, put there, changed, taken off. */
export function documentRoutes({ db }: AppContext): Router {
  const router = Router();
  const keepers = only('keep documents');
  router.get('/documents', async (req, res) =>
    reply(res, DocumentsPage, await listDocuments(db, DocumentsQuery.parse(req.query))),
  );
  router.get('/documents/kinds', async (_req, res) =>
    reply(res, z.array(ListEntry), await readList(db, 'document_kind')),
  );
  router.get('/documents/:id', async (req, res) =>
    reply(res, DocumentRow, await readDocument(db, Id.parse(req.params.id))),
  );
  router.get('/documents/:id/content', async (req, res) => {
    const { row, content } = await documentContent(db, Id.parse(req.params.id));
    download(res, row.filename, 'application/octet-stream', content);
  });
  router.get('/documents/:id/page', async (req, res) => {
    const { row, content } = await documentContent(db, Id.parse(req.params.id));
    await sendLook(res, { filename: row.filename, mimeType: row.mime_type, content });
  });
  router.post(
    '/files/:id/documents',
    keepers,
    express.raw({ type: () => true, limit: MOST_BYTES + 1024 }),
    async (req, res) => {
      const { filename, type, kindId } = DocumentPut.parse(req.query);
      const content = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
      const id = await putDocument(db, staffOf(res).id, Id.parse(req.params.id), {
        ...{ filename, content, kindId },
        mimeType: type,
      });
      reply(res, Made, { id });
    },
  );
  router.put('/documents/:id', keepers, async (req, res) => {
    const change = DocumentChange.parse(req.body);
    await changeDocument(db, staffOf(res).id, Id.parse(req.params.id), change);
    res.status(204).end();
  });
  router.delete('/documents/:id', keepers, async (req, res) => {
    await removeDocument(db, staffOf(res).id, Id.parse(req.params.id), true);
    res.status(204).end();
  });
  router.post('/documents/:id/restore', keepers, async (req, res) => {
    await removeDocument(db, staffOf(res).id, Id.parse(req.params.id), false);
    res.status(204).end();
  });
  router.post('/documents/:id/copy', keepers, async (req, res) => {
    const { fileId } = DocumentCopy.parse(req.body);
    reply(res, Made, { id: await copyDocument(db, staffOf(res).id, Id.parse(req.params.id), fileId) });
  });
  return router;
}

/** Something looked at in a sandboxed frame of our pages. */
export async function sendLook(res: Response, looked: Looked): Promise<void> {
  const page = await lookPage(looked);
  res.set('Content-Security-Policy', framePolicy(false));
  res.type('html').send(page);
}
