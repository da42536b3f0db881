import { addressKey } from '../core/address/address.ts';
import { pick, seeded } from '../outside/random.ts';
import type { Behaviour, Correspondent } from '../outside/settings.ts';
import { FIRST_NAMES, FREEMAIL, GENERAL, LAST_NAMES, MATTERS, placeName, type Matter } from './names.ts';

export const FIRM = {
  name: 'Quillhurst Land Advisers',
  domains: ['quillhurst.example'],
  fileNumberPattern: 'QL-\\d{5}',
  freemail: [...FREEMAIL],
  personalFolders: ['Personal', 'Private'],
  filingAddress: 'office+tofile@quillhurst.example',
  zone: 'Europe/London',
  postal: ['The Wool Loft', 'Quillhurst', 'Q1 4LA'],
  phone: '01632 960 100',
  country: 'GB',
  // As `npm start` serves it unless told otherwise.
  webAddress: 'http://127.0.0.1:4310',
  hours: { days: [1, 2, 3, 4, 5], from: '08:30', until: '17:30' },
  holidays: [],
  numberExamples: ['QL-24052'],
  firstNumber: '',
  numbersAnew: false,
  secondStep: false,
  settled: ['hours'],
  paper: {
    logo: null,
    logoWidth: 40,
    colour: '#1F5547',
    reach: '01632 960 100\noffice@quillhurst.example\nwww.quillhurst.example',
    foot: 'Advice is given on our terms of business. Registered in Quillshire under 30417.',
    window: 'left' as const,
    foldMarks: true,
    currency: 'GBP',
    taxName: 'VAT',
    howToPay:
      'By transfer to Quillhurst Land Advisers, sort code 00-00-00, account 12345678,\nor with the slip below.',
  },
  notice:
    'Quillhurst Land Advisers, The Wool Loft, Quillhurst, Q1 4LA. Advice is given on our terms of business.',
};
/** The stages of a file, in their order. */
export const STAGES = [
  'Survey',
  'Drawing up',
  'With the agency',
  'Waiting for the season',
  'In hand',
  'Closed',
];
export const FIRM_DOMAIN = 'quillhurst.example';
/** The address on the letterhead, read by several. */
export const OFFICE = `office@${FIRM_DOMAIN}`;

export interface DemoStaff {
  id: number;
  name: string;
  email: string;
  phone: string;
  title: string;
  role: 'manager' | 'adviser' | 'assistant';
}

/** Telephone numbers from the range kept for drama, 01632 960000 to 960999. */
export const STAFF: DemoStaff[] = [
  {
    id: 1,
    name: 'Maren Okell',
    email: 'maren.okell@quillhurst.example',
    phone: '01632 960011',
    title: 'Office manager',
    role: 'manager',
  },
  {
    id: 2,
    name: 'Tobias Fenn',
    email: 'tobias.fenn@quillhurst.example',
    phone: '01632 960012',
    title: 'Rivers and meadows',
    role: 'adviser',
  },
  {
    id: 3,
    name: 'Ines Calder',
    email: 'ines.calder@quillhurst.example',
    phone: '01632 960013',
    title: 'Woodland',
    role: 'adviser',
  },
  {
    id: 4,
    name: 'Rufus Adair',
    email: 'rufus.adair@quillhurst.example',
    phone: '01632 960014',
    title: 'Farms and tenancies',
    role: 'adviser',
  },
  {
    id: 5,
    name: 'Petra Lund',
    email: 'petra.lund@quillhurst.example',
    phone: '01632 960015',
    title: 'Assistant',
    role: 'assistant',
  },
];

export interface DemoPerson {
  id: number;
  firstName: string;
  lastName: string;
  addresses: { email: string; current: boolean }[];
  role: string;
}

export interface DemoFile {
  id: number;
  number: string;
  title: string;
  matter: Matter;
  general: boolean;
  opened: string;
  closed: string | null;
  stage: string;
}

export interface DemoClient {
  id: number;
  name: string;
  kind: 'person' | 'couple' | 'company' | 'trust' | 'estate' | 'public body';
  status: 'active' | 'past' | 'prospect';
  since: number;
  service: string | null;
  place: string;
  postal: string[];
  greeting: string | null;
  adviserId: number;
  holding: number;
  woodland: number;
  review: string;
  interestIds: number[];
  people: DemoPerson[];
  files: DemoFile[];
}

export interface DemoRegister {
  clients: DemoClient[];
  /** Contractors and the like: people of several clients. */
  thirdParties: { person: DemoPerson; clientIds: number[] }[];
  optOuts: string[];
  correspondents: Correspondent[];
}

/** What mailings are about. */
export const TOPICS = ['News of grants', 'Orchard days', 'River mornings'];
export const INTERESTS = ['Estate walks', 'Orchard days', 'River mornings'];
export const SERVICES = ['Annual retainer', 'Project', 'By the hour'];
const CLIENTS = 212;
const FILES = 388;

/** Makes the firm's records; the same seed and day give the same records. */
export function makeRegister(
  seed: string,
  today: Date,
  clientCount = CLIENTS,
  fileCount = FILES,
): DemoRegister {
  const random = seeded(`${seed} register`);
  const maker = new RegisterMaker(random, today.getUTCFullYear());
  const clients = [...maker.drawn()];
  const names = new Set(clients.map((client) => client.name));
  while (clients.length < clientCount) {
    const client = maker.client(clients.length + 1);
    if (names.has(client.name)) continue;
    names.add(client.name);
    clients.push(client);
  }
  maker.addFiles(clients, fileCount);
  const thirdParties = maker.thirdParties(clients);
  return {
    clients,
    thirdParties,
    optOuts: maker.optOuts(clients),
    correspondents: correspondents(clients, thirdParties, random),
  };
}

class RegisterMaker {
  private nextPerson = 1;
  private nextFile = 1;
  private readonly used = new Set<string>();

  constructor(
    private readonly random: () => number,
    private readonly year: number,
  ) {}

  /** The clients of the drawings, by name. */
  drawn(): DemoClient[] {
    const person = (firstName: string, lastName: string, role: string, ...emails: string[]): DemoPerson => ({
      id: this.nextPerson++,
      firstName,
      lastName,
      role,
      addresses: emails.map((email, index) => ({ email, current: index === 0 })),
    });
    const shell = (
      id: number,
      name: string,
      kind: DemoClient['kind'],
      adviserId: number,
      woodland: number,
      people: DemoPerson[],
    ): DemoClient => ({
      ...this.shell(id, name, kind),
      status: 'active',
      adviserId,
      woodland,
      people,
    });
    return [
      {
        ...shell(1, 'Cosmo & Bryony Farrant', 'couple', 2, 11, [
          person('Cosmo', 'Farrant', 'Owner', 'cosmo@farrantmill.example'),
          person('Bryony', 'Farrant', 'Owner', 'bryony@farrantmill.example'),
        ]),
        place: 'Farrant Mill, Upper Tarn',
        postal: ['Farrant Mill', 'Upper Tarn', 'Q7 2FM'],
        since: 2016,
        service: 'Annual retainer',
        holding: 64,
      },
      shell(2, 'Brackenholt Estate', 'estate', 3, 212.4, [
        person('Hal', 'Orrin', 'Land agent', 'office@brackenholt.example'),
      ]),
      shell(3, 'Odile Hartsmere', 'person', 2, 14.2, [
        person('Odile', 'Hartsmere', 'Owner', 'odile.hartsmere@postbox.example'),
      ]),
      shell(4, 'Pell Family Trust', 'trust', 4, 38.9, [
        person('Idris', 'Pell', 'Trustee', 'idris.pell@larkmail.example'),
      ]),
      {
        ...shell(5, 'Low Wray Commoners', 'public body', 3, 17.5, [
          person('', 'Secretary', 'Secretary', 'secretary@lowwray.example'),
        ]),
      },
      {
        ...shell(6, 'Ashgill Parish Council', 'public body', 4, 10.6, [
          person('Nessa', 'Thwaite', 'Clerk', 'clerk@ashgillparish.example'),
        ]),
        greeting: 'the clerk',
      },
      shell(7, 'Dunstan Oake', 'person', 4, 26, [
        person('Dunstan', 'Oake', 'Owner', 'dunstan@oakefarm.example'),
      ]),
    ];
  }

  private shell(id: number, name: string, kind: DemoClient['kind']): DemoClient {
    const { random } = this;
    const place = `${placeName(random(), random())}, ${placeName(random(), random())}`;
    const holding = Math.round((4 + random() ** 3 * 600) * 10) / 10;
    const wooded = random() < 0.85 ? Math.round(holding * random() * 0.5 * 10) / 10 : 0;
    const fate = random();
    return {
      id,
      name,
      kind,
      status: fate < 0.93 ? 'active' : fate < 0.97 ? 'past' : 'prospect',
      since: this.year - 1 - Math.floor(random() * 18),
      service: pick(random, SERVICES),
      place,
      postal: [
        ...place.split(', '),
        `Q${1 + Math.floor(random() * 19)} ${1 + Math.floor(random() * 9)}${pick(random, ['AB', 'DL', 'FN', 'HW', 'RT', 'YS'])}`,
      ],
      greeting: null,
      adviserId: 2 + Math.floor(random() * 3),
      holding,
      woodland: wooded,
      review: `${this.year + (random() < 0.6 ? 0 : 1)}-${String(1 + Math.floor(random() * 12)).padStart(2, '0')}-${String(1 + Math.floor(random() * 28)).padStart(2, '0')}`,
      interestIds: INTERESTS.map((_, index) => index + 1).filter(() => random() < 0.35),
      people: [],
      files: [],
    };
  }

  client(id: number): DemoClient {
    const { random } = this;
    const lastName = pick(random, LAST_NAMES);
    const place = placeName(random(), random());
    const kind = random();
    const host = (words: string) => `${words.toLowerCase().replace(/[^a-z]/g, '')}.example`;
    if (kind < 0.3) return this.household(id, lastName, false);
    if (kind < 0.5) return this.household(id, lastName, true);
    if (kind < 0.68)
      return this.organisation(id, `${place} Farm`, 'company', host(`${place}farm`), lastName, [
        'Partner',
        'Farm manager',
      ]);
    if (kind < 0.8)
      return this.organisation(id, `${place} Estate`, 'estate', host(`${place}estate`), lastName, [
        'Land agent',
        'Owner',
      ]);
    if (kind < 0.88)
      return this.organisation(id, `${lastName} Settlement`, 'trust', null, lastName, ['Trustee', 'Trustee']);
    if (kind < 0.94)
      return this.organisation(
        id,
        `${place} Parish Council`,
        'public body',
        host(`${place}parish`),
        lastName,
        ['Clerk'],
      );
    return this.organisation(id, `${place} Orchards`, 'company', host(`${place}orchards`), lastName, [
      'Grower',
      'Packhouse',
    ]);
  }

  private household(id: number, lastName: string, couple: boolean): DemoClient {
    const first = pick(this.random, FIRST_NAMES);
    const people = [this.person(first, lastName, 'Owner', null)];
    if (couple) {
      const second = pick(
        this.random,
        FIRST_NAMES.filter((name) => name !== first),
      );
      people.push(this.person(second, lastName, 'Owner', null));
      return { ...this.shell(id, `${first} & ${second} ${lastName}`, 'couple'), people };
    }
    return { ...this.shell(id, `${first} ${lastName}`, 'person'), people };
  }

  private organisation(
    id: number,
    name: string,
    kind: DemoClient['kind'],
    domain: string | null,
    lastName: string,
    roles: string[],
  ): DemoClient {
    const count = 1 + Math.floor(this.random() * roles.length);
    const people = roles
      .slice(0, count)
      .map((role, index) =>
        this.person(
          pick(this.random, FIRST_NAMES),
          index ? pick(this.random, LAST_NAMES) : lastName,
          role,
          domain,
        ),
      );
    return { ...this.shell(id, name, kind), people };
  }

  private person(firstName: string, lastName: string, role: string, domain: string | null): DemoPerson {
    const host = domain ?? pick(this.random, FREEMAIL);
    const local = `${firstName}.${lastName}`.toLowerCase();
    const addresses = [{ email: this.free(local, host), current: true }];
    if (this.random() < 0.12)
      addresses.push({
        email: this.free(`${lastName}${firstName[0]}`.toLowerCase(), pick(this.random, FREEMAIL)),
        current: false,
      });
    return {
      id: this.nextPerson++,
      firstName,
      lastName,
      role,
      addresses: this.random() < 0.03 ? [] : addresses,
    };
  }

  private free(local: string, host: string): string {
    let email = `${local}@${host}`;
    for (let number = 2; this.used.has(email); number++) email = `${local}${number}@${host}`;
    this.used.add(email);
    return email;
  }

  addFiles(clients: DemoClient[], count: number): void {
    const { random, year } = this;
    const numbers = new Map<number, number>();
    const number = (opened: number) => {
      const serial = (numbers.get(opened) ?? 0) + 1;
      numbers.set(opened, serial);
      return `QL-${String(opened % 100).padStart(2, '0')}${String(serial).padStart(3, '0')}`;
    };
    const add = (client: DemoClient, matter: Matter, opened: number, closed: boolean, fixed?: string) =>
      client.files.push({
        id: this.nextFile++,
        number: fixed ?? number(opened),
        title: matter.title,
        matter,
        general: matter === GENERAL,
        opened: `${opened}-${String(1 + Math.floor(random() * 9)).padStart(2, '0')}-${String(1 + Math.floor(random() * 27)).padStart(2, '0')}`,
        closed: closed
          ? `${Math.min(opened + 1, year - 1)}-10-${String(1 + Math.floor(random() * 27)).padStart(2, '0')}`
          : null,
        stage: closed
          ? 'Closed'
          : pick(random, ['Survey', 'Drawing up', 'With the agency', 'In hand', 'Waiting for the season']),
      });
    for (const client of clients) add(client, GENERAL, Math.max(client.since, year - 9), false);
    const farrant = clients[0];
    const matter = (title: string) => MATTERS.find((each) => each.title === title) ?? GENERAL;
    let made = clients.length;
    if (farrant) {
      add(
        farrant,
        { ...matter('River bank repair'), title: 'River bank repair, Farrant Mill' },
        year - 2,
        false,
      );
      add(farrant, matter('Water meadow grant'), year - 2, false);
      add(farrant, matter('Boundary survey'), year - 5, true);
      made += 3;
    }
    for (let round = 0; made < count; round++) {
      for (const client of clients.slice(1)) {
        if (made >= count) break;
        if (random() > (round === 0 ? 0.55 : 0.2)) continue;
        const taken = client.files.map((file) => file.title);
        const left = MATTERS.filter((each) => !taken.includes(each.title));
        if (!left.length) continue;
        const opened = year - Math.floor(random() * 4);
        add(client, pick(random, left), opened, opened < year - 1 && random() < 0.5);
        made++;
      }
    }
  }

  thirdParties(clients: DemoClient[]) {
    const trades: [string, string, string, string][] = [
      ['Tam', 'Wexcombe', 'Contractor', 'tam@wexcombecontracting.example'],
      ['Gwenda', 'Birkett', 'Solicitor', 'g.birkett@birkettlyle.example'],
      ['Ossian', 'Rill', 'River agency', 'o.rill@riversoffice.example'],
      ['Juno', 'Maddern', 'Accountant', 'juno@maddernbooks.example'],
    ];
    return trades.map(([firstName, lastName, role, email]) => ({
      person: { id: this.nextPerson++, firstName, lastName, role, addresses: [{ email, current: true }] },
      clientIds: clients
        .filter((client) => client.files.some((file) => !file.general && !file.closed))
        .filter(() => this.random() < 0.06)
        .map((client) => client.id),
    }));
  }

  optOuts(clients: DemoClient[]): string[] {
    const addresses = clients.slice(8).map((client) => client.people[0]?.addresses[0]?.email);
    return [addresses[20], addresses[60], addresses[110]]
      .filter((email) => email !== undefined)
      .map(addressKey);
  }
}

const ODD_WAYS: [Behaviour, number][] = [
  ['unknown', 3],
  ['reported', 2],
  ['full', 1],
  ['later', 2],
  ['out-of-office', 5],
  ['other-address', 6],
  ['no-references', 8],
  ['silent', 30],
];

/** Everyone with an address answers mail in some way; a few in the ways that go wrong. */
function correspondents(
  clients: DemoClient[],
  thirdParties: { person: DemoPerson }[],
  random: () => number,
): Correspondent[] {
  const people = [
    ...clients.flatMap((client) => client.people),
    ...thirdParties.map((party) => party.person),
  ];
  const list: Correspondent[] = people.flatMap((person) =>
    person.addresses.map(({ email, current }) => ({
      address: email,
      name: `${person.firstName} ${person.lastName}`.trim(),
      behaviour: current ? 'ordinary' : 'unknown',
      ...(person.addresses[1] && current ? { otherAddress: person.addresses[1].email } : {}),
    })),
  );
  const ordinary = list.filter((each) => each.behaviour === 'ordinary').slice(8);
  for (const [behaviour, count] of ODD_WAYS) {
    for (let index = 0; index < count && ordinary.length; index++) {
      const [chosen] = ordinary.splice(Math.floor(random() * ordinary.length), 1);
      if (!chosen) break;
      chosen.behaviour = behaviour;
      if (behaviour === 'other-address') chosen.otherAddress ??= chosen.address.replace('@', '.field@');
    }
  }
  return list;
}
