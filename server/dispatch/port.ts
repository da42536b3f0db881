import type { Knex } from 'knex';
import type { Mailbox } from '../../core/address/address.ts';
import type { Database, Transaction } from '../foundation/database.ts';
import type { RawRow } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';

/**
 * A row of `dispatch` that a worker has claimed: one message on its way. `kind` names the kind of outgoing thing
 * ({@link OutgoingKind.name}), whose column says where it comes from; `message_id` has no angle brackets; `facts` are
 * those of its release; `raw_hash` is of the bytes, once they were composed, the same at every attempt.
 */
export type ClaimedRow = Pick<Rows['dispatch'], (typeof CLAIMED)[number]>;

/** The columns of a claimed row. */
export const CLAIMED = [
  'id',
  'kind',
  'mailing_id',
  'draft_id',
  'piece_id',
  'client_id',
  'person_id',
  'staff_id',
  'mailbox_id',
  'to_name',
  'to_address',
  'message_id',
  'facts',
  'attempts',
  'raw_hash',
] as const;

/** The bytes of a message, and those bytes packed to be kept. */
export interface ComposedMessage {
  raw: Buffer;
  packed: RawRow;
}

/** What dispatch wants to know of one claimed row. */
export interface Outgoing {
  /** Everybody on its envelope. */
  envelope: readonly string[];
  /** When it was to leave at first: after some days it is given up. */
  since: Date;
  /**
   * The bytes that will leave.
   * @param from whose mailbox it leaves from
   * @throws when none can be made; it is then returned to whoever sent it
   */
  compose(from: Mailbox): Promise<ComposedMessage>;
}

/** A row that has left and is on record now. */
export interface RecordedRow extends Pick<ClaimedRow, 'id' | 'mailing_id' | 'draft_id'> {
  sent_at: Date;
  /** Of `message`. */
  recordId: number;
}

/**
 * A kind of outgoing thing: mailings and single letters are the first two. Dispatch claims, sends and records; what
 * a kind is about, it alone knows.
 */
export interface OutgoingKind {
  /** As it stands in `dispatch.kind`. */
  readonly name: string;
  /** Of what is due the smaller goes first. */
  readonly priority: number;
  /** Whether the limit of its mailbox holds it up: else it counts, and goes before what waits for that. */
  readonly limited: boolean;
  /** @returns what narrows rows of this kind to those that may leave now, such as not those of a paused mailing */
  ready(db: Database): Promise<(rows: Knex.QueryBuilder) => void>;
  /** @returns what is to leave, by row; a row that is missing is not sent */
  load(db: Database, rows: readonly ClaimedRow[]): Promise<ReadonlyMap<number, Outgoing>>;
  /** Told in the transaction in which rows of this kind are put on record. */
  recorded(trx: Transaction, rows: readonly RecordedRow[]): Promise<void>;
  /** Closes what has nothing left to send. @returns how many were closed */
  finish(db: Database): Promise<number>;
}
