import type { Knex } from 'knex';
import type { Mailbox } from '../../core/address/address.ts';
import type { Database, Transaction } from '../foundation/database.ts';

/** A row of `dispatch` that a worker has claimed: one message on its way. */
export interface ClaimedRow {
  id: number;
  /** The kind of outgoing thing it is of ({@link OutgoingKind.name}). */
  kind: string;
  /** Where it comes from: the column of its kind is set. */
  mailing_id: number | null;
  draft_id: number | null;
  mailbox_id: number;
  to_name: string;
  to_address: string;
  /** Without angle brackets. */
  message_id: string;
  /** JSON: the facts as they were when it was released. */
  facts: string;
  attempts: number;
  /** Of the bytes, once they were composed; the same at every attempt. */
  raw_hash: Buffer | null;
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
  compose(from: Mailbox): Promise<Buffer>;
}

/** A row that has left and is on record now. */
export interface RecordedRow extends Pick<ClaimedRow, 'id' | 'mailing_id' | 'draft_id'> {
  left_at: Date;
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
  /** @returns what narrows rows of this kind to those that may leave now, such as not those of a paused mailing */
  ready(db: Database): Promise<(rows: Knex.QueryBuilder) => void>;
  /** @returns what is to leave, by row; a row that is missing is not sent */
  load(db: Database, rows: readonly ClaimedRow[]): Promise<ReadonlyMap<number, Outgoing>>;
  /** Told in the transaction in which rows of this kind are put on record. */
  recorded(trx: Transaction, rows: readonly RecordedRow[]): Promise<void>;
  /** Closes what has nothing left to send. @returns how many were closed */
  finish(db: Database): Promise<number>;
}
