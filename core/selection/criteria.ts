/** One line of a selection. Each line narrows the one above. */
export type Criterion =
  | { field: 'status'; values: ClientStatus[] }
  | { field: 'adviser'; values: number[] }
  | { field: 'service'; values: string[] }
  | { field: 'interest'; interestId: number; has: boolean }
  | { field: 'number'; fieldId: number; test: 'at least' | 'at most'; value: number }
  | { field: 'email'; has: boolean };

export type ClientStatus = 'active' | 'past' | 'prospect';

/** A set of criteria over the records that can be kept and run again. All must hold. */
export interface Selection {
  all: Criterion[];
}

/** What a selection may ask of one client. */
export interface SelectableClient {
  status: ClientStatus;
  adviserId: number | null;
  service: string | null;
  interestIds: readonly number[];
  /** Number fields by field id; a missing value satisfies no test. */
  numbers: ReadonlyMap<number, number>;
  hasEmail: boolean;
}

/** Whether the client satisfies one line. A choice with nothing chosen means anyone. */
export function satisfies(criterion: Criterion, client: SelectableClient): boolean {
  switch (criterion.field) {
    case 'status':
      return !criterion.values.length || criterion.values.includes(client.status);
    case 'adviser':
      return (
        !criterion.values.length || (client.adviserId !== null && criterion.values.includes(client.adviserId))
      );
    case 'service':
      return (
        !criterion.values.length || (client.service !== null && criterion.values.includes(client.service))
      );
    case 'interest':
      return client.interestIds.includes(criterion.interestId) === criterion.has;
    case 'number': {
      const value = client.numbers.get(criterion.fieldId);
      if (value === undefined) return false;
      return criterion.test === 'at least' ? value >= criterion.value : value <= criterion.value;
    }
    case 'email':
      return client.hasEmail === criterion.has;
  }
}

export function selects(selection: Selection, client: SelectableClient): boolean {
  return selection.all.every((criterion) => satisfies(criterion, client));
}
