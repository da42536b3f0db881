import type { Mailbox } from '../address/address.ts';
import type { Confirmation } from '../message/authentication.ts';
import type { Automatic } from '../message/automatic.ts';

/** The four states of a message (design, 5). */
export type FilingState = 'logged' | 'suggested' | 'aside' | 'private';

/** A message as filing sees it. */
export interface FilingMessage {
  from: Mailbox | null;
  /** To, Cc and Bcc together. */
  recipients: readonly Mailbox[];
  subject: string;
  /** The writer's own words, without signature and footer. */
  own: string;
  signature: string;
  footer: string;
  /** Quoted history or the forwarded text. */
  quoted: string;
  enclosureNames: readonly string[];
  /** Message-IDs named, nearest first. */
  named: readonly string[];
  automatic: Automatic | null;
  /** The list it was sent to: its List-Id, or empty. */
  list: string;
  /** Message-ID of the message a delivery report returns. */
  returned: string | null;
  /** Addresses a delivery report could not reach. */
  undelivered: readonly string[];
  /** The message that is handed on or returned with this one. */
  original: OriginalMessage | null;
  /** Whether it answers some message, known to us or not. */
  isReply: boolean;
  /** When it was written, in milliseconds; 0 when nobody knows. */
  at: number;
  /**
   * Whether the receiving server confirmed who sent it. Left out where that is beyond doubt or was never
   * asked: what we wrote ourselves, mail of a server that lets in only what it has checked.
   */
  sender?: Confirmation;
  /** Mail of the domain it claims to be from is usually confirmed. */
  usuallyConfirmed?: boolean;
  /** Why it could not be read, in words: then its headers are all there is. */
  unreadable?: string;
  /** It lay in a mailbox long before that was connected: nobody waits for an answer. */
  past?: boolean;
  /** Copied to the firm's private filing address: somebody wants it on a file. */
  forFiling?: boolean;
}

/** A message within another. */
export interface OriginalMessage {
  /** As a part of its own; else it stands in the text. */
  enclosed: boolean;
  messageId: string | null;
  from: Mailbox | null;
  recipients: readonly Mailbox[];
  subject: string;
  own: string;
  signature: string;
  named: readonly string[];
}

/** The reason for which a message that went out in a mailing is where it is: its file was chosen at the release. */
export const MAILED = 'mailing' satisfies EvidenceKind;

/** Where an earlier message of the firm's mail is filed. */
export interface EarlierMessage {
  messageId: string;
  state: FilingState;
  fileIds: readonly number[];
  /** It went out in a mailing, whose file was chosen at its release. */
  mailed?: boolean;
  subjectKey: string;
  /** Keys of the addresses of all who wrote it or were written to; left out when nobody knows. */
  people?: ReadonlySet<string>;
}

/** What the firm's mail says about a message: gathered before deciding, so that deciding needs no I/O. */
export interface FilingContext {
  /** By Message-ID: those of the named messages that we hold. */
  earlier: ReadonlyMap<string, EarlierMessage>;
  /** Messages that share one of the message's subject keys, newest first. */
  sameSubject: readonly EarlierMessage[];
  /** The files that others of its conversation, before it or after, are certainly about. */
  told?: readonly number[];
  /** Others of its conversation are certainly about different files. */
  contested?: boolean;
}

/** One reason for or against a file. */
export interface Evidence {
  kind: EvidenceKind;
  /** `for` or `against`; shown as + and −. */
  side: 'for' | 'against';
  /** A plain sentence, without a full stop. */
  words: string;
  /** How much it weighs: the change in log-odds, always positive. */
  weight: number;
}

export type EvidenceKind =
  | 'conversation'
  | 'returned'
  | 'number'
  | 'person'
  | 'learned-address'
  | 'domain'
  | 'name'
  | 'mention'
  | 'only-file'
  | 'general'
  | 'subject'
  | 'title'
  | 'words'
  | 'habit'
  | 'named'
  | 'other-files'
  | 'other-client'
  | 'closed'
  | 'automatic'
  | 'internal'
  | 'list'
  | 'nobody'
  | 'correspondent'
  | 'unconnected'
  | 'rule'
  | 'hand'
  | 'mailing'
  | 'sender'
  | 'unreadable';

export type Likelihood = 'nearly certain' | 'likely' | 'unsure';

export interface Candidate {
  fileId: number;
  /** From 0 to 1: that the message belongs on this file. */
  probability: number;
  likelihood: Likelihood;
  evidence: Evidence[];
}

/** What filing decides about one message, and why. */
export type Decision =
  | { state: 'logged'; fileIds: number[]; probability: number; evidence: Evidence[] }
  | { state: 'suggested'; candidates: Candidate[]; evidence: Evidence[] }
  | { state: 'aside'; evidence: Evidence[] }
  | { state: 'private'; evidence: Evidence[] };

/** How sure a probability is, in words. */
export function likelihoodOf(probability: number): Likelihood {
  return probability >= 0.9 ? 'nearly certain' : probability >= 0.5 ? 'likely' : 'unsure';
}

/** Where a suggestion stands in Sorting. */
export type SortingGroup = 'certain' | 'look' | 'nobody';

/** In which group of Sorting a suggestion stands, by the surest file suggested. */
export function sortingGroup(candidates: readonly Pick<Candidate, 'likelihood'>[]): SortingGroup {
  if (!candidates.length) return 'nobody';
  return candidates[0]?.likelihood === 'nearly certain' ? 'certain' : 'look';
}
