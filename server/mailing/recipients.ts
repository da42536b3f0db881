import type { Knex } from 'knex';
import type {
  Channel,
  FileChoice,
  FileRef,
  MailingDraft,
  Recipients,
  RecipientsAsk,
} from '../../contract/index.ts';
import type { z } from 'zod';
import { domainOf } from '../../core/address/address.ts';
import { addressClients, type Addressed, type Addressee } from '../../core/checks/recipients.ts';
import { type Known } from '../../core/facts/catalogue.ts';
import { rowsWanted } from '../../core/merge/fill.ts';
import { gatherFacts, type FactsAbout } from '../facts/gather.ts';
import { asFileRef, readFiles, type FileRow } from '../records/files.ts';
import { refuseBroken, runningNow } from '../selection/catalogue.ts';
import { selected, type Selected } from '../selection/query.ts';
import { findColleagues, type ColleagueRecipient } from './colleagues.ts';
import { readRecord } from './mailings.ts';
import { notFound } from '../foundation/refusal.ts';
import { listSenders } from './senders.ts';
import { fromJson } from '../foundation/json.ts';
import { countOf, groupBy, select } from '../foundation/rows.ts';

/** Someone a mailing goes to, with everything the message needs. */
export interface Recipient extends Addressed {
  /** Names the copy before it is released. */
  key: string;
  /** The colleague who gets it, of whom client and person are 0; null: it goes to a client. */
  staffId: number | null;
  /** What of the selection's subject leads to it. */
  picks: number[];
  client: string;
  mailboxId: number;
  senderName: string;
  senderEmail: string;
  /** What its facts are of; null of a colleague. */
  file: FileRef | null;
  known: Known;
}

type LeftOutRow = {
  clientId: number;
  client: string;
  why: Recipients['leftOut'][number]['why'];
  detail: string;
  /** Of those taken out by hand. */
  picks?: number[];
};

/** Clients that are reached, and from whom each hears unless one mailbox writes to all. */
async function readReached(db: Knex, among: Knex.QueryBuilder) {
  const clients = among
    .leftJoin('delivery', (own) =>
      own.on('delivery.client_id', 'client.id').andOn('delivery.kind', db.raw("'mailings'")),
    )
    .leftJoin('staff', 'staff.id', 'client.adviser_id')
    .leftJoin(
      'mailbox',
      'mailbox.id',
      db.raw(
        '(SELECT MIN(own.id) FROM mailbox own WHERE own.staff_id = staff.id AND own.shared = 0 AND own.disconnected_at IS NULL AND own.verified_at IS NOT NULL)',
      ),
    )
    .orderBy('client.name')
    .orderBy('client.id');
  return select(clients, {
    id: 'client.id',
    name: 'client.name',
    kind: 'client.kind',
    greeting: 'client.greeting',
    postal: 'client.postal',
    adviser_id: 'client.adviser_id',
    way: 'delivery.way?',
    mailbox_id: 'mailbox.id?',
    adviser_name: 'staff.name?',
    adviser_email: 'staff.email?',
  });
}

/** What decides who gets a mailing, from whom and with which facts. */
type Wanted = Pick<MailingDraft, 'channel' | 'selection' | 'fileChoice' | 'topicId' | 'senderId' | 'eachOf'> &
  Partial<Pick<MailingDraft, 'body' | 'roles' | 'colleagues'>>;

type Subject = Wanted['selection']['subject'];

/** Those who live together have the same lines on their envelopes. */
function householdOf(postal: string): string | null {
  const lines = fromJson('client.postal', postal);
  return lines.length
    ? lines
        .join(' ')
        .toLowerCase()
        .replace(/[^\p{L}\p{N}]+/gu, '') || null
    : null;
}

/** What a selection picks. */
export interface Picked {
  taken: Selected;
  /** The clients whom that reaches. */
  clients: () => Knex.QueryBuilder;
  /** Whom of them it is addressed to, in order: rows of `client_id`, `person_id` and `position`. */
  ties: () => Knex.QueryBuilder;
}

/** Those of clients that mailings are addressed to, or the one person whom they have named for them. */
function usualTies(db: Knex, among: Knex.QueryBuilder): Knex.QueryBuilder {
  return db('client_person')
    .leftJoin('delivery', (own) =>
      own.on('delivery.client_id', 'client_person.client_id').andOn('delivery.kind', db.raw("'mailings'")),
    )
    .whereIn('client_person.client_id', among)
    .whereRaw(
      'IF(delivery.person_id IS NULL, client_person.writes = 1, delivery.person_id = client_person.person_id)',
    )
    .select('client_person.client_id', 'client_person.person_id', 'client_person.position');
}

export async function pickedBy(
  db: Knex,
  { selection, roles = [] }: Pick<Wanted, 'selection' | 'roles'>,
  ownerId: number,
): Promise<Picked> {
  const taken = await selected(db, selection, await runningNow(db, ownerId));
  const { subject } = selection;
  const ids = () => taken.query().select(`${subject}.id` as '*');
  /** Clients of those who were picked; past ones only where they are asked for. */
  const among = (theirs: Knex.QueryBuilder) => {
    const clients = db('client').whereIn('client.id', theirs);
    return selection.past ? clients : clients.whereNot('client.status', 'past');
  };
  if (subject === 'person') {
    const own = () => db('client_person').whereIn('person_id', ids());
    return {
      taken,
      clients: () => among(own().select('client_id')),
      ties: () => own().select('client_id', 'person_id', 'position'),
    };
  }
  const clients =
    subject === 'client'
      ? () => taken.query()
      : () => among(db('file').whereIn('file.id', ids()).select('client_id'));
  // Whoever has a role on a file need be no person of its client.
  const byRole = () =>
    db('file_person')
      .join('file', 'file.id', 'file_person.file_id')
      .whereIn('file.id', ids())
      .whereIn('file_person.role', [...roles])
      .groupBy('file.client_id', 'file_person.person_id')
      .select('file.client_id', 'file_person.person_id', db.raw('MIN(file_person.role) AS position'));
  return {
    taken,
    clients,
    ties:
      subject === 'file' && roles.length ? byRole : () => usualTies(db, clients().select('client.id' as '*')),
  };
}

type Reached = Awaited<ReturnType<typeof readReached>>[number];
type Sender = Awaited<ReturnType<typeof listSenders>>[number];

/** What is read at once of those whom a selection reaches. */
async function gather(
  db: Knex,
  { subject, topicId, channel }: { subject: Subject; topicId: number | null; channel: Channel },
  picked: Picked,
) {
  const among = () => picked.clients().select('client.id' as '*');
  const newestFirst = (files: Knex.QueryBuilder) =>
    files.orderBy('file.opened', 'desc').orderBy('file.id', 'desc');
  const ofNoClient = () =>
    picked.taken
      .query()
      .whereRaw('(SELECT 1 FROM client_person WHERE client_person.person_id = person.id LIMIT 1) IS NULL');
  const [clients, people, senders, files, pickedFiles, ofNobody] = await Promise.all([
    readReached(db, picked.clients()),
    (channel === 'text' ? readTelephones : readAddressees)(db, picked.ties(), topicId),
    listSenders(db),
    readFiles(db, (open) => newestFirst(open.whereIn('file.client_id', among()).whereNull('file.closed'))),
    subject === 'file'
      ? readFiles(db, (own) => newestFirst(own.whereIn('file.id', picked.taken.query().select('file.id'))))
      : [],
    subject === 'person' ? countOf(ofNoClient()) : 0,
  ]);
  return {
    ...{ clients, people, senders, ofNobody },
    filesOf: groupBy(files, (file) => file.client_id),
    pickedOf: groupBy(pickedFiles, (file) => file.client_id),
  };
}

/** From whom a client hears: the one mailbox that writes to all, else their adviser's; null where there is nobody. */
function senderOf(
  client: Reached,
  senderId: number | null,
  one: Sender | null,
): Pick<Sender, 'id' | 'name' | 'address'> | null {
  if (senderId !== null) return one;
  // Whom a text message comes from, the gateway says: it needs no mailbox of the adviser's.
  if (client.mailbox_id === null) return one;
  return { id: client.mailbox_id, name: client.adviser_name ?? '', address: client.adviser_email ?? '' };
}

/** What of a selection's subject leads to an addressee. */
function picksOf(subject: Subject, { clientId, personId }: Addressed, files: readonly FileRow[]): number[] {
  if (subject === 'client') return [clientId];
  return subject === 'person' ? [personId] : files.map(({ id }) => id);
}

/**
 * Works out whom a mailing reaches, as whom, and on which file it is logged; and who is left out, and why.
 * @param ownerId whom `me` means in its selection
 * @throws Refusal when its selection asks for what is not there any more
 */
export async function findRecipients(
  db: Knex,
  wanted: Wanted,
  ownerId: number,
): Promise<{ recipients: Recipient[]; leftOut: LeftOutRow[]; ofNobody: number }> {
  const { selection, fileChoice, senderId, body, colleagues = null } = wanted;
  if (colleagues !== null) {
    const found = await findColleagues(db, colleagues, senderId, ownerId);
    return { recipients: found.map(asRecipient), leftOut: [], ofNobody: 0 };
  }
  await refuseBroken(db, ownerId, selection);
  const { subject } = selection;
  const gathered = await gather(
    db,
    { subject, topicId: wanted.topicId, channel: wanted.channel },
    await pickedBy(db, wanted, ownerId),
  );
  const { clients, people, senders, filesOf, pickedOf, ofNobody } = gathered;
  const one =
    senders.find(({ id }) => id === senderId) ?? (wanted.channel === 'text' ? senders[0] : null) ?? null;
  const { addressed, leftOut } = addressReached(clients, people, wanted, one);
  const byId = new Map(clients.map((client) => [client.id, client]));
  const found = addressed.flatMap((addressee) => {
    const client = byId.get(addressee.clientId);
    const own = pickedOf.get(addressee.clientId) ?? [];
    const file = chooseFile(filesOf.get(addressee.clientId) ?? [], fileChoice, own);
    const sender = client && senderOf(client, senderId, one);
    if (!client || !file || !sender) return [];
    return [
      { addressee, client, file, sender, picks: picksOf(subject, addressee, own), about: own[0] ?? file },
    ];
  });
  const known = await gatherFacts(
    db,
    found.map(({ addressee, client, about }): FactsAbout => ({
      clientId: client.id,
      fileId: about.id,
      adviserId: client.adviser_id,
      person: people.get(client.id)?.find((each) => each.personId === addressee.personId) ?? null,
      greeting: addressee.greeting,
    })),
    body ? rowsWanted(body) : [],
  );
  return {
    ofNobody,
    recipients: found.map(({ addressee, client, file, sender, picks }, index) => ({
      ...addressee,
      picks,
      staffId: null,
      key: `${addressee.clientId}-${addressee.personId}`,
      client: client.name,
      mailboxId: sender.id,
      senderName: sender.name,
      senderEmail: sender.address,
      file: asFileRef(file),
      known: known[index] ?? { words: {} },
    })),
    leftOut: leftOut.map((row) => ({ ...row, client: byId.get(row.clientId)?.name ?? '' })),
  };
}

/** One copy each for clients, households or people of those who are reached, as each is greeted. */
function addressReached(
  clients: readonly Reached[],
  people: ReadonlyMap<number, Addressee[]>,
  { selection, roles, eachOf, senderId }: Wanted,
  one: Sender | null,
) {
  const ofPeople = selection.subject === 'person';
  // What a client is greeted by may name others: who was picked, or has a role on a file, is greeted by their own name.
  const byName = ofPeople || (selection.subject === 'file' && Boolean(roles?.length));
  return addressClients(
    clients.map((client) => ({
      id: client.id,
      name: client.name,
      couple: !byName && client.kind === 'couple',
      greeting: byName ? null : client.greeting,
      addressees: people.get(client.id) ?? [],
      household: householdOf(client.postal),
      hasSender: senderOf(client, senderId, one) !== null,
      way: client.way ?? 'email',
    })),
    // People who were picked get a copy each.
    ofPeople ? 'person' : eachOf,
  );
}

function asRecipient(colleague: ColleagueRecipient): Recipient {
  return {
    ...colleague,
    ...{ clientId: 0, personId: 0, file: null, client: colleague.name },
    key: `0-${colleague.staffId}`,
    picks: [colleague.staffId],
  };
}

/** Whether copies are logged on files at all. */
export function isLogged(choice: FileChoice): boolean {
  return choice === 'general' || choice === 'latest';
}

/** The client's General file; or the one it was picked by, or the newest open one; General again when there is no other. */
function chooseFile(
  files: readonly FileRow[],
  choice: MailingDraft['fileChoice'],
  picked: readonly FileRow[],
): FileRow | undefined {
  const general = files.find((file) => file.general);
  if (choice === 'latest' && picked[0]) return picked[0];
  return choice === 'latest' ? (files.find((file) => !file.general) ?? general) : (general ?? files[0]);
}

/** Whom mailings are addressed to, by client, with their addresses. @param ties see {@link Picked.ties} */
async function readAddressees(
  db: Knex,
  ties: Knex.QueryBuilder,
  topicId: number | null,
): Promise<Map<number, Addressee[]>> {
  const writing = db
    .from<object>(ties.as('tie') as unknown as string)
    .join('person', 'person.id', 'tie.person_id')
    .leftJoin('address', (join) =>
      join.on('address.person_id', 'person.id').andOn('address.current', db.raw('1')),
    )
    .leftJoin('opt_out', 'opt_out.email_key', 'address.email_key')
    .leftJoin('topic_opt_out', (own) =>
      own
        .on('topic_opt_out.email_key', 'address.email_key')
        .andOn('topic_opt_out.topic_id', db.raw('?', [topicId ?? 0])),
    )
    .orderBy('tie.position')
    .orderBy('person.id')
    .orderBy('address.position');
  const rows = await select(writing, {
    client_id: db.raw<number>('tie.client_id'),
    person_id: 'person.id',
    first_name: 'person.first_name',
    last_name: 'person.last_name',
    email: 'address.email?',
    email_key: 'address.email_key?',
    returned_why: 'address.returned_why?',
    opted_out: 'opt_out.email_key?',
    topic_out: 'topic_opt_out.email_key?',
  });
  return new Map(
    [...groupBy(rows, (row) => row.client_id)].map(([clientId, own]) => [
      clientId,
      [...groupBy(own, (row) => row.person_id)].map(([personId, lines]) => ({
        personId,
        firstName: lines[0]?.first_name ?? '',
        lastName: lines[0]?.last_name ?? '',
        addresses: lines.flatMap((line) =>
          line.email && line.email_key
            ? [
                {
                  email: line.email,
                  key: line.email_key,
                  optedOut: line.opted_out !== null || line.topic_out !== null,
                  returned: line.returned_why,
                },
              ]
            : [],
        ),
      })),
    ]),
  );
}

/** The same by telephone: numbers whose owner has agreed to text messages and wants them still. */
async function readTelephones(
  db: Knex,
  ties: Knex.QueryBuilder,
  topicId: number | null,
): Promise<Map<number, Addressee[]>> {
  const rows = await select(
    db
      .from<object>(ties.as('tie') as unknown as string)
      .join('person', 'person.id', 'tie.person_id')
      .leftJoin('phone', 'phone.person_id', 'person.id')
      .leftJoin('text_number', 'text_number.number_key', 'phone.number_key')
      .orderBy('tie.position')
      .orderBy('person.id')
      .orderBy(['phone.position', 'phone.id']),
    {
      client_id: db.raw<number>('tie.client_id'),
      person_id: 'person.id',
      first_name: 'person.first_name',
      last_name: 'person.last_name',
      number: 'phone.number?',
      key: 'phone.number_key?',
      agreed: 'text_number.agreed_at?',
      stopped: 'text_number.stopped_at?',
      // Whoever wants to hear nothing of a topic wants it by no way.
      out: db.raw<number>(
        `EXISTS (SELECT 1 FROM address
          LEFT JOIN opt_out ON opt_out.email_key = address.email_key
          LEFT JOIN topic_opt_out ON topic_opt_out.email_key = address.email_key AND topic_opt_out.topic_id = ?
          WHERE address.person_id = person.id AND COALESCE(opt_out.email_key, topic_opt_out.email_key) IS NOT NULL)`,
        [topicId ?? 0],
      ),
    },
  );
  return new Map(
    [...groupBy(rows, (row) => row.client_id)].map(([clientId, own]) => [
      clientId,
      [...groupBy(own, (row) => row.person_id)].map(([personId, lines]): Addressee => {
        const [first] = lines;
        const able = lines.filter(({ agreed, stopped }) => agreed !== null && stopped === null);
        const number = first?.number ?? '';
        const why = !number
          ? ('no telephone number' as const)
          : lines.some(({ stopped }) => stopped !== null)
            ? ('wants no text messages' as const)
            : ('has not agreed to text messages' as const);
        return {
          personId,
          firstName: first?.first_name ?? '',
          lastName: first?.last_name ?? '',
          addresses: able.flatMap(({ key, out }) =>
            key === null ? [] : [{ email: key, key, optedOut: Boolean(out), returned: null }],
          ),
          unreached: able.length ? undefined : { why, detail: number },
        };
      }),
    ]),
  );
}

/** Whom a draft reaches, without those taken out by hand. @param ownerId whom `me` means in its selection */
export async function tickedRecipients(db: Knex, draft: MailingDraft, ownerId: number): Promise<Recipient[]> {
  return (await findRecipients(db, draft, ownerId)).recipients;
}

/**
 * One of those whom a draft reaches; where it picks clients, found without the others.
 * @throws Refusal when it does not reach them
 */
export async function findRecipient(
  db: Knex,
  draft: MailingDraft,
  ownerId: number,
  key: string,
): Promise<Recipient> {
  const { selection } = draft;
  const clientId = Number(key.split('-')[0]);
  const only = (selection.only ?? [clientId]).filter((id) => id === clientId);
  const narrowed = selection.subject === 'client' ? { ...draft, selection: { ...selection, only } } : draft;
  const found = (await tickedRecipients(db, narrowed, ownerId)).find((row) => row.key === key);
  if (!found) throw notFound('That recipient');
  return found;
}

/** The domain a recipient's message comes from. */
export function senderDomain(recipient: Recipient): string {
  return domainOf(recipient.senderEmail) || 'localhost';
}

/** One page of recipients, those taken out by hand among them, and everyone left out. */
export async function listRecipients(db: Knex, ask: z.infer<typeof RecipientsAsk>): Promise<Recipients> {
  const { owner_id: ownerId } = await readRecord(db, ask.mailingId);
  const everybody = {
    ...ask,
    selection: { ...ask.selection, removed: [] },
    colleagues: ask.colleagues && ('all' as const),
  };
  const { recipients, leftOut, ofNobody } = await findRecipients(db, everybody, ownerId);
  const unticked = new Set(ask.selection.removed);
  const chosen = Array.isArray(ask.colleagues) ? new Set(ask.colleagues) : null;
  const isOut = ({ picks, staffId }: Recipient) =>
    staffId === null ? picks.every((id) => unticked.has(id)) : chosen !== null && !chosen.has(staffId);
  const out = recipients.filter(isOut);
  const byHand = (ask.colleagues === null ? out : []).map(({ clientId, client, picks }): LeftOutRow => ({
    ...{ clientId, client, why: 'taken out by hand', detail: '', picks },
  }));
  const groups = groupBy([...leftOut, ...byHand], (row) => row.why);
  return {
    total: recipients.length,
    ticked: recipients.length - out.length,
    ofNobody,
    rows: recipients.slice(ask.offset, ask.offset + ask.limit).map((row) => ({
      key: row.key,
      clientId: row.clientId,
      picks: row.picks,
      client: row.client,
      to: row.name,
      address: row.email,
      greeting: row.greeting,
      from: row.senderName,
      file: isLogged(ask.fileChoice) ? row.file : null,
      ticked: !isOut(row),
    })),
    leftOut: [...groups].map(([why, rows]) => ({
      why,
      clients: rows.map(({ clientId, client, detail, picks = [] }) => ({
        ...{ id: clientId, name: client, detail, picks },
      })),
    })),
  };
}
