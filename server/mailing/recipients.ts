import type { Knex } from 'knex';
import type { FileRef, MailingDraft, Recipients, RecipientsAsk } from '../../contract/index.ts';
import type { z } from 'zod';
import { addressClients, type Addressed, type Addressee } from '../../core/checks/recipients.ts';
import type { Facts } from '../../core/facts/catalogue.ts';
import { gatherFacts, type FactsAbout } from '../facts/gather.ts';
import { asFileRef, readFiles, type FileRow } from '../records/files.ts';
import { refuseBroken, runningNow } from '../selection/catalogue.ts';
import { selected } from '../selection/query.ts';
import { readRecord } from './mailings.ts';
import { groupBy, select } from '../foundation/rows.ts';

/** Someone a mailing goes to, with everything the message needs. */
export interface Recipient extends Addressed {
  client: string;
  mailboxId: number;
  senderName: string;
  senderEmail: string;
  file: FileRef;
  facts: Facts;
}

type LeftOutRow = {
  clientId: number;
  client: string;
  why: Recipients['leftOut'][number]['why'];
  detail: string;
};

/** A client that is selected, and from whom it hears. */
async function readSelected(db: Knex, taken: Knex.QueryBuilder) {
  const clients = taken
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
    adviser_id: 'client.adviser_id',
    way: 'delivery.way?',
    mailbox_id: 'mailbox.id?',
    adviser_name: 'staff.name?',
    adviser_email: 'staff.email?',
  });
}

/**
 * Works out whom a mailing reaches, as whom, and on which file it is logged; and who is left out, and why.
 * @param ownerId whom `me` means in its selection
 * @throws Refusal when its selection asks for what is not there any more
 */
export async function findRecipients(
  db: Knex,
  { selection, fileChoice, topicId }: Pick<MailingDraft, 'selection' | 'fileChoice' | 'topicId'>,
  ownerId: number,
): Promise<{ recipients: Recipient[]; leftOut: LeftOutRow[] }> {
  await refuseBroken(db, ownerId, selection);
  const taken = await selected(db, selection, await runningNow(db, ownerId));
  const among = () => taken.query().select('client.id');
  const [clients, people, files] = await Promise.all([
    readSelected(db, taken.query()),
    readAddressees(db, among(), topicId),
    readFiles(db, (open) =>
      open
        .whereIn('file.client_id', among())
        .whereNull('file.closed')
        .orderBy('file.opened', 'desc')
        .orderBy('file.id', 'desc'),
    ),
  ]);
  const filesOf = groupBy(files, (file) => file.client_id);
  const byId = new Map(clients.map((client) => [client.id, client]));
  const { addressed, leftOut } = addressClients(
    clients.map((client) => ({
      id: client.id,
      name: client.name,
      couple: client.kind === 'couple',
      greeting: client.greeting,
      addressees: people.get(client.id) ?? [],
      hasSender: client.mailbox_id !== null,
      way: client.way ?? 'email',
    })),
  );
  const found = addressed.flatMap((one) => {
    const client = byId.get(one.clientId);
    const file = chooseFile(filesOf.get(one.clientId) ?? [], fileChoice);
    if (!client || !file || client.mailbox_id === null) return [];
    return [{ one, client, file, mailboxId: client.mailbox_id }];
  });
  const about = found.map(({ one, client, file }): FactsAbout => ({
    clientId: client.id,
    fileId: file.id,
    adviserId: client.adviser_id,
    person: people.get(client.id)?.find((each) => each.personId === one.personId) ?? null,
    greeting: one.greeting,
  }));
  const facts = await gatherFacts(db, about);
  return {
    recipients: found.map(({ one, client, file, mailboxId }, index) => ({
      ...one,
      client: client.name,
      mailboxId,
      senderName: client.adviser_name ?? '',
      senderEmail: client.adviser_email ?? '',
      file: asFileRef(file),
      facts: facts[index] ?? {},
    })),
    leftOut: leftOut.map((row) => ({ ...row, client: byId.get(row.clientId)?.name ?? '' })),
  };
}

/** The client's General file, or the newest open one; General again when there is no other. */
function chooseFile(files: readonly FileRow[], choice: MailingDraft['fileChoice']): FileRow | undefined {
  const general = files.find((file) => file.general);
  return choice === 'latest' ? (files.find((file) => !file.general) ?? general) : (general ?? files[0]);
}

/** Those of each client that mailings are addressed to, or the one person whom they have named for them. */
async function readAddressees(
  db: Knex,
  clientIds: Knex.QueryBuilder,
  topicId: number | null,
): Promise<Map<number, Addressee[]>> {
  const writing = db('client_person')
    .join('person', 'person.id', 'client_person.person_id')
    .leftJoin('address', (join) =>
      join.on('address.person_id', 'person.id').andOn('address.current', db.raw('1')),
    )
    .leftJoin('opt_out', 'opt_out.email_key', 'address.email_key')
    .leftJoin('topic_opt_out', (own) =>
      own
        .on('topic_opt_out.email_key', 'address.email_key')
        .andOn('topic_opt_out.topic_id', db.raw('?', [topicId ?? 0])),
    )
    .leftJoin('delivery', (own) =>
      own.on('delivery.client_id', 'client_person.client_id').andOn('delivery.kind', db.raw("'mailings'")),
    )
    .whereIn('client_person.client_id', clientIds)
    .whereRaw('IF(delivery.person_id IS NULL, client_person.writes = 1, delivery.person_id = person.id)')
    .orderBy('client_person.position')
    .orderBy('person.id')
    .orderBy('address.position');
  const rows = await select(writing, {
    client_id: 'client_person.client_id',
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

/** One page of recipients, those taken out by hand among them, and everyone left out. */
export async function listRecipients(db: Knex, ask: z.infer<typeof RecipientsAsk>): Promise<Recipients> {
  const { owner_id: ownerId } = await readRecord(db, ask.mailingId);
  const everybody = { ...ask, selection: { ...ask.selection, removed: [] } };
  const { recipients, leftOut } = await findRecipients(db, everybody, ownerId);
  const unticked = new Set(ask.selection.removed);
  const byHand: LeftOutRow[] = recipients
    .filter((row) => unticked.has(row.clientId))
    .map(({ clientId, client }) => ({ clientId, client, why: 'taken out by hand', detail: '' }));
  const groups = groupBy([...leftOut, ...byHand], (row) => row.why);
  return {
    total: recipients.length,
    ticked: recipients.length - byHand.length,
    rows: recipients.slice(ask.offset, ask.offset + ask.limit).map((row) => ({
      clientId: row.clientId,
      client: row.client,
      to: row.name,
      address: row.email,
      greeting: row.greeting,
      from: row.senderName,
      file: row.file,
      ticked: !unticked.has(row.clientId),
    })),
    leftOut: [...groups].map(([why, rows]) => ({
      why,
      clients: rows.map(({ clientId, client, detail }) => ({ id: clientId, name: client, detail })),
    })),
  };
}
