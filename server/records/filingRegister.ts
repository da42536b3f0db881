import { stateOf } from '../foundation/changes.ts';
import { groupBy } from '../foundation/rows.ts';
import freemail from 'email-providers/all.json' with { type: 'json' };
import type { Knex } from 'knex';
import { FilingRegister } from '../../core/filing/register.ts';
import { readFirm } from '../foundation/firm.ts';
import type { AppContext } from '../foundation/context.ts';

/** Reads the whole register into the indexed form that filing works on. */
export async function loadFilingRegister(db: Knex): Promise<FilingRegister> {
  const firm = await readFirm(db);
  const [staff, clients, people, addresses, links, files, named] = await Promise.all([
    db('staff').select<{ email: string }[]>('email'),
    db('client').select<{ id: number; name: string }[]>('id', 'name'),
    db('person').select<{ id: number; first_name: string; last_name: string }[]>(
      'id',
      'first_name',
      'last_name',
    ),
    db('address').select<{ person_id: number; email: string }[]>('person_id', 'email'),
    db('client_person').select<{ client_id: number; person_id: number }[]>('client_id', 'person_id'),
    db('file').select<
      {
        id: number;
        number: string;
        title: string;
        client_id: number;
        general: number;
        closed: string | null;
      }[]
    >('id', 'number', 'title', 'client_id', 'general', 'closed'),
    db('file_person').select<{ file_id: number; person_id: number }[]>('file_id', 'person_id'),
  ]);
  const addressesOf = groupBy(addresses, (row) => row.person_id);
  const clientsOf = groupBy(links, (row) => row.person_id);
  const peopleOn = groupBy(named, (row) => row.file_id);
  return new FilingRegister({
    firmDomains: firm.domains,
    staffAddresses: staff.map((member) => member.email),
    freemail: [...freemail, ...firm.freemail],
    fileNumberPattern: firm.fileNumberPattern,
    filingAddress: firm.filingAddress,
    clients,
    people: people.map((person) => ({
      id: person.id,
      name: `${person.first_name} ${person.last_name}`.trim(),
      addresses: (addressesOf.get(person.id) ?? []).map((row) => row.email),
      clientIds: (clientsOf.get(person.id) ?? []).map((row) => row.client_id),
    })),
    files: files.map((file) => ({
      id: file.id,
      number: file.number,
      title: file.title,
      clientId: file.client_id,
      general: Boolean(file.general),
      closed: file.closed !== null,
      personIds: (peopleOn.get(file.id) ?? []).map((row) => row.person_id),
    })),
  });
}

const held = new WeakMap<AppContext, FilingRegister>();
const loading = new WeakMap<AppContext, Promise<FilingRegister>>();
const states = new WeakMap<FilingRegister, string>();

/** The state of the records that a register was read from (see `stateOf`). */
export function stateRead(register: FilingRegister): string | undefined {
  return states.get(register);
}

/** The records indexed for filing, held in this process; read again only when they changed. */
export async function filingRegister(context: AppContext): Promise<FilingRegister> {
  const state = await stateOf(context.db, 'records');
  const known = held.get(context);
  if (known && stateRead(known) === state) return known;
  const underWay = loading.get(context);
  if (underWay) return underWay;
  const work = loadFilingRegister(context.db)
    .then((register) => {
      states.set(register, state);
      held.set(context, register);
      return register;
    })
    .finally(() => loading.delete(context));
  loading.set(context, work);
  return work;
}
