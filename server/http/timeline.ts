import { Router } from 'express';
import {
  DuePage,
  DueQuery,
  EntryChange,
  EntryDraft,
  Id,
  MessageInvitations,
  TakeInvitation,
  TimelineEntry,
} from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { entryCalendar, invitationsOf, plannedCalendar, takeInvitation } from '../timeline/calendar.ts';
import { dueFor, settleDue } from '../timeline/due.ts';
import { addEntry, changeEntry, readEntry, removeEntry, restoreEntry } from '../timeline/entries.ts';
import { download } from './download.ts';
import { only, reply, staffOf } from './guard.ts';

/** Notes, calls and meetings; what of them wants somebody; calendars out and in. */
export function timelineRoutes({ db }: AppContext): Router {
  const router = Router();
  const keepers = only('keep the timeline');
  router.get('/timeline/due', async (req, res) =>
    reply(res, DuePage, await dueFor(db, staffOf(res).id, DueQuery.parse(req.query))),
  );
  router.get('/timeline/calendar', async (_req, res) =>
    download(res, 'planned.ics', 'text/calendar', Buffer.from(await plannedCalendar(db, staffOf(res).id))),
  );
  router.post('/timeline', keepers, async (req, res) =>
    reply(res, TimelineEntry, await addEntry(db, staffOf(res).id, EntryDraft.parse(req.body))),
  );
  router.get('/timeline/:id', async (req, res) =>
    reply(res, TimelineEntry, await readEntry(db, Id.parse(req.params.id))),
  );
  router.put('/timeline/:id', keepers, async (req, res) => {
    const change = EntryChange.parse(req.body);
    reply(res, TimelineEntry, await changeEntry(db, staffOf(res).id, Id.parse(req.params.id), change));
  });
  router.delete('/timeline/:id', keepers, async (req, res) => {
    await removeEntry(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.post('/timeline/:id/restore', keepers, async (req, res) =>
    reply(res, TimelineEntry, await restoreEntry(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.post('/timeline/:id/seen', async (req, res) => {
    await settleDue(db, staffOf(res).id, Id.parse(req.params.id));
    res.status(204).end();
  });
  router.get('/timeline/:id/calendar', async (req, res) => {
    const { words, calendar } = await entryCalendar(db, Id.parse(req.params.id));
    download(res, `${words.split('\n')[0]}.ics`, 'text/calendar', Buffer.from(calendar));
  });
  router.get('/messages/:id/invitations', async (req, res) =>
    reply(res, MessageInvitations, await invitationsOf(db, staffOf(res).id, Id.parse(req.params.id))),
  );
  router.post('/messages/:id/invitations/:index', keepers, async (req, res) => {
    const { fileId } = TakeInvitation.parse(req.body);
    const index = Number(req.params.index);
    const id = Id.parse(req.params.id);
    reply(res, TimelineEntry, await takeInvitation(db, staffOf(res).id, id, index, fileId));
  });
  return router;
}
