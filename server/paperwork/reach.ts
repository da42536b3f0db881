import type { Knex } from 'knex';
import type {
  DeliveryKind,
  DeliveryWay,
  PaperKind,
  RemindStep,
  RunDraft,
  RunReach,
} from '../../contract/index.ts';
import { printedAddress } from '../../core/address/postal.ts';
import { greeting } from '../../core/merge/greeting.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { groupBy, select } from '../foundation/rows.ts';
import { pickedBy } from '../mailing/recipients.ts';
import { refuseBroken } from '../selection/catalogue.ts';
import { onDesks, overdueNotes, remindersOf } from './reminders.ts';
import type { RunRecord } from './runs.ts';

/** What a piece is to be about, and for whom. */
export interface Wanted {
  /** Once in each run. */
  about: string;
  clientId: number;
  client: string;
  /** On which it is laid. */
  fileId: number;
  personId: number | null;
  feeNoteId: number | null;
  adviserId: number | null;
  /** As the client wishes it. */
  way: DeliveryWay;
  people: { name: string; email: string }[];
  postal: string[];
  postcode: string;
  /** Which reminders of which fee notes it is. */
  steps: RemindStep[];
  greeting: string | null;
  person: { title: string; firstName: string; lastName: string } | null;
}

const DELIVERED: Record<PaperKind, DeliveryKind> = {
  letter: 'letters',
  'fee note': 'statements',
  statement: 'statements',
  reminder: 'statements',
};

/** What sort of pieces, and for whom `me` stands in the selection; of reminders in which tone, and what is not asked about its desk. */
export type Asking = Pick<RunRecord, 'kind' | 'tone' | 'owner_id' | 'id'>;

/** Whom a run asks for, and as of which day. */
type Asked = Pick<RunDraft, 'selection' | 'day'>;

/** Whom a run is about: clients, and of some the person or the file that was picked. */
interface Subject {
  clientId: number;
  personId: number | null;
  fileId: number | null;
  feeNoteId: number | null;
  steps?: RemindStep[];
}

/**
 * The pieces that a run would make, in the order of their clients' names.
 * @throws Refusal when its selection asks for what is not there any more
 */
export async function reach(db: Knex, asking: Asking, draft: Asked): Promise<Wanted[]> {
  await refuseBroken(db, asking.owner_id, draft.selection);
  const subjects = await subjectsOf(db, asking, draft);
  const clientIds = [...new Set(subjects.map(({ clientId }) => clientId))];
  const [firm, clients, people, files] = await Promise.all([
    readFirm(db),
    readClients(db, clientIds, DELIVERED[asking.kind]),
    readPeople(db, clientIds),
    readGeneral(db, clientIds),
  ]);
  const clientOf = new Map(clients.map((client) => [client.id, client]));
  const peopleOf = groupBy(people, (row) => row.clientId);
  const wanted = subjects.flatMap(({ clientId, personId, fileId, feeNoteId, steps = [] }): Wanted[] => {
    const client = clientOf.get(clientId);
    const file = fileId ?? files.get(clientId);
    if (!client || !file) return [];
    const own = peopleOf.get(clientId) ?? [];
    const named = personId ?? client.person_id;
    const also = personId === null ? client.also_id : null;
    const addressed =
      named === null && also === null
        ? own.filter(({ writes }) => writes)
        : [named, also].flatMap((id) => own.filter((each) => each.personId === id));
    const greeted = client.kind === 'couple' && named === null ? addressed : addressed.slice(0, 1);
    const name = personId === null ? [client.name] : nameLines(addressed[0], client.name);
    const lines = printedAddress(fromJson('client.postal', client.postal), client.country, firm.country);
    return [
      {
        about: feeNoteId
          ? `n${feeNoteId}`
          : personId
            ? `p${personId}-${clientId}`
            : fileId
              ? `f${fileId}`
              : `c${clientId}`,
        ...{
          clientId,
          client: client.name,
          fileId: file,
          personId: addressed[0]?.personId ?? null,
          feeNoteId,
          steps,
        },
        adviserId: client.adviser_id,
        way: client.way ?? 'email',
        people: reachable(addressed),
        postal: lines.length ? [...name, ...lines].filter(Boolean) : [],
        postcode: client.postcode ?? '',
        greeting: greeting(greeted, personId === null ? client.greeting : null),
        person: addressed[0] ?? null,
      },
    ];
  });
  return wanted.sort((a, b) => a.client.localeCompare(b.client, 'en-GB') || a.about.localeCompare(b.about));
}

function nameLines(person: Addressed | undefined, client: string): string[] {
  const name = person ? [person.title, person.firstName, person.lastName].filter(Boolean).join(' ') : '';
  return name && name !== client ? [name, client] : [client];
}

/** Each one's first address that takes mail. */
function reachable(people: readonly Addressed[]): { name: string; email: string }[] {
  return people.flatMap(({ firstName, lastName, email }) =>
    email ? [{ name: `${firstName} ${lastName}`.trim(), email }] : [],
  );
}

async function subjectsOf(db: Knex, asking: Asking, { selection, day }: Asked): Promise<Subject[]> {
  const { kind } = asking;
  const picked = await pickedBy(db, { selection }, asking.owner_id);
  const nobody = { personId: null, fileId: null, feeNoteId: null };
  if (kind === 'letter' && selection.subject === 'file') {
    const files = await select(db('file').whereIn('file.id', picked.taken.query().select('file.id')), {
      clientId: 'file.client_id',
      fileId: 'file.id',
    });
    return files.map((row) => ({ ...nobody, ...row }));
  }
  if (kind === 'letter' && selection.subject === 'person') {
    const ties = (await picked.ties()) as { client_id: number; person_id: number }[];
    return ties.map(({ client_id, person_id }) => ({ ...nobody, clientId: client_id, personId: person_id }));
  }
  const clients = () => picked.clients().select('client.id' as '*');
  const open = () =>
    db('fee_note')
      .whereIn('fee_note.client_id', clients())
      .where('fee_note.issued_on', '<=', day)
      .where((unpaid) => unpaid.whereNull('fee_note.paid_on').orWhere('fee_note.paid_on', '>', day));
  if (kind === 'reminder') {
    const firm = await readFirm(db);
    const notes = await overdueNotes(db, firm, day, (some) => some.whereIn('fee_note.client_id', clients()));
    const desks = await onDesks(db, asking.id);
    return [...remindersOf(notes).values()]
      .filter(({ clientId, tone }) => tone === asking.tone && !desks.has(clientId))
      .map(({ clientId, steps }) => ({ ...nobody, clientId, steps }));
  }
  if (kind === 'statement') {
    const ids: number[] = await open().distinct('fee_note.client_id').pluck('fee_note.client_id');
    return ids.map((clientId) => ({ ...nobody, clientId }));
  }
  if (kind === 'fee note') {
    // Each is sent once by itself: what was released already is not made again.
    const fresh = open().whereNotExists(
      db('paper_piece')
        .whereRaw('paper_piece.fee_note_id = fee_note.id')
        .where('paper_piece.state', 'released')
        .select(db.raw('1')),
    );
    const notes = await select(fresh, {
      clientId: 'fee_note.client_id',
      feeNoteId: 'fee_note.id',
      fileId: 'fee_note.file_id',
    });
    return notes.map((row) => ({ ...nobody, ...row }));
  }
  const ids = (await clients()) as { id: number }[];
  return ids.map(({ id }) => ({ ...nobody, clientId: id }));
}

/** Clients are asked about so many at a time. */
const CHUNK = 1000;

async function inChunks<T>(
  ids: readonly number[],
  read: (some: readonly number[]) => Promise<T[]>,
): Promise<T[]> {
  const all: T[] = [];
  for (let at = 0; at < ids.length; at += CHUNK) all.push(...(await read(ids.slice(at, at + CHUNK))));
  return all;
}

function readClients(db: Knex, ids: readonly number[], kind: DeliveryKind) {
  return inChunks(ids, (some) =>
    select(
      db('client')
        .leftJoin('delivery', (own) =>
          own.on('delivery.client_id', 'client.id').andOn('delivery.kind', db.raw('?', [kind])),
        )
        .whereIn('client.id', some),
      {
        id: 'client.id',
        name: 'client.name',
        kind: 'client.kind',
        greeting: 'client.greeting',
        postal: 'client.postal',
        postcode: 'client.postcode',
        country: 'client.country',
        adviser_id: 'client.adviser_id',
        way: 'delivery.way?',
        person_id: 'delivery.person_id?',
        also_id: 'delivery.also_id?',
      },
    ),
  );
}

interface Addressed {
  personId: number;
  title: string;
  firstName: string;
  lastName: string;
  email: string | null;
}

async function readPeople(db: Knex, ids: readonly number[]) {
  return inChunks(ids, async (some) => {
    const rows = await select(
      db('client_person')
        .join('person', 'person.id', 'client_person.person_id')
        .leftJoin('address', (own) =>
          own
            .on('address.person_id', 'person.id')
            .andOn('address.current', db.raw('1'))
            .andOnNull('address.returned_why'),
        )
        .whereIn('client_person.client_id', some)
        .orderBy(['client_person.position', 'person.id', 'address.position']),
      {
        clientId: 'client_person.client_id',
        writes: 'client_person.writes',
        personId: 'person.id',
        title: 'person.title',
        firstName: 'person.first_name',
        lastName: 'person.last_name',
        email: 'address.email?',
      },
    );
    // Of several addresses the first.
    return [...groupBy(rows, (row) => `${row.clientId}-${row.personId}`).values()].flatMap(
      ([first]) => first ?? [],
    );
  });
}

/** What is about no file in particular lies on the client's General file. */
async function readGeneral(db: Knex, ids: readonly number[]): Promise<Map<number, number>> {
  const rows = await inChunks(ids, (some) =>
    db('file').whereIn('client_id', some).where({ general: 1 }).select('id', 'client_id'),
  );
  return new Map(rows.map(({ id, client_id }) => [client_id, id]));
}

/** How many shown of those whom a draft reaches. */
const FIRST = 8;

/** How many pieces a draft would make. */
export async function tellReach(db: Knex, asking: Asking, draft: RunDraft): Promise<RunReach> {
  const wanted = await reach(db, asking, draft);
  const clients = [...new Set(wanted.map(({ client }) => client))];
  return { pieces: wanted.length, clients: clients.length, first: clients.slice(0, FIRST) };
}
