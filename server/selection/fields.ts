import type { Knex } from 'knex';
import type { SelectionFields } from '../../contract/index.ts';
import { countOf } from '../foundation/rows.ts';

/** What selections can be made of. */
export async function selectionFields(db: Knex): Promise<SelectionFields> {
  const [clients, services, advisers, interests, numbers] = await Promise.all([
    countOf(db('client')),
    db('client').whereNotNull('service').distinct('service').orderBy('service').pluck('service'),
    db('staff')
      .whereIn('id', db('client').distinct('adviser_id').whereNotNull('adviser_id'))
      .orderBy('name')
      .select('id', 'name'),
    db('interest').orderBy('name').select('id', 'name'),
    db('field')
      .where({ of: 'client' })
      .whereIn('kind', ['number', 'money'])
      .whereNull('gone_at')
      .orderBy('position')
      .select('id', 'label', 'unit'),
  ]);
  return {
    clients,
    services: services.flatMap((service) => service ?? []),
    advisers,
    interests,
    numbers,
  };
}
