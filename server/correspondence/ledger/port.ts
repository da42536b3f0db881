import type { Knex } from 'knex';
import type { LedgerEntry, LedgerPart } from '../../../contract/index.ts';

/** Whose entries are asked for, and which of them. */
export interface LedgerScope {
  clientId: number;
  /** On this file alone. */
  fileId?: number | undefined;
  /** That bear these words. */
  words?: string | undefined;
  /** Of this part alone. */
  only?: LedgerPart | undefined;
}

/** What an entry is, but for its kind, number and time, which the ledger knows. */
export type EntryBody<K extends LedgerEntry['kind']> = Omit<
  Extract<LedgerEntry, { kind: K }>,
  'kind' | 'id' | 'at'
>;

/**
 * A kind of ledger entry: messages and the timeline are the first two. The ledger pages and orders; what an entry of a kind
 * is, that kind alone knows.
 */
export interface LedgerKind<K extends LedgerEntry['kind'] = LedgerEntry['kind']> {
  readonly kind: K;
  /** Parts of the ledger it has a share in. */
  readonly parts: readonly LedgerPart[];
  /**
   * The entries there are, each once.
   * @returns a query that selects `id` and `at`, from a key on file and time
   */
  find(db: Knex, scope: LedgerScope): Knex.QueryBuilder;
  /** @returns what each of these entries is, by number */
  read(db: Knex, ids: readonly number[]): Promise<ReadonlyMap<number, EntryBody<K>>>;
}
