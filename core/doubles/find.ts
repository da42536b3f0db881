import {
  clientKeys,
  compareClients,
  comparePeople,
  personNames,
  PROBABLE,
  type DoubleClient,
  type DoublePerson,
  type Likeness,
} from './compare.ts';

/** Two records that may be one, the smaller number first. */
export interface Pair extends Likeness {
  a: number;
  b: number;
}

/**
 * What more records than this have in common says nothing of any two: the telephone of an office, a whole village's
 * postcode with a common name. It keeps the work linear in the number of records.
 */
const MOST_ALIKE = 30;
/** Letters of a name that two spellings of it mostly share. */
const BEGINNING = 3;

/** A long work in small steps, between which others have their turn. */
export type Steps<R> = Generator<undefined, R, undefined>;

/** Does all the steps of a work at once. */
export function allSteps<R>(steps: Steps<R>): R {
  for (;;) {
    const { done, value } = steps.next();
    if (done) return value;
  }
}

/** People who are probably the same, the likeliest first. */
export function doublePeople(people: readonly DoublePerson[]): Steps<Pair[]> {
  return pairsAmong(people, keysOfPerson, comparePeople);
}

/** Clients who are probably the same, the likeliest first. */
export function doubleClients(clients: readonly DoubleClient[]): Steps<Pair[]> {
  return pairsAmong(clients, keysOfClient, compareClients);
}

/** What two people have in common before they are compared at all: anything that may lead to enough evidence. */
function keysOfPerson(person: DoublePerson): string[] {
  const { emails, phones, clientIds, postcodes } = person;
  const beginnings = personNames(person).flatMap((name) => (name ? [name.slice(0, BEGINNING)] : []));
  return [
    ...emails.map((email) => `e ${email}`),
    ...phones.map((phone) => `t ${phone}`),
    ...clientIds.flatMap((client) => beginnings.map((name) => `c ${client} ${name}`)),
    ...postcodes.flatMap((code) => beginnings.map((name) => `p ${code} ${name}`)),
  ];
}

function keysOfClient(client: DoubleClient): string[] {
  const { postcode, phones, emails, personIds } = client;
  const { name: key, postal: place } = clientKeys(client);
  return [
    `n ${key}`,
    // Two spellings of one name differ in one word, mostly.
    ...(postcode ? key.split(' ').map((word) => `p ${postcode} ${word.slice(0, BEGINNING)}`) : []),
    ...(place ? [`a ${place}`] : []),
    ...phones.map((phone) => `t ${phone}`),
    ...emails.map((email) => `e ${email}`),
    ...personIds.map((person) => `h ${person}`),
  ];
}

function* pairsAmong<R extends { id: number }>(
  records: readonly R[],
  keysOf: (record: R) => readonly string[],
  compare: (one: R, two: R) => Likeness,
): Steps<Pair[]> {
  const groups = new Map<string, R[]>();
  for (const record of records) {
    for (const key of new Set(keysOf(record))) {
      const group = groups.get(key);
      if (group) group.push(record);
      else groups.set(key, [record]);
    }
    yield;
  }
  const seen = new Set<string>();
  const pairs: Pair[] = [];
  for (const group of groups.values()) {
    if (group.length < 2 || group.length > MOST_ALIKE) continue;
    yield;
    for (const [at, one] of group.entries())
      for (const two of group.slice(at + 1)) {
        const [a, b] = one.id < two.id ? [one.id, two.id] : [two.id, one.id];
        const key = `${a} ${b}`;
        if (a === b || seen.has(key)) continue;
        seen.add(key);
        const likeness = compare(one, two);
        if (likeness.score >= PROBABLE) pairs.push({ a, b, ...likeness });
      }
  }
  return pairs.sort((x, y) => y.score - x.score || x.a - y.a || x.b - y.b);
}
