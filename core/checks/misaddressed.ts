import { addressKey } from '../address/address.ts';
import type { FilingRegister } from '../filing/register.ts';
import { wordsOf } from '../filing/words.ts';

/** Somebody on the envelope. */
export interface Envelope {
  name: string;
  email: string;
  at: 'to' | 'cc' | 'bcc';
}

/** A message that is about to leave, as far as it can be misaddressed. */
export interface Leaving {
  envelope: readonly Envelope[];
  /** The files it will be logged on; none when nobody has chosen. */
  fileIds: readonly number[];
  /** What its writer wrote: no quotation, no signature. */
  text: string;
  enclosures: readonly {
    filename: string;
    /** What can be read of it; empty where nothing can. */
    text: string;
    /** Whose mail it came with, or on whose file it lies; none when it is known of nobody. */
    clientIds: readonly number[];
  }[];
  /** Whether it goes to all who had the message it answers, and how many besides its writer had that; null when it answers none. */
  answers: { all: boolean; hadBesides: number } | null;
}

/** What is known of earlier mail. */
export interface Acquaintance {
  /** Addresses (keys) that have written or been written to about these files or their clients. */
  met: ReadonlySet<string>;
  /** Addresses (keys) that an unknown one may be a slip of. */
  near: readonly string[];
}

export const MISADDRESSED = [
  'another client',
  'greeting',
  'enclosure',
  'outsider in cc',
  'slip',
  'to all',
] as const;
export interface Misaddressed {
  kind: (typeof MISADDRESSED)[number];
  /** A sentence for whoever sends it. */
  words: string;
}

/**
 * What should give a writer pause before a message leaves: the commonest breach in an advice firm is a letter to the
 * wrong person. Each thing once; nothing that is usual is warned of.
 */
export function misaddressed(
  leaving: Leaving,
  register: FilingRegister,
  acquaintance: Acquaintance,
): Misaddressed[] {
  const outside = leaving.envelope.filter(({ email }) => !register.isOurs(email));
  const meant = clientsMeant(leaving, outside, register);
  return [
    ...ofAnotherClient(leaving, outside, meant, register, acquaintance),
    ...wrongGreeting(leaving, outside, meant, register),
    ...foreignEnclosures(leaving, meant, register),
    ...strangersInCopy(outside, register, acquaintance),
    ...slips(outside, register, acquaintance),
    ...toAll(leaving, outside),
  ];
}

/** Whose affairs it is about: the clients of its files, else of those it is addressed to. */
function clientsMeant(
  { fileIds }: Leaving,
  outside: readonly Envelope[],
  register: FilingRegister,
): ReadonlySet<number> {
  const ofFiles = fileIds.flatMap((id) => register.file(id)?.clientId ?? []);
  if (ofFiles.length) return new Set(ofFiles);
  return new Set(outside.filter(({ at }) => at === 'to').flatMap(({ email }) => clientsOf(email, register)));
}

function clientsOf(email: string, register: FilingRegister): number[] {
  return register.peopleAt(email).flatMap(({ clientIds }) => clientIds);
}

const shown = ({ name, email }: Envelope) => name || email;

function ofAnotherClient(
  { fileIds }: Leaving,
  outside: readonly Envelope[],
  meant: ReadonlySet<number>,
  register: FilingRegister,
  { met }: Acquaintance,
): Misaddressed[] {
  if (!meant.size) return [];
  const onFiles = new Set(fileIds.flatMap((id) => register.file(id)?.personIds ?? []));
  return outside.flatMap((each): Misaddressed[] => {
    const people = register.peopleAt(each.email);
    const others = people.flatMap(({ clientIds }) => clientIds);
    if (!others.length || others.some((id) => meant.has(id))) return [];
    if (people.some(({ id }) => onFiles.has(id)) || met.has(addressKey(each.email))) return [];
    const [other = 0] = others;
    const [own = 0] = meant;
    return [
      {
        kind: 'another client',
        words: `${shown(each)} belongs to ${register.clientName(other)}, and this is about ${register.clientName(own)}.`,
      },
    ];
  });
}

const GREETING =
  /^[ \t]*(?:dear|hello|hi|good (?:morning|afternoon|evening)|morning|afternoon)[ \t]+([^\n,:;!.]{1,80})[,:;!.\n]/i;
/** Words of a greeting that name nobody. */
const NOBODY = new Set(
  'mr mrs ms miss dr sir madam all both everyone everybody team colleagues friends folks client clients there and the to of messrs prof professor lord lady rev clerk committee trustees council'.split(
    ' ',
  ),
);

function wrongGreeting(
  { text }: Leaving,
  outside: readonly Envelope[],
  meant: ReadonlySet<number>,
  register: FilingRegister,
): Misaddressed[] {
  const greeted = GREETING.exec(`${text.slice(0, 400).trimStart()}\n`)?.[1] ?? '';
  const names = wordsOf(greeted).filter((word) => word.length > 1 && !NOBODY.has(word));
  if (!names.length || !outside.length) return [];
  const theirs = new Set(
    [
      ...outside.flatMap((each) => [
        each.name,
        each.email.split('@')[0] ?? '',
        ...register.peopleAt(each.email).map(({ name }) => name),
      ]),
      ...[...meant].map((id) => register.clientName(id)),
    ].flatMap((name) => wordsOf(name.replace(/[._-]/g, ' '))),
  );
  // A short form of a name, or a long one; and whoever is in nobody's records may be called anything.
  const isTheirs = (word: string) =>
    [...theirs].some((own) => own === word || (word.length > 2 && own.startsWith(word.slice(0, 3))));
  if (names.some(isTheirs) || !names.some((word) => register.bearersOf(word) > 0)) return [];
  return [{ kind: 'greeting', words: `It greets ${greeted.trim()}, and goes to nobody of that name.` }];
}

function foreignEnclosures(
  { enclosures }: Leaving,
  meant: ReadonlySet<number>,
  register: FilingRegister,
): Misaddressed[] {
  if (!meant.size) return [];
  return enclosures.flatMap(({ filename, text, clientIds }): Misaddressed[] => {
    const numbered = register.numbers.in(`${filename.replace(/_/g, ' ')}\n${text}`);
    const foreign = numbered.find((id) => !meant.has(register.file(id)?.clientId ?? 0));
    const own = numbered.some((id) => meant.has(register.file(id)?.clientId ?? 0));
    if (foreign !== undefined && !own) {
      const file = register.file(foreign);
      return [
        {
          kind: 'enclosure',
          words: `“${filename}” bears ${file?.number ?? ''}, a file of ${register.clientName(file?.clientId ?? 0)}.`,
        },
      ];
    }
    const [from] = clientIds;
    if (from === undefined || clientIds.some((id) => meant.has(id))) return [];
    return [{ kind: 'enclosure', words: `“${filename}” came with mail of ${register.clientName(from)}.` }];
  });
}

/** Nobody in the records, never written to about this, beside a client. */
function strangersInCopy(
  outside: readonly Envelope[],
  register: FilingRegister,
  { met }: Acquaintance,
): Misaddressed[] {
  const toClient = outside.some(({ at, email }) => at === 'to' && clientsOf(email, register).length > 0);
  if (!toClient) return [];
  return outside
    .filter(
      ({ at, email }) =>
        at !== 'to' &&
        !register.peopleAt(email).length &&
        !register.clientsAtDomain(email).length &&
        !met.has(addressKey(email)),
    )
    .map((each) => ({
      kind: 'outsider in cc',
      words: `${shown(each)} has a copy for the first time, and is in nobody’s records.`,
    }));
}

function slips(
  outside: readonly Envelope[],
  register: FilingRegister,
  { met, near }: Acquaintance,
): Misaddressed[] {
  return outside.flatMap((each): Misaddressed[] => {
    const key = addressKey(each.email);
    if (register.peopleAt(each.email).length || met.has(key)) return [];
    const known = near.find((other) => other !== key && isOneSlip(key, other));
    return known
      ? [{ kind: 'slip', words: `${each.email} is one typing slip from ${known}, which is known.` }]
      : [];
  });
}

function toAll({ answers }: Leaving, outside: readonly Envelope[]): Misaddressed[] {
  if (!answers?.all || answers.hadBesides > 0 || outside.length < 2) return [];
  return [
    {
      kind: 'to all',
      words: `The message you answer came to you alone; this goes to ${outside.length} people.`,
    },
  ];
}

/**
 * Whether two texts differ by one letter left out, put in, mistaken or changed places with its neighbour
 * (Damerau 1964: a distance of one).
 */
export function isOneSlip(a: string, b: string): boolean {
  if (a === b || Math.abs(a.length - b.length) > 1) return false;
  let head = 0;
  while (head < a.length && head < b.length && a[head] === b[head]) head++;
  let tail = 0;
  const most = Math.min(a.length, b.length) - head;
  while (tail < most && a[a.length - 1 - tail] === b[b.length - 1 - tail]) tail++;
  const [x, y] = [a.slice(head, a.length - tail), b.slice(head, b.length - tail)];
  if (x.length <= 1 && y.length <= 1) return true;
  return x.length === 2 && y.length === 2 && x[0] === y[1] && x[1] === y[0];
}
