import type { Mailbox } from '../address/address.ts';
import type { Automatic } from '../message/read.ts';

/** The four states of a message (design, 5). */
export type FilingState = 'logged' | 'suggested' | 'aside' | 'private';

/** A message as filing sees it. */
export interface FilingMessage {
  from: Mailbox | null;
  /** To, Cc and Bcc together. */
  recipients: readonly Mailbox[];
  subject: string;
  /** The writer's own words. */
  own: string;
  /** Quoted history or the forwarded text. */
  quoted: string;
  /** Message-IDs named, nearest first. */
  named: readonly string[];
  automatic: Automatic | null;
  /** Message-ID of the message a delivery report returns. */
  returned: string | null;
  /** Addresses a delivery report could not reach. */
  undelivered: readonly string[];
}

/** Where an earlier message of the firm's mail is filed. */
export interface EarlierMessage {
  messageId: string;
  state: FilingState;
  fileIds: readonly number[];
  subjectKey: string;
}

/** What the firm's mail says about a message: gathered before deciding, so that deciding needs no I/O. */
export interface FilingContext {
  /** By Message-ID: those of the named messages that we hold. */
  earlier: ReadonlyMap<string, EarlierMessage>;
  /** Messages of the same base subject with the same outside people, newest first. */
  sameSubject: readonly EarlierMessage[];
}

/** One reason for or against a file. */
export interface Evidence {
  kind: EvidenceKind;
  /** `for` or `against`; shown as + and −. */
  side: 'for' | 'against';
  /** A plain sentence, without a full stop. */
  words: string;
}

export type EvidenceKind =
  | 'conversation'
  | 'returned'
  | 'number'
  | 'person'
  | 'only-file'
  | 'general'
  | 'subject'
  | 'words'
  | 'other-files'
  | 'shared-address'
  | 'several-clients'
  | 'name'
  | 'automatic'
  | 'internal'
  | 'list'
  | 'hand'
  | 'mailing';

export type Likelihood = 'nearly certain' | 'likely' | 'unsure';

export interface Candidate {
  fileId: number;
  likelihood: Likelihood;
  evidence: Evidence[];
}

/** What filing decides about one message, and why. */
export type Decision =
  | { state: 'logged'; fileIds: number[]; evidence: Evidence[] }
  | { state: 'suggested'; candidates: Candidate[]; evidence: Evidence[] }
  | { state: 'aside'; evidence: Evidence[] };

/** Where a suggestion stands in Sorting. */
export type SortingGroup = 'certain' | 'look' | 'nobody';

export function sortingGroup(candidates: readonly Candidate[]): SortingGroup {
  if (!candidates.length) return 'nobody';
  return candidates[0]?.likelihood === 'nearly certain' ? 'certain' : 'look';
}
