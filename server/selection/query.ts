import type { Knex } from 'knex';
import type { Criterion, Selection } from '../../core/selection/criteria.ts';

/** Narrows a query over `client` by one line. The counterpart of core's `satisfies`; a property test holds them together. */
export function narrow(db: Knex, query: Knex.QueryBuilder, criterion: Criterion): Knex.QueryBuilder {
  switch (criterion.field) {
    case 'status':
      return criterion.values.length ? query.whereIn('client.status', criterion.values) : query;
    case 'adviser':
      return criterion.values.length ? query.whereIn('client.adviser_id', criterion.values) : query;
    case 'service':
      return criterion.values.length ? query.whereIn('client.service', criterion.values) : query;
    case 'interest': {
      const having = db('client_interest')
        .where({ interest_id: criterion.interestId })
        .whereRaw('client_interest.client_id = client.id')
        .select(db.raw('1'));
      return criterion.has ? query.whereExists(having) : query.whereNotExists(having);
    }
    case 'number': {
      const having = db('field_value')
        .where({ field_id: criterion.fieldId })
        .where('number_value', criterion.test === 'at least' ? '>=' : '<=', criterion.value)
        .whereRaw('field_value.client_id = client.id')
        .select(db.raw('1'));
      return query.whereExists(having);
    }
    case 'email': {
      const having = db('client_person')
        .join('address', 'address.person_id', 'client_person.person_id')
        .where({ writes: 1, current: 1 })
        .whereRaw('client_person.client_id = client.id')
        .select(db.raw('1'));
      return criterion.has ? query.whereExists(having) : query.whereNotExists(having);
    }
  }
}

/** Clients that fit the whole selection. */
export function selectedClients(db: Knex, selection: Selection): Knex.QueryBuilder {
  return selection.all.reduce((query, criterion) => narrow(db, query, criterion), db('client'));
}

/** How many clients are left after each line. */
export async function countsByLine(db: Knex, selection: Selection): Promise<number[]> {
  return Promise.all(
    selection.all.map(async (_, index) => {
      const row = await selectedClients(db, { all: selection.all.slice(0, index + 1) })
        .count('* as count')
        .first();
      return Number(row?.count ?? 0);
    }),
  );
}
