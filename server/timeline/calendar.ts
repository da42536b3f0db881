import type { Knex } from 'knex';
import { calendarOf, type CalendarEvent } from '../../core/timeline/calendar.ts';
import type { Invitation } from '../../core/timeline/invitation.ts';
import type { MessageInvitation, TimelineEntry } from '../../contract/index.ts';
import { refuseUnlessReadable } from '../correspondence/access.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import { readingOf } from '../reading/kept.ts';
import { CouldNotBeRead, pool } from '../reading/pool.ts';
import { addEntry, changeWithin, fieldsOf, readEntries, readEntry } from './entries.ts';

/** A call or meeting for a calendar program (RFC 5545). @throws Refusal when it is not here, or a note */
export async function entryCalendar(db: Knex, id: number): Promise<{ words: string; calendar: string }> {
  const entry = await readEntry(db, id);
  if (entry.kind === 'note') throw new Refusal(400, 'A note has no place in a calendar.');
  return { words: entry.words, calendar: calendarOf(await eventsOf(db, [entry]), new Date().toISOString()) };
}

/** So many are written into one calendar. */
const MOST_PLANNED = 500;

/** All that is planned for somebody from now on, for a calendar program. */
export async function plannedCalendar(db: Knex, staffId: number): Promise<string> {
  const planned = await readEntries(db, (query) =>
    query
      .where('timeline.state', 'planned')
      .where('timeline.at', '>=', new Date())
      .where((any) =>
        any
          .where('timeline.staff_id', staffId)
          .orWhereIn(
            'timeline.id',
            db('timeline_staff').where({ staff_id: staffId, tie: 'took part' }).select('timeline_id'),
          ),
      )
      .limit(MOST_PLANNED),
  );
  return calendarOf(await eventsOf(db, planned), new Date().toISOString());
}

async function eventsOf(db: Knex, entries: readonly TimelineEntry[]): Promise<CalendarEvent[]> {
  const ids = entries.map(({ id }) => id);
  const [marks, addresses, staff] = await Promise.all([
    db('timeline').whereIn('id', ids).select('id', 'uid', 'sequence'),
    db('address')
      .whereIn(
        'person_id',
        entries.flatMap(({ personIds }) => personIds),
      )
      .where({ current: 1 })
      .orderBy('position', 'desc')
      .select('person_id', 'email'),
    db('staff').select('id', 'email'),
  ]);
  const markOf = new Map(marks.map((row) => [row.id, row]));
  const emailOf = new Map(addresses.map(({ person_id, email }) => [person_id, email]));
  const staffEmail = new Map(staff.map(({ id, email }) => [id, email]));
  return entries.map((entry) => {
    const { words, file, outcome } = entry;
    const [first = '', ...rest] = words.split('\n');
    const named = [
      ...entry.people.map(({ id, name }) => ({ name, email: emailOf.get(id) })),
      ...entry.staff.map(({ id, name }) => ({ name, email: staffEmail.get(id) })),
    ];
    return {
      uid: markOf.get(entry.id)?.uid ?? '',
      sequence: markOf.get(entry.id)?.sequence ?? 0,
      off: entry.state === 'off',
      at: entry.at,
      endsAt: entry.endsAt,
      summary: `${first} (${file.clientName})`,
      place: entry.place,
      description: [...rest, outcome, file.number].filter(Boolean).join('\n'),
      attendees: named.flatMap(({ name, email }) => (email ? [{ name, email }] : [])),
    };
  });
}

/** Enclosures of a message that may be invitations: no more are looked at. */
const MOST_INVITATIONS = 3;

/**
 * The invitations that came with a message, and what was made of them.
 * @throws Refusal when it is not here, or the person may not read it
 */
export async function invitationsOf(
  db: Knex,
  staffId: number,
  messageId: number,
): Promise<MessageInvitation[]> {
  const found = await invitationsWithin(db, staffId, messageId);
  const kept = await keptOf(
    db,
    found.map(({ invitation }) => invitation.uid),
  );
  return found.map(({ index, invitation }) => {
    const known = kept.get(invitation.uid);
    return {
      index,
      ...invitation,
      kept: known ? { id: known.id, number: known.number, older: isNewer(invitation, known) } : null,
    };
  });
}

/** Whether an invitation says something that the meeting kept does not. */
function isNewer(
  invitation: Invitation,
  kept: { sequence: number; state: string; at: Date; ends_at: Date | null },
): boolean {
  if (invitation.sequence < kept.sequence) return false;
  if (invitation.off) return kept.state !== 'off';
  return (
    kept.at.toISOString() !== new Date(invitation.at).toISOString() ||
    (invitation.endsAt !== null && kept.ends_at?.getTime() !== Date.parse(invitation.endsAt))
  );
}

async function keptOf(db: Knex, uids: readonly string[]) {
  const rows = await select(
    db('timeline')
      .join('file', 'file.id', 'timeline.file_id')
      .whereIn('timeline.uid', [...uids])
      .whereNull('timeline.gone_at')
      .orderBy('timeline.id'),
    {
      id: 'timeline.id',
      uid: 'timeline.uid',
      sequence: 'timeline.sequence',
      state: 'timeline.state',
      at: 'timeline.at',
      ends_at: 'timeline.ends_at',
      number: 'file.number',
    },
  );
  return new Map(rows.map((row) => [row.uid ?? '', row]));
}

async function invitationsWithin(
  db: Knex,
  staffId: number,
  messageId: number,
): Promise<{ index: number; invitation: Invitation }[]> {
  const message = await db('message').where({ id: messageId }).first('id', 'state', 'raw_hash');
  if (!message) throw notFound('That message');
  await refuseUnlessReadable(db, staffId, message);
  const { read } = await readingOf(db, message.raw_hash);
  const calendars = read.enclosures
    .flatMap(({ mimeType }, index) => (mimeType.toLowerCase() === 'text/calendar' ? [index] : []))
    .slice(0, MOST_INVITATIONS);
  if (!calendars.length) return [];
  const { zone } = await readFirm(db);
  const raw = await readRaw(db, message.raw_hash);
  const found = await Promise.all(
    calendars.map(async (index) => {
      try {
        return { index, invitation: await pool.run('invitation', [raw, index, zone]) };
      } catch (error) {
        if (error instanceof CouldNotBeRead) return { index, invitation: null };
        throw error;
      }
    }),
  );
  return found.flatMap(({ index, invitation }) => (invitation ? [{ index, invitation }] : []));
}

/**
 * Puts an invitation onto a file as a meeting that is planned; one that changes or calls off a meeting kept changes
 * that, wherever it is.
 * @throws Refusal when there is no such invitation, or nothing in it is new
 */
export async function takeInvitation(
  db: Database,
  staffId: number,
  messageId: number,
  index: number,
  fileId: number | null,
): Promise<TimelineEntry> {
  const found = await invitationsWithin(db, staffId, messageId);
  const invitation = found.find((each) => each.index === index)?.invitation;
  if (!invitation) throw notFound('That invitation');
  const known = (await keptOf(db, [invitation.uid])).get(invitation.uid);
  if (known) return changeByInvitation(db, staffId, known.id, invitation);
  if (fileId === null) throw new Refusal(400, 'Choose a file first.', 'fileId');
  const who = await whoIsInvited(db, invitation);
  return addEntry(
    db,
    staffId,
    {
      kind: 'meeting',
      fileId,
      messageId,
      at: invitation.at,
      endsAt: invitation.endsAt,
      state: invitation.off ? 'off' : 'planned',
      place: invitation.place,
      words: [invitation.summary || 'A meeting', invitation.description].filter(Boolean).join('\n'),
      outcome: '',
      ...who,
      remindAt: null,
    },
    invitation,
  );
}

async function changeByInvitation(
  db: Database,
  staffId: number,
  id: number,
  invitation: Invitation,
): Promise<TimelineEntry> {
  await transact(db, async (trx) => {
    const row = await trx('timeline').where({ id }).whereNull('gone_at').forUpdate().first();
    if (!row) throw notFound('That meeting');
    if (!isNewer(invitation, row))
      throw new Refusal(409, 'The meeting on the file says this already, or something newer.');
    const before = fieldsOf(await readEntry(trx, id));
    const after = invitation.off
      ? { state: 'off' as const }
      : {
          at: invitation.at,
          endsAt: invitation.endsAt,
          place: invitation.place || before.place,
          state: before.state === 'off' ? ('planned' as const) : before.state,
        };
    await changeWithin(trx, staffId, id, { before, after }, invitation.sequence);
  });
  return readEntry(db, id);
}

/** Those of whom an invitation speaks that are in the records, or are colleagues. */
async function whoIsInvited(
  db: Knex,
  { organizer, attendees }: Invitation,
): Promise<{ personIds: number[]; staffIds: number[] }> {
  const emails = [...new Set([...(organizer ? [organizer] : []), ...attendees].map(({ email }) => email))];
  const [personIds, staffIds, owners] = await Promise.all([
    db('address').whereIn('email_key', emails).distinct('person_id').limit(40).pluck('person_id') as Promise<
      number[]
    >,
    db('staff').whereIn('email', emails).pluck('id') as Promise<number[]>,
    db('mailbox')
      .whereIn('address', emails)
      .where({ shared: 0 })
      .whereNull('disconnected_at')
      .pluck('staff_id') as Promise<number[]>,
  ]);
  return { personIds, staffIds: [...new Set([...staffIds, ...owners])] };
}
