import { Router } from 'express';
import { z } from 'zod';
import {
  ClientChange,
  ClientRecord,
  FeeNoteFields,
  FeeNotes,
  FieldDefinition,
  FieldDraft,
  FieldOrder,
  FileChange,
  FileRecord,
  HistoryPage,
  HistoryQuery,
  Id,
  Made,
  NewFile,
  NewPerson,
  OptOut,
  OptOutChange,
  Page,
  PersonChange,
  PersonHit,
  PersonRecord,
  RegisterChoices,
  SearchQuery,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { changeRecord, readRecord } from '../records/changing.ts';
import {
  changeField,
  countedDefinitions,
  dropField,
  makeField,
  orderFields,
  restoreField,
} from '../records/definitions.ts';
import { addFeeNote, changeFeeNote, listFeeNotes, removeFeeNote } from '../records/feeNotes.ts';
import { recordHistory, takeBack } from '../records/history.ts';
import {
  addPerson,
  changeOptOut,
  findPeople,
  openFile,
  optOutsOf,
  registerChoices,
  removeFile,
} from '../records/people.ts';
import { only, reply, staffOf } from './guard.ts';

/** Clients, people and files changed in place, their history, and the fields of the firm's own. */
export function registerRoutes({ db }: AppContext): Router {
  const router = Router();
  const changers = only('change the records');
  const managers = only('run the office');
  const subjects = [
    ['clients', 'client', ClientChange, ClientRecord],
    ['people', 'person', PersonChange, PersonRecord],
    ['files', 'file', FileChange, FileRecord],
  ] as const;
  for (const [path, subject, change, record] of subjects) {
    router.get(`/${path}/:id/record`, async (req, res) =>
      reply(
        res,
        record as z.ZodType<unknown, unknown>,
        await readRecord(db, subject, Id.parse(req.params.id)),
      ),
    );
    router.put(`/${path}/:id`, changers, async (req, res) => {
      const made = await changeRecord(
        db,
        staffOf(res).id,
        subject,
        Id.parse(req.params.id),
        change.parse(req.body),
      );
      reply(res, record as z.ZodType<unknown, unknown>, made);
    });
  }
  router.get('/register/choices', async (_req, res) =>
    reply(res, RegisterChoices, await registerChoices(db)),
  );
  router.get('/people', async (req, res) =>
    reply(res, z.array(PersonHit), await findPeople(db, SearchQuery.parse(req.query).q)),
  );
  router.get('/people/:id/opt-outs', async (req, res) =>
    reply(res, z.array(OptOut), await optOutsOf(db, Id.parse(req.params.id))),
  );
  router.put('/opt-outs', changers, async (req, res) => {
    await changeOptOut(db, staffOf(res).id, OptOutChange.parse(req.body));
    res.status(204).end();
  });
  router.post('/clients/:id/people', only('add to the records'), async (req, res) => {
    const wanted = NewPerson.parse(req.body);
    reply(res, Made, { id: await addPerson(db, staffOf(res).id, Id.parse(req.params.id), wanted) });
  });
  router.post('/clients/:id/files', only('add to the records'), async (req, res) => {
    const wanted = NewFile.parse(req.body);
    reply(res, Made, { id: await openFile(db, staffOf(res).id, Id.parse(req.params.id), wanted) });
  });
  router.get('/clients/:id/fee-notes', async (req, res) =>
    reply(res, FeeNotes, await listFeeNotes(db, Id.parse(req.params.id), Page.parse(req.query))),
  );
  router.post('/clients/:id/fee-notes', changers, async (req, res) => {
    const fields = FeeNoteFields.parse(req.body);
    reply(res, Made, { id: await addFeeNote(db, staffOf(res).id, Id.parse(req.params.id), fields) });
  });
  router.put('/fee-notes/:id', changers, async (req, res) => {
    await changeFeeNote(db, staffOf(res).id, Id.parse(req.params.id), FeeNoteFields.parse(req.body));
    res.status(204).end();
  });
  router.delete('/fee-notes/:id', changers, async (req, res) => {
    await removeFeeNote(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.delete('/files/:id', changers, async (req, res) => {
    await removeFile(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/history', async (req, res) =>
    reply(res, HistoryPage, await recordHistory(db, HistoryQuery.parse(req.query))),
  );
  router.post('/history/:id/undo', changers, async (req, res) => {
    await takeBack(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  const definitions = z.array(FieldDefinition);
  router.get('/office/fields', async (_req, res) => reply(res, definitions, await countedDefinitions(db)));
  router.post('/office/fields', managers, async (req, res) =>
    reply(res, definitions, await makeField(db, staffOf(res).id, FieldDraft.parse(req.body))),
  );
  router.put('/office/fields', managers, async (req, res) =>
    reply(res, definitions, await orderFields(db, FieldOrder.parse(req.body))),
  );
  router.put('/office/fields/:id', managers, async (req, res) => {
    const draft = FieldDraft.parse(req.body);
    reply(res, definitions, await changeField(db, staffOf(res).id, Id.parse(req.params.id), draft));
  });
  router.delete('/office/fields/:id', managers, async (req, res) =>
    reply(res, definitions, await dropField(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.post('/office/fields/:id/restore', managers, async (req, res) =>
    reply(res, definitions, await restoreField(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  return router;
}
