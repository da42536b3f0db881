/**
 * How much each piece of evidence weighs, in natural log-odds.
 *
 * Which client: chosen by reason. An address of the records is wrong about once in a thousand messages
 * (7); an exact file number in what was written outweighs nothing but a known correspondent; a name at an
 * unknown address alone is not quite enough to act on. Which of a client's files: fitted by conditional
 * logit on confirmed decisions (`npm run filing:fit`), each corpus with the weights found on the others.
 */
export const PEOPLE = {
  nobody: 0,
  address: 7,
  learnedAddress: 6.5,
  domain: 6.5,
  name: 6,
  /** An address, domain or name that belongs to several clients. */
  severalClients: 3,
  conversation: 9,
  sameSubject: 3,
  numberInSubject: 5,
  numberInText: 4,
  /** More when the correspondents are of that client too. */
  numberFitsPeople: 4,
  /** Against clients of a third party where somebody of another client alone takes part. */
  besideOwn: 5,
  /** For each unit of rarity of the words that name a client. */
  mention: 1,
  /** A word that several of the candidates bear counts this much less, shared among them. */
  sharedMention: 0.5,
  mostOfMention: 10,
  /** From here on a mention counts as naming the client. */
  clearMention: 3,
} as const;

export const FILES = {
  conversation: 9.4,
  conversationTurned: 0.5,
  /** Chosen by reason, on top of the conversation: the file was chosen when the mailing was released. */
  answersMailing: 5,
  sameSubject: 4,
  lostThread: 7,
  numberInSubject: 14,
  numberInText: 11,
  titleInSubject: 4.7,
  titleInText: 4.3,
  titleInQuoted: 1.1,
  titleInEnclosure: 0.5,
  affinity: 2.6,
  named: 2.2,
  namedThird: 5,
  notNamedThird: -2.5,
  habit: 0.5,
  generalAlone: 3.7,
  generalBesideOne: -3.6,
  generalBesideTitle: 0.4,
  generalBesideSeveral: 2,
  closed: -2.2,
  onlyFile: 4.2,
};

/** From when on filing acts alone. */
export const LIMITS = {
  /** The whole decision: client and file. */
  file: 0.975,
  /** The client: anything less certain is put before a person. */
  client: 0.995,
  /** What nobody has vouched for is never called more likely than this. */
  doubted: 0.85,
  /** Confirmed decisions about strangers of a kind before they are set aside without asking. */
  strangers: 4,
} as const;
