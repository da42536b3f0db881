import type { Knex } from 'knex';
import type { FileRef, Recipients, RecipientsAsk, SelectionFields } from '../../contract/index.ts';
import type { z } from 'zod';
import { addressClients, type Addressed, type Addressee } from '../../core/checks/recipients.ts';
import { BUILT_IN_FIELDS, type Facts } from '../../core/merge/document.ts';
import type { Selection } from '../../core/selection/criteria.ts';
import { readFirm } from '../foundation/firm.ts';
import { fieldWords, type FieldRow } from '../records/clients.ts';
import { asFileRef, fileRefs, type FileRow } from '../records/files.ts';
import { countsByLine, selectedClients } from '../selection/query.ts';
import { groupBy } from '../foundation/rows.ts';

export type FileChoice = 'general' | 'latest';

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

interface ClientRow {
  id: number;
  name: string;
  kind: string;
  greeting: string | null;
  place: string;
  service: string | null;
  adviser_name: string | null;
  adviser_email: string | null;
  adviser_phone: string | null;
  mailbox_id: number | null;
}

/** Works out whom a selection reaches, as whom, and on which file it is logged; and who is left out, and why. */
export async function findRecipients(
  db: Knex,
  selection: Selection,
  fileChoice: FileChoice,
): Promise<{ recipients: Recipient[]; leftOut: LeftOutRow[] }> {
  const clients: ClientRow[] = await selectedClients(db, selection)
    .leftJoin('staff', 'staff.id', 'client.adviser_id')
    .leftJoin(
      'mailbox',
      'mailbox.id',
      db.raw(
        '(SELECT MIN(own.id) FROM mailbox own WHERE own.staff_id = staff.id AND own.shared = 0 AND own.disconnected_at IS NULL AND own.verified_at IS NOT NULL)',
      ),
    )
    .orderBy('client.name')
    .orderBy('client.id')
    .select(
      'client.id',
      'client.name',
      'client.kind',
      'client.greeting',
      'client.place',
      'client.service',
      'mailbox.id as mailbox_id',
    )
    .select('staff.name as adviser_name', 'staff.email as adviser_email', 'staff.phone as adviser_phone');
  const among = () => selectedClients(db, selection).select('client.id');
  const [people, files, fields, firm] = await Promise.all([
    readAddressees(db, among()),
    fileRefs(db)
      .whereIn('file.client_id', among())
      .whereNull('file.closed')
      .orderBy('file.opened', 'desc')
      .orderBy('file.id', 'desc') as Promise<FileRow[]>,
    db('field_value')
      .join('field', 'field.id', 'field_value.field_id')
      .whereIn('client_id', among()) as Promise<(FieldRow & { client_id: number; field_id: number })[]>,
    readFirm(db),
  ]);
  const filesOf = groupBy(files, (file) => file.client_id);
  const fieldsOf = groupBy(fields, (field) => field.client_id);
  const byId = new Map(clients.map((client) => [client.id, client]));
  const { addressed, leftOut } = addressClients(
    clients.map((client) => ({
      id: client.id,
      name: client.name,
      couple: client.kind === 'couple',
      greeting: client.greeting,
      addressees: people.get(client.id) ?? [],
      hasSender: client.mailbox_id !== null,
    })),
  );
  const recipients = addressed.flatMap((one) => {
    const client = byId.get(one.clientId);
    const file = chooseFile(filesOf.get(one.clientId) ?? [], fileChoice);
    if (!client || !file || client.mailbox_id === null) return [];
    const person = people.get(one.clientId)?.find((each) => each.personId === one.personId);
    const facts: Record<string, string> = {
      greeting: one.greeting ?? '',
      'client.name': client.name,
      'client.place': client.place,
      'client.service': client.service ?? '',
      'person.firstName': person?.firstName ?? '',
      'person.lastName': person?.lastName ?? '',
      'file.number': file.number,
      'file.title': file.title,
      'adviser.name': client.adviser_name ?? '',
      'adviser.email': client.adviser_email ?? '',
      'adviser.phone': client.adviser_phone ?? '',
      'firm.name': firm.name,
    };
    for (const field of fieldsOf.get(one.clientId) ?? [])
      facts[`field:${field.field_id}`] = fieldWords(field);
    return [
      {
        ...one,
        client: client.name,
        mailboxId: client.mailbox_id,
        senderName: client.adviser_name ?? '',
        senderEmail: client.adviser_email ?? '',
        file: asFileRef(file),
        facts,
      },
    ];
  });
  return {
    recipients,
    leftOut: leftOut.map((row) => ({ ...row, client: byId.get(row.clientId)?.name ?? '' })),
  };
}

/** The client's General file, or the newest open one; General again when there is no other. */
function chooseFile(files: readonly FileRow[], choice: FileChoice): FileRow | undefined {
  const general = files.find((file) => file.general);
  return choice === 'latest' ? (files.find((file) => !file.general) ?? general) : (general ?? files[0]);
}

async function readAddressees(db: Knex, clientIds: Knex.QueryBuilder): Promise<Map<number, Addressee[]>> {
  const rows: {
    client_id: number;
    person_id: number;
    first_name: string;
    last_name: string;
    email: string | null;
    email_key: string | null;
    returned_why: string | null;
    opted_out: string | null;
  }[] = await db('client_person')
    .join('person', 'person.id', 'client_person.person_id')
    .leftJoin('address', (join) =>
      join.on('address.person_id', 'person.id').andOn('address.current', db.raw('1')),
    )
    .leftJoin('opt_out', 'opt_out.email_key', 'address.email_key')
    .whereIn('client_person.client_id', clientIds)
    .where('client_person.writes', 1)
    .orderBy('client_person.position')
    .orderBy('person.id')
    .orderBy('address.position')
    .select(
      'client_person.client_id',
      'person.id as person_id',
      'person.first_name',
      'person.last_name',
      'address.email',
      'address.email_key',
      'address.returned_why',
    )
    .select('opt_out.email_key as opted_out');
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
                  optedOut: line.opted_out !== null,
                  returned: line.returned_why,
                },
              ]
            : [],
        ),
      })),
    ]),
  );
}

/** One page of recipients with the live counts and everyone left out. */
export async function listRecipients(db: Knex, ask: z.infer<typeof RecipientsAsk>): Promise<Recipients> {
  const [{ recipients, leftOut }, counts, clients] = await Promise.all([
    findRecipients(db, ask.selection, ask.fileChoice),
    countsByLine(db, ask.selection),
    db('client').count('* as count').first(),
  ]);
  const unticked = new Set(ask.unticked);
  const byHand: LeftOutRow[] = recipients
    .filter((row) => unticked.has(row.clientId))
    .map(({ clientId, client }) => ({ clientId, client, why: 'taken out by hand', detail: '' }));
  const groups = groupBy([...leftOut, ...byHand], (row) => row.why);
  return {
    counts,
    clients: Number(clients?.count ?? 0),
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

/** What selections and merge fields can be made of. */
export async function selectionFields(db: Knex): Promise<SelectionFields> {
  const [clients, services, advisers, interests, fields] = await Promise.all([
    db('client').count('* as count').first(),
    db('client').whereNotNull('service').distinct('service').orderBy('service').pluck('service'),
    db('staff')
      .whereIn('id', db('client').distinct('adviser_id').whereNotNull('adviser_id'))
      .orderBy('name')
      .select('id', 'name'),
    db('interest').orderBy('name').select('id', 'name'),
    db('field').orderBy('position').select('id', 'label', 'kind', 'unit'),
  ]);
  const own = fields as { id: number; label: string; kind: string; unit: string }[];
  return {
    clients: Number(clients?.count ?? 0),
    services,
    advisers,
    interests,
    numbers: own
      .filter((field) => field.kind === 'number')
      .map(({ id, label, unit }) => ({ id, label, unit })),
    mergeFields: [
      ...BUILT_IN_FIELDS,
      ...own.map((field) => ({ key: `field:${field.id}`, label: field.label })),
    ],
  };
}
