import { nameKey } from '../address/address.ts';
import { jaroWinkler } from './measures.ts';

/** What of a person tells whether another is the same. */
export interface DoublePerson {
  id: number;
  firstName: string;
  lastName: string;
  /** Compared keys of addresses, current and old. */
  emails: readonly string[];
  /** E.164. */
  phones: readonly string[];
  clientIds: readonly number[];
  postcodes: readonly string[];
}

/** What of a client tells whether another is the same. */
export interface DoubleClient {
  id: number;
  name: string;
  kind: string;
  postal: string;
  postcode: string;
  phones: readonly string[];
  emails: readonly string[];
  personIds: readonly number[];
}

/** Two records that may be one, and why. */
export interface Likeness {
  /** In steps of evidence: {@link PROBABLE} and more is worth a look, {@link CERTAIN} hardly chance. */
  score: number;
  reasons: string[];
}

export const PROBABLE = 3.5;
export const CERTAIN = 5.5;

/** Forms of companies and small words, which two names may or may not bear. */
const FORMS = new Set(
  'ltd limited llp plc inc co company gmbh ag kg ohg sa sarl bv nv ab as oy the and und et & trustees of'.split(
    ' ',
  ),
);

/** A client's name without what tells nothing: folded, in alphabetical order. */
export function clientNameKey(name: string): string {
  const words = nameKey(name).split(' ');
  const telling = words.filter((word) => !FORMS.has(word));
  return (telling.length ? telling : words).join(' ');
}

/** What is worked out of each record once, however often it is compared. */
function once<R extends object, V>(work: (record: R) => V): (record: R) => V {
  const known = new WeakMap<R, V>();
  return (record) => {
    const found = known.get(record);
    if (found !== undefined) return found;
    const made = work(record);
    known.set(record, made);
    return made;
  };
}

/** First and last name of a person, folded. */
export const personNames = once(
  ({ firstName, lastName }: DoublePerson) => [nameKey(firstName), nameKey(lastName)] as const,
);
/** Name and postal address of a client, folded. */
export const clientKeys = once(({ name, postal }: DoubleClient) => ({
  name: clientNameKey(name),
  postal: nameKey(postal),
}));

/** Names as good as the same, or alike (thresholds for Jaro–Winkler between 0.88 and 0.95 are common practice). */
const SAME = 0.97;
const ALIKE = 0.9;
const OTHER = 0.75;

const shared = <T>(one: readonly T[], two: readonly T[]): T | undefined =>
  one.find((each) => two.includes(each));

/** How much speaks for two people being one. */
export function comparePeople(one: DoublePerson, two: DoublePerson): Likeness {
  const tally = new Tally();
  const email = shared(one.emails, two.emails);
  if (email) tally.add(3, `both have ${email}`);
  const phone = shared(one.phones, two.phones);
  if (phone) tally.add(2, `both have ${phone}`);
  if (shared(one.clientIds, two.clientIds) !== undefined) tally.add(1, 'people of one client');
  else if (shared(one.postcodes, two.postcodes)) tally.add(1, 'the same postcode');
  addNames(tally, one, two);
  return tally.likeness();
}

function addNames(tally: Tally, one: DoublePerson, two: DoublePerson): void {
  const [first, last] = personNames(one);
  const [otherFirst, otherLast] = personNames(two);
  if (!last || !otherLast || !first || !otherFirst) {
    // One name is all there is of one of them.
    const [a, b] = [`${first} ${last}`.trim(), `${otherFirst} ${otherLast}`.trim()];
    if (a && b && (a === b || last === otherLast)) tally.add(1, 'one name in common');
    return;
  }
  const lasts = jaroWinkler(last, otherLast);
  const firsts = jaroWinkler(first, otherFirst);
  if (lasts >= SAME && firsts >= SAME) tally.add(3, 'the same name');
  else if (jaroWinkler(first, otherLast) >= SAME && jaroWinkler(last, otherFirst) >= SAME)
    tally.add(3, 'the same names the other way round');
  else if (lasts >= ALIKE && isInitialOf(first, otherFirst))
    tally.add(1.5, 'the same name, but for an initial');
  else if (lasts >= ALIKE && firsts >= ALIKE) tally.add(2.5, 'names that are spelt alike');
  else if (firsts >= SAME && lasts >= OTHER) tally.add(1, 'the same first name, and a last name spelt alike');
  else if (firsts < OTHER) tally.add(-4, 'another first name');
  else tally.add(-2.5, 'another name');
}

const isInitialOf = (a: string, b: string) =>
  (a.length === 1 && b.startsWith(a)) || (b.length === 1 && a.startsWith(b));

/** How much speaks for two clients being one. */
export function compareClients(one: DoubleClient, two: DoubleClient): Likeness {
  const tally = new Tally();
  const [a, b] = [clientKeys(one), clientKeys(two)];
  const alike = jaroWinkler(a.name, b.name);
  if (a.name === b.name) tally.add(3, 'the same name');
  else if (alike >= 0.93) tally.add(2, 'names that are spelt alike');
  else if (alike < 0.85) tally.add(-2, 'another name');
  if (a.postal && a.postal === b.postal) tally.add(2.5, 'the same postal address');
  else if (one.postcode && one.postcode === two.postcode) tally.add(1, 'the same postcode');
  else if (one.postcode && two.postcode) tally.add(-1, 'another postcode');
  const email = shared(one.emails, two.emails);
  if (email) tally.add(2, `both have ${email}`);
  const phone = shared(one.phones, two.phones);
  if (phone) tally.add(1.5, `both have ${phone}`);
  if (!email && shared(one.personIds, two.personIds) !== undefined) tally.add(1.5, 'the same people');
  if (one.kind !== two.kind) tally.add(-1, 'another kind of client');
  return tally.likeness();
}

class Tally {
  private score = 0;
  private readonly reasons: { weight: number; words: string }[] = [];

  add(weight: number, words: string): void {
    this.score += weight;
    this.reasons.push({ weight, words });
  }

  likeness(): Likeness {
    const speaking = [...this.reasons].sort((a, b) => b.weight - a.weight);
    const words = (sign: 1 | -1) =>
      speaking.filter(({ weight }) => weight * sign > 0).map(({ words: said }) => said);
    return { score: this.score, reasons: [...words(1), ...words(-1).map((said) => `but ${said}`)] };
  }
}
