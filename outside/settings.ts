/** How a simulated correspondent behaves. */
export type Behaviour =
  | 'ordinary'
  /** Answers, but from another address of theirs. */
  | 'other-address'
  /** Answers with a program that drops In-Reply-To and References. */
  | 'no-references'
  | 'out-of-office'
  /** Refused at RCPT. */
  | 'unknown'
  /** Accepted, then reported by a delivery status report. */
  | 'reported'
  | 'full'
  /** The server says "later" to the first attempt. */
  | 'later'
  /** Never answers. */
  | 'silent';

export interface Correspondent {
  address: string;
  name: string;
  behaviour: Behaviour;
  otherAddress?: string;
}

/** What the outside world is made of; written by the demo, kept in its folder as world.json. */
export interface WorldSettings {
  seed: string;
  firmDomain: string;
  accounts: { address: string; name: string; password: string }[];
  correspondents: Correspondent[];
  /** Share of ordinary messages that are answered at all. */
  answerShare: number;
}
