import type { DoubleClient, DoublePerson } from '../core/doubles/compare.ts';
import { jaroWinkler } from '../core/doubles/measures.ts';
import { allSteps, doubleClients, doublePeople, type Pair } from '../core/doubles/find.ts';
import { FIRST_NAMES, LAST_NAMES, placeName } from '../demo/names.ts';
import { pick, seeded } from '../outside/random.ts';
import { result } from './ground.ts';

const CLIENTS = 100_000;
const PEOPLE = 2.5;
/** One in so many is here twice. */
const TWICE = 50;
/** Names are made longer, or a whole town would bear one. */
const ENDINGS = ['', 'son', 'ley', 'ham', 'wick', 'er', 'by', 'ton', 'well', 'more'];

/**
 * How long it takes to look a large register through for doubles, beside comparing its names one after the other with
 * nothing but the measure; how many of those that were put in are found, and how many are found that were not.
 */
export async function benchDoubles(clients = CLIENTS): Promise<void> {
  const random = seeded('doubles');
  const last = () => `${pick(random, LAST_NAMES)}${pick(random, ENDINGS)}`;
  const register = { people: [] as DoublePerson[], clients: [] as DoubleClient[] };
  const twice = { people: new Set<string>(), clients: new Set<string>() };
  for (let n = 1; n <= clients; n++) {
    const postcode = `Q${Math.floor(random() * 100)} ${Math.floor(random() * 10)}${pick(random, ['AA', 'BD', 'CF', 'XT'])}`;
    const family = last();
    let first = Math.floor(random() * FIRST_NAMES.length);
    const here = Array.from({ length: 1 + Math.floor(random() * (2 * PEOPLE - 1)) }, () => {
      const person: DoublePerson = {
        id: register.people.length + 1,
        // Two of one household do not bear one name.
        firstName: FIRST_NAMES[(first += 1 + Math.floor(random() * 9)) % FIRST_NAMES.length] ?? '',
        lastName: random() < 0.6 ? family : last(),
        emails: random() < 0.9 ? [`p${register.people.length}@m${n % 900}.example`] : [],
        phones: random() < 0.6 ? [`+44${1_000_000 + register.people.length}`] : [],
        clientIds: [n],
        postcodes: [postcode],
      };
      register.people.push(person);
      return person;
    });
    register.clients.push({
      id: n,
      name:
        random() < 0.5
          ? `${here[0]?.firstName} ${family}`
          : `${placeName(random(), random())} ${pick(random, ['Estate', 'Farm', 'Trust', 'Ltd'])}`,
      kind: 'person',
      postal: `${n} ${placeName(random(), random())} Lane ${postcode}`,
      postcode,
      phones: random() < 0.4 ? [`+449${n}`] : [],
      emails: here.flatMap(({ emails }) => emails),
      personIds: here.map(({ id }) => id),
    });
  }
  const misspelt = (name: string) => {
    const at = 1 + Math.floor(random() * (name.length - 2));
    return random() < 0.5
      ? name.slice(0, at) + name.slice(at + 1)
      : `${name.slice(0, at)}${name[at + 1] ?? ''}${name[at] ?? ''}${name.slice(at + 2)}`;
  };
  for (const person of [...register.people])
    if (person.id % TWICE === 0) {
      const id = register.people.length + 1;
      // Each keeps something of the first: an address, a telephone or where they are, as those have who were entered twice.
      const how = id % 4;
      register.people.push({
        ...person,
        id,
        firstName: how === 0 ? (person.firstName[0] ?? '') : person.firstName,
        lastName: how === 1 ? misspelt(person.lastName) : person.lastName,
        emails: how === 3 ? [] : person.emails,
        phones: how === 2 ? [] : person.phones,
      });
      twice.people.add(`${person.id} ${id}`);
    }
  for (const client of [...register.clients])
    if (client.id % TWICE === 0) {
      const id = register.clients.length + 1;
      register.clients.push({
        ...client,
        id,
        name: id % 2 ? misspelt(client.name) : client.name,
        postal: id % 3 ? client.postal : '',
        personIds: [],
        emails: id % 3 ? [] : client.emails,
      });
      twice.clients.add(`${client.id} ${id}`);
    }
  const raw = performance.now();
  let sum = 0;
  for (const [at, person] of register.people.entries())
    sum += jaroWinkler(person.lastName, register.people[at - 1]?.lastName ?? '');
  const limit = performance.now() - raw;
  const began = performance.now();
  const found = {
    people: allSteps(doublePeople(register.people)),
    clients: allSteps(doubleClients(register.clients)),
  };
  const ours = performance.now() - began;
  const score = (pairs: readonly Pair[], wanted: ReadonlySet<string>) => {
    const right = pairs.filter(({ a, b }) => wanted.has(`${a} ${b}`)).length;
    return { found: right / wanted.size, others: pairs.length - right };
  };
  const people = score(found.people, twice.people);
  const firms = score(found.clients, twice.clients);
  console.log(
    `${register.people.length} people and ${register.clients.length} clients (${sum > 0 ? 'compared' : ''})`,
  );
  console.log(
    `limit: each name measured against one other, ${limit.toFixed(0)} ms; ours: ${ours.toFixed(0)} ms`,
  );
  console.log(
    `people: ${(100 * people.found).toFixed(1)} % of ${twice.people.size} found, ${people.others} others`,
  );
  console.log(
    `clients: ${(100 * firms.found).toFixed(1)} % of ${twice.clients.size} found, ${firms.others} others`,
  );
  result('doubles', {
    limit,
    ours,
    ratio: ours / limit,
    peopleFound: people.found,
    peopleOthers: people.others,
    clientsFound: firms.found,
    clientsOthers: firms.others,
  });
}
