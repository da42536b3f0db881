import type { Knex } from 'knex';
import type { ClientPage, ClientQuery, ClientView } from '../../contract/index.ts';
import { asFileRef, fileRefs, type FileRow } from './files.ts';
import { likePattern, groupBy } from '../foundation/rows.ts';

const SORTS: Record<ClientQuery['sort'], string> = {
  name: 'client.name',
  adviser: 'adviser.name',
  service: 'client.service',
  files: 'open_files',
  last: 'last_at',
};

/** One page of the register, searched by name, place, person, address or file number, counted and sorted in SQL. */
export async function listClients(db: Knex, query: ClientQuery): Promise<ClientPage> {
  const base = db('client');
  if (query.status) base.where('client.status', query.status);
  const words = query.q.trim();
  if (words) {
    const pattern = likePattern(words);
    base.where((any) =>
      any
        .where('client.name', 'like', pattern)
        .orWhere('client.place', 'like', pattern)
        .orWhereIn(
          'client.id',
          db('file').where('number', 'like', likePattern(words, false)).select('client_id'),
        )
        .orWhereIn(
          'client.id',
          db('client_person')
            .join('person', 'person.id', 'client_person.person_id')
            .leftJoin('address', 'address.person_id', 'person.id')
            .where((one) =>
              one
                .whereRaw("CONCAT(person.first_name, ' ', person.last_name) LIKE ?", [pattern])
                .orWhere('address.email_key', 'like', pattern),
            )
            .select('client_person.client_id'),
        ),
    );
  }
  const [{ total = 0 } = {}] = (await base.clone().count('* as total')) as { total: number }[];
  const rows: {
    id: number;
    name: string;
    kind: ClientPage['rows'][number]['kind'];
    status: ClientPage['rows'][number]['status'];
    place: string;
    adviser: string | null;
    service: string | null;
    open_files: number;
    last_at: Date | null;
  }[] = await base
    .leftJoin('staff as adviser', 'adviser.id', 'client.adviser_id')
    .select(
      'client.id',
      'client.name',
      'client.kind',
      'client.status',
      'client.place',
      'client.service',
      'adviser.name as adviser',
    )
    .select(db('file').whereRaw('file.client_id = client.id').whereNull('closed').count('*').as('open_files'))
    .select(
      db('file')
        .whereRaw('file.client_id = client.id')
        .select(
          db.raw(
            'MAX((SELECT filing.at FROM filing WHERE filing.file_id = file.id ORDER BY filing.at DESC LIMIT 1))',
          ),
        )
        .as('last_at'),
    )
    .orderBy(SORTS[query.sort], query.order)
    .orderBy('client.id')
    .offset(query.offset)
    .limit(query.limit);
  return {
    total,
    rows: rows.map((row) => ({
      id: row.id,
      name: row.name,
      kind: row.kind,
      status: row.status,
      place: row.place,
      adviser: row.adviser,
      service: row.service,
      openFiles: row.open_files,
      lastMessageAt: row.last_at?.toISOString() ?? null,
    })),
  };
}

/** Everything on a client's page but the ledger; null when there is no such client. */
export async function viewClient(db: Knex, id: number): Promise<ClientView | null> {
  const client = await db('client')
    .leftJoin('staff', 'staff.id', 'client.adviser_id')
    .where('client.id', id)
    .first('client.*', 'staff.name as adviser');
  if (!client) return null;
  const [people, addresses, files, fields, interests] = await Promise.all([
    db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .where({ client_id: id })
      .orderBy('client_person.position')
      .select('person.*', 'role'),
    db('address')
      .join('client_person', 'client_person.person_id', 'address.person_id')
      .leftJoin('opt_out', 'opt_out.email_key', 'address.email_key')
      .where({ client_id: id })
      .orderBy('address.position')
      .select('address.*', 'opt_out.how'),
    fileRefs(db)
      .where('file.client_id', id)
      .orderByRaw('file.closed IS NOT NULL, file.general, file.number DESC')
      .select('file.opened', 'file.stage'),
    db('field_value')
      .join('field', 'field.id', 'field_value.field_id')
      .where({ client_id: id })
      .orderBy('field.position'),
    db('client_interest')
      .join('interest', 'interest.id', 'client_interest.interest_id')
      .where({ client_id: id })
      .orderBy('name')
      .pluck('name'),
  ]);
  const addressesOf = groupBy(addresses as AddressRow[], (row) => row.person_id);
  return {
    id,
    name: client.name,
    kind: client.kind,
    status: client.status,
    since: client.since,
    service: client.service,
    place: client.place,
    postal: JSON.parse(client.postal),
    adviser: client.adviser,
    people: people.map((person) => ({
      id: person.id,
      name: `${person.first_name} ${person.last_name}`.trim(),
      role: person.role,
      addresses: (addressesOf.get(person.id) ?? []).map((row) => ({
        email: row.email,
        current: Boolean(row.current),
        returned: row.returned_why,
        optedOut: row.how,
      })),
    })),
    files: (files as ClientFileRow[]).map((file) => ({
      ...asFileRef(file),
      opened: file.opened,
      closedOn: file.closed,
      stage: file.stage,
    })),
    fields: (fields as FieldRow[]).map((row) => ({
      label: row.label,
      value: fieldWords(row),
      measured: row.number_value !== null && row.unit !== '',
    })),
    interests,
  };
}

type ClientFileRow = FileRow & { opened: string; stage: string };

interface AddressRow {
  person_id: number;
  email: string;
  current: number;
  returned_why: string | null;
  how: string | null;
}

export interface FieldRow {
  label: string;
  unit: string;
  text_value: string | null;
  number_value: number | null;
  date_value: string | null;
}

/** A field's value as people read it: `14.2 ha`, `3 May 2026`. */
export function fieldWords(row: FieldRow): string {
  if (row.number_value !== null)
    return `${new Intl.NumberFormat('en-GB', { maximumFractionDigits: 2 }).format(row.number_value)}${row.unit ? ` ${row.unit}` : ''}`;
  if (row.date_value !== null) {
    return new Date(`${row.date_value}T00:00:00Z`).toLocaleDateString('en-GB', {
      day: 'numeric',
      month: 'long',
      year: 'numeric',
      timeZone: 'UTC',
    });
  }
  return row.text_value ?? '';
}
