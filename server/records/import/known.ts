import type { Knex } from 'knex';
import { addressKey } from '../../../core/address/address.ts';
import { COUNTRIES } from '../../../core/address/country.ts';
import type { KnownClient, KnownFile, KnownPerson, Meant } from '../../../core/import/decide.ts';
import type { OwnField, Reckoning, Wanted } from '../../../core/import/plan.ts';
import { fieldKey } from '../../../core/facts/catalogue.ts';
import { readFirm } from '../../foundation/firm.ts';
import { collated } from '../../../core/office/collated.ts';
import { listNames } from '../../office/lists.ts';
import { firmToday } from '../../office/settings.ts';
import { readRecord } from '../changing.ts';
import { fieldDefinitions } from '../definitions.ts';

/** What cells are read by: the office's own lists and its people, as they are now. */
export async function reckoning(db: Knex): Promise<Reckoning> {
  const [firm, today, services, stages, interests, staff, fields] = await Promise.all([
    readFirm(db),
    firmToday(db),
    listNames(db, 'service'),
    listNames(db, 'stage'),
    listNames(db, 'interest'),
    db('staff').where({ active: 1 }).select('id', 'name', 'email'),
    fieldDefinitions(db),
  ]);
  const named = (list: readonly string[]) => new Map(list.map((name) => [name.toLowerCase(), name]));
  const names = new Intl.DisplayNames('en-GB', { type: 'region' });
  return {
    today,
    country: firm.country,
    services: named(services),
    stages: named(stages),
    interests: named(interests),
    advisers: new Map(
      staff.flatMap(({ id, name, email }) => [name, email].map((each) => [each.toLowerCase(), id] as const)),
    ),
    countries: new Map(
      COUNTRIES.flatMap((code) =>
        [code, names.of(code) ?? code].map((each) => [each.toLowerCase(), code] as const),
      ),
    ),
    fields: new Map(fields.map((field): [string, OwnField] => [fieldKey(field.id), field])),
  };
}

/** Who and what of the register the rows of a batch may mean; rows before it are known too, as far as they added anything. */
export class Known {
  private readonly clients = new Map<string, KnownClient[]>();
  private readonly byId = new Map<number, KnownClient>();
  private readonly files = new Map<string, { file: KnownFile; client: KnownClient }>();
  private readonly people = new Map<string, KnownPerson>();
  private readonly asked = {
    names: new Set<string>(),
    numbers: new Set<string>(),
    addresses: new Set<string>(),
  };

  constructor(private readonly db: Knex) {}

  /** Reads what the rows may mean, as far as it is not known already. */
  async read(rows: readonly Wanted[]): Promise<void> {
    const fresh = (known: Set<string>, wanted: readonly string[]) => {
      const all = [...new Set(wanted)].filter((each) => each && !known.has(each));
      for (const each of all) known.add(each);
      return all;
    };
    const names = fresh(
      this.asked.names,
      rows.map(({ client }) => collated(client.name)),
    );
    const numbers = fresh(
      this.asked.numbers,
      rows.map(({ file }) => file?.number ?? ''),
    );
    const keys = fresh(
      this.asked.addresses,
      rows.flatMap(({ person }) => person?.emails.map(addressKey) ?? []),
    );
    const [named, owners] = await Promise.all([
      names.length ? this.db('client').whereIn('name', names).select('id') : [],
      numbers.length ? this.db('file').whereIn('number', numbers).select('client_id') : [],
    ]);
    const ids = [...named.map(({ id }) => id), ...owners.map(({ client_id }) => client_id)];
    for (const id of new Set(ids)) if (!this.byId.has(id)) await this.readClient(id);
    if (!keys.length) return;
    const addresses = await this.db('address').whereIn('email_key', keys).select('person_id', 'email_key');
    for (const { person_id, email_key } of addresses)
      if (!this.people.has(email_key)) this.people.set(email_key, await this.readPerson(person_id, ''));
  }

  private async readClient(id: number): Promise<void> {
    const [record, people, files] = await Promise.all([
      readRecord(this.db, 'client', id),
      this.db('client_person').where({ client_id: id }).orderBy('position').select('person_id', 'role'),
      this.db('file').where({ client_id: id }).select('id', 'number', 'title'),
    ]);
    const known: KnownClient = {
      id,
      name: record.name,
      record,
      people: await Promise.all(people.map(({ person_id, role }) => this.readPerson(person_id, role))),
      files: await Promise.all(
        files.map(async (file) => ({ ...file, record: { ...(await readRecord(this.db, 'file', file.id)) } })),
      ),
    };
    this.byId.set(id, known);
    this.add(known);
  }

  private async readPerson(id: number, role: string): Promise<KnownPerson> {
    return { id, role, record: { ...(await readRecord(this.db, 'person', id)) } };
  }

  private add(client: KnownClient): void {
    const key = collated(client.name);
    this.clients.set(key, [...(this.clients.get(key) ?? []), client]);
    for (const file of client.files) this.files.set(file.number, { file, client });
  }

  /** Who and what a row means. */
  meant({ client, person, file }: Wanted): Meant {
    return {
      clients: client.name ? (this.clients.get(collated(client.name)) ?? []) : [],
      file: file?.number ? (this.files.get(file.number) ?? null) : null,
      elsewhere: person?.emails.map((email) => this.people.get(addressKey(email))).find(Boolean) ?? null,
    };
  }

  /** Notes what a row added, for those that follow. */
  note(client: KnownClient, person: KnownPerson | null, file: KnownFile | null): void {
    const known = this.clients.get(collated(client.name)) ?? [];
    if (!known.includes(client)) this.add(client);
    if (file?.number) this.files.set(file.number, { file, client });
    for (const { email } of person?.record.addresses ?? [])
      if (person && !this.people.has(addressKey(email))) this.people.set(addressKey(email), person);
  }
}
