import type { Knex } from 'knex';
import { addressKey } from '../../../core/address/address.ts';
import type { KnownClient, KnownFee, KnownFile, KnownPerson, Meant } from '../../../core/import/decide.ts';
import type { Link, OwnField, Reckoning, Wanted } from '../../../core/import/plan.ts';
import { fieldKey } from '../../../core/facts/catalogue.ts';
import { readFirm } from '../../foundation/firm.ts';
import type { Rows } from '../../foundation/tables.ts';
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
  return {
    today,
    country: firm.country,
    services: named(services),
    stages: named(stages),
    interests: named(interests),
    advisers: new Map(
      staff.flatMap(({ id, name, email }) => [name, email].map((each) => [each.toLowerCase(), id] as const)),
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
  private readonly fees = new Map<string, { fee: KnownFee; client: KnownClient }>();
  /** Whom an address or a name means, where it means one alone. */
  private readonly named = new Map<string, number[]>();
  private readonly asked = {
    fees: new Set<string>(),
    links: new Set<string>(),
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
    await this.readFees(
      fresh(
        this.asked.fees,
        rows.map(({ fee }) => fee?.number ?? ''),
      ),
    );
    await this.readLinks(
      fresh(
        this.asked.links,
        rows.flatMap(({ links }) => links.map(keyOfLink)),
      ),
    );
    if (!keys.length) return;
    const addresses = await this.db('address').whereIn('email_key', keys).select('person_id', 'email_key');
    for (const { person_id, email_key } of addresses)
      if (!this.people.has(email_key)) this.people.set(email_key, await this.readPerson(person_id, ''));
  }

  private async readFees(numbers: readonly string[]): Promise<void> {
    if (!numbers.length) return;
    const rows = await this.db('fee_note')
      .leftJoin('file', 'file.id', 'fee_note.file_id')
      .whereIn('fee_note.number', numbers)
      .select('fee_note.*', 'file.number as file_number');
    for (const row of rows as (Rows['fee_note'] & { file_number: string | null })[]) {
      if (!this.byId.has(row.client_id)) await this.readClient(row.client_id);
      const client = this.byId.get(row.client_id);
      if (!client) continue;
      const { id, number, issued_on, due_on, amount, tax, paid_on, words } = row;
      const record = {
        ...{ issuedOn: issued_on, dueOn: due_on, amount, tax, words, fileNumber: row.file_number },
        ...(paid_on === null ? {} : { paidOn: paid_on }),
      };
      this.fees.set(collated(number), { fee: { id, number, record }, client });
    }
  }

  private async readLinks(keys: readonly string[]): Promise<void> {
    for (const key of keys) {
      const [kind, text = ''] = [key.slice(0, key.indexOf(' ')), key.slice(key.indexOf(' ') + 1)];
      const ids: number[] =
        kind === 'client'
          ? await this.db('client').where({ name: text }).limit(2).pluck('id')
          : await this.db('address')
              .where({ email_key: text })
              .distinct('person_id')
              .limit(2)
              .pluck('person_id');
      this.named.set(key, ids);
    }
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
  meant({ client, person, file, fee }: Wanted): Meant {
    return {
      fee: fee ? (this.fees.get(collated(fee.number)) ?? null) : null,
      linked: (link) => {
        const [one, other] = this.named.get(keyOfLink(link)) ?? [];
        return one !== undefined && other === undefined ? one : null;
      },
      clients: client.name ? (this.clients.get(collated(client.name)) ?? []) : [],
      file: file?.number ? (this.files.get(file.number) ?? null) : null,
      elsewhere: person?.emails.map((email) => this.people.get(addressKey(email))).find(Boolean) ?? null,
    };
  }

  /** Notes what a row added, for those that follow. */
  note(client: KnownClient, person: KnownPerson | null, file: KnownFile | null, fee: KnownFee | null): void {
    if (fee) this.fees.set(collated(fee.number), { fee, client });
    const known = this.clients.get(collated(client.name)) ?? [];
    if (!known.includes(client)) this.add(client);
    if (file?.number) this.files.set(file.number, { file, client });
    for (const { email } of person?.record.addresses ?? [])
      if (person && !this.people.has(addressKey(email))) this.people.set(addressKey(email), person);
  }
}

/** Whom a field of a row names, as it is looked up. */
function keyOfLink({ kind, text }: Link): string {
  return kind === 'client' ? `client ${text}` : `person ${addressKey(text)}`;
}
