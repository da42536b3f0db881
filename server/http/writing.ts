import express, { Router } from 'express';
import { z } from 'zod';
import {
  ContentBack,
  ContentNamed,
  Correspondent,
  DraftBegin,
  DraftRow,
  DraftSave,
  DraftSaved,
  DraftSend,
  DraftSent,
  DraftView,
  MisaddressedWarning,
  EncloseDocument,
  EnclosureNamed,
  Fact,
  FrameLook,
  FrameSettings,
  Id,
  Made,
  OfFile,
  PictureKept,
  PeopleQuery,
  PutEnclosures,
  Wording,
  CupboardQuery,
  KeptWording,
  MailingSaved,
  WordingDraft,
  WordingLook,
  WordingSave,
  WordingTried,
  WordingVersion,
  WordingsPage,
  WordingsQuery,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { beginDraft } from '../writing/begin.ts';
import {
  listDrafts,
  recallDraft,
  restoreDraft,
  saveDraft,
  sendDraft,
  throwDraft,
  viewDraft,
} from '../writing/drafts.ts';
import { checkDraft } from '../writing/checks.ts';
import { keepPicture, readPicture } from '../writing/pictures.ts';
import { addEnclosure, dropEnclosure, encloseDocument } from '../writing/enclosures.ts';
import { factsOfFile } from '../writing/facts.ts';
import { listWordings } from '../writing/offered.ts';
import {
  bringContentBack,
  encloseKept,
  keepEnclosure,
  readContent,
  replaceContent,
} from '../writing/keptEnclosures.ts';
import {
  dropWording,
  keepWording,
  listCupboard,
  listVersions,
  readWording,
  saveWording,
  tryWording,
} from '../writing/cupboard.ts';
import { tryFrame } from '../writing/frame.ts';
import { findCorrespondents } from '../writing/people.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** Writing single messages: drafts, what goes into them, and sending them off. */
export function writingRoutes(context: AppContext): Router {
  const { db } = context;
  const router = Router();
  const writers = only('write messages');
  router.get('/drafts', async (_req, res) =>
    reply(res, z.array(DraftRow), await listDrafts(db, staffOf(res).id)),
  );
  router.post('/drafts', writers, async (req, res) =>
    reply(res, Made, {
      id: await beginDraft(context, staffOf(res).id, DraftBegin.parse(req.body ?? {})),
    }),
  );
  router.get('/drafts/:id', async (req, res) =>
    reply(res, DraftView, await viewDraft(context, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.put('/drafts/:id', writers, async (req, res) =>
    reply(
      res,
      DraftSaved,
      await saveDraft(context, staffOf(res).id, Id.parse(req.params.id), DraftSave.parse(req.body)),
    ),
  );
  router.delete('/drafts/:id', writers, async (req, res) => {
    await throwDraft(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/drafts/:id/restore', writers, async (req, res) => {
    await restoreDraft(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/drafts/:id/warnings', writers, async (req, res) =>
    reply(
      res,
      z.array(MisaddressedWarning),
      await checkDraft(context, staffOf(res).id, Id.parse(req.params.id)),
    ),
  );
  router.post('/drafts/:id/send', writers, async (req, res) => {
    const { version, at } = DraftSend.parse(req.body);
    reply(res, DraftSent, await sendDraft(context, staffOf(res).id, Id.parse(req.params.id), version, at));
  });
  router.post('/drafts/:id/recall', writers, async (req, res) => {
    await recallDraft(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post(
    '/drafts/:id/enclosures',
    writers,
    express.raw({ type: () => true, limit: '26mb' }),
    async (req, res) => {
      const { filename, type } = EnclosureNamed.parse(req.query);
      const content = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
      await addEnclosure(db, staffOf(res).id, Id.parse(req.params.id), filename, type, content);
      res.status(204).end();
    },
  );
  router.post('/drafts/:id/enclosures/document', writers, async (req, res) => {
    const { documentId } = EncloseDocument.parse(req.body);
    await encloseDocument(db, staffOf(res).id, Id.parse(req.params.id), documentId);
    res.status(204).end();
  });
  router.post('/drafts/:id/enclosures/kept', writers, async (req, res) => {
    const { wordingIds } = PutEnclosures.parse(req.body);
    await encloseKept(db, staffOf(res), Id.parse(req.params.id), wordingIds);
    res.status(204).end();
  });
  router.delete('/drafts/:id/enclosures/:enclosure', writers, async (req, res) => {
    await dropEnclosure(db, staffOf(res).id, Id.parse(req.params.id), Id.parse(req.params.enclosure));
    res.status(204).end();
  });
  router.post('/pictures', writers, express.raw({ type: () => true, limit: '4mb' }), async (req, res) => {
    const content = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0);
    reply(res, PictureKept, { hash: await keepPicture(db, staffOf(res).id, content) });
  });
  router.get('/pictures/:hash', async (req, res) => {
    const { type, content } = await readPicture(db, PictureKept.shape.hash.parse(req.params.hash));
    res.set({
      'Cache-Control': 'private, max-age=31536000, immutable',
      'X-Content-Type-Options': 'nosniff',
      'Content-Security-Policy': "default-src 'none'; sandbox",
    });
    res.type(type).send(content);
  });
  router.get('/correspondents', async (req, res) => {
    const { q, file } = PeopleQuery.parse(req.query);
    reply(res, z.array(Correspondent), await findCorrespondents(db, q, file));
  });
  router.get('/facts', async (req, res) =>
    reply(res, z.array(Fact), await factsOfFile(db, OfFile.parse(req.query).file)),
  );
  const keepers = only('keep wordings');
  router.get('/wordings', async (req, res) =>
    reply(res, z.array(Wording), await listWordings(db, staffOf(res).id, WordingsQuery.parse(req.query))),
  );
  router.get('/wordings/kept', async (req, res) =>
    reply(res, WordingsPage, await listCupboard(db, staffOf(res), CupboardQuery.parse(req.query))),
  );
  router.get('/wordings/kept/:id', async (req, res) =>
    reply(res, KeptWording, await readWording(db, staffOf(res), Id.parse(req.params.id))),
  );
  router.get('/wordings/kept/:id/versions', async (req, res) =>
    reply(res, z.array(WordingVersion), await listVersions(db, staffOf(res), Id.parse(req.params.id))),
  );
  const bytes = express.raw({ type: () => true, limit: '11mb' });
  const handed = (query: z.output<typeof EnclosureNamed>, body: unknown) => ({
    ...query,
    content: Buffer.isBuffer(body) ? body : Buffer.alloc(0),
  });
  router.get('/wordings/kept/:id/content', async (req, res) => {
    const held = await readContent(db, staffOf(res), Id.parse(req.params.id), null);
    download(res, held.filename, held.type, held.content);
  });
  router.get('/wordings/kept/:id/versions/:version/content', async (req, res) => {
    const version = Id.parse(req.params.version);
    const held = await readContent(db, staffOf(res), Id.parse(req.params.id), version);
    download(res, held.filename, held.type, held.content);
  });
  router.post('/wordings/enclosures', keepers, bytes, async (req, res) => {
    const file = handed(EnclosureNamed.parse(req.query), req.body);
    reply(res, Made, { id: await keepEnclosure(db, staffOf(res), file) });
  });
  router.post('/wordings/:id/content', keepers, bytes, async (req, res) => {
    const { version, ...named } = ContentNamed.parse(req.query);
    const file = handed(named, req.body);
    const now = await replaceContent(db, staffOf(res), Id.parse(req.params.id), version, file);
    reply(res, MailingSaved, { version: now });
  });
  router.post('/wordings/:id/content/back', keepers, async (req, res) => {
    const { version, to } = ContentBack.parse(req.body);
    const now = await bringContentBack(db, staffOf(res), Id.parse(req.params.id), version, to);
    reply(res, MailingSaved, { version: now });
  });
  router.post('/wordings/frame', only('run the office'), async (req, res) =>
    reply(res, FrameLook, await tryFrame(db, FrameSettings.parse(req.body))),
  );
  router.post('/wordings/tried', keepers, async (req, res) =>
    reply(res, WordingLook, await tryWording(db, WordingTried.parse(req.body))),
  );
  router.post('/wordings', keepers, async (req, res) =>
    reply(res, Made, { id: await keepWording(db, staffOf(res), WordingDraft.parse(req.body)) }),
  );
  router.put('/wordings/:id', keepers, async (req, res) => {
    const { version, ...draft } = WordingSave.parse(req.body);
    const saved = await saveWording(db, staffOf(res), Id.parse(req.params.id), draft, version);
    reply(res, MailingSaved, { version: saved });
  });
  router.delete('/wordings/:id', keepers, async (req, res) => {
    await dropWording(db, staffOf(res), Id.parse(req.params.id));
    res.status(204).end();
  });
  return router;
}
