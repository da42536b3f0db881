import { addressKey, isAddress } from '../address/address.ts';
import { countryCode } from '../address/country.ts';
import { readPhone } from '../address/phone.ts';
import { readDay } from '../office/day.ts';
import type { FactKind } from '../facts/catalogue.ts';
import type { Target } from './columns.ts';

/** What a row wants to stand in the register; what it says nothing of stays as it is. */
export interface Wanted {
  client: {
    name: string;
    set: Record<string, unknown>;
    phones: string[];
    tags: string[];
    interests: string[];
  };
  person: { set: Record<string, unknown>; emails: string[]; phones: string[]; role: string | null } | null;
  file: { number: string; set: Record<string, unknown> } | null;
  fee: { number: string; set: Partial<FeeSaid> } | null;
  /** Fields that name somebody else of the register. */
  links: Link[];
}

/** What a row says of a fee note. */
export interface FeeSaid {
  issuedOn: string;
  dueOn: string;
  amount: number;
  tax: number;
  paidOn: string;
  words: string;
}

/** A field of the firm's own that names a person, by an address, or a client, by the name. */
export interface Link {
  of: 'client' | 'person' | 'file';
  key: string;
  label: string;
  kind: 'person' | 'client';
  text: string;
}

/** A field of the firm's own, as a cell is read for it. */
export interface OwnField {
  id: number;
  of: 'client' | 'person' | 'file';
  label: string;
  kind: FactKind;
  choices: readonly { id: number; label: string }[];
}

/** What cells are read by: the office's own lists, in lower case, and its people. */
export interface Reckoning {
  today: string;
  country: string;
  services: ReadonlyMap<string, string>;
  stages: ReadonlyMap<string, string>;
  interests: ReadonlyMap<string, string>;
  /** By name and by address. */
  advisers: ReadonlyMap<string, number>;
  fields: ReadonlyMap<string, OwnField>;
}

/** A row as it is understood, or why it cannot be: sentences for a person. */
export type Understood = { wanted: Wanted; problems: null } | { wanted: null; problems: string[] };

const KINDS: Record<string, string> = {
  person: 'person',
  individual: 'person',
  couple: 'couple',
  company: 'company',
  limited: 'company',
  business: 'company',
  organisation: 'company',
  trust: 'trust',
  estate: 'estate',
  'public body': 'public body',
  council: 'public body',
};
const STATUSES: Record<string, string> = {
  active: 'active',
  current: 'active',
  client: 'active',
  past: 'past',
  former: 'past',
  inactive: 'past',
  closed: 'past',
  prospect: 'prospect',
  enquiry: 'prospect',
  lead: 'prospect',
};
const YES = ['yes', 'y', 'true', '1', 'x', 'ja', 'oui'];
const NO = ['no', 'n', 'false', '0', 'nein', 'non'];

const low = (text: string) => text.trim().toLowerCase();
const parts = (text: string) =>
  text
    .split(/[;|\n]|,(?!\d)/)
    .map((part) => part.trim())
    .filter(Boolean);

/**
 * Reads the cells of a row by what its columns hold. Empty cells say nothing.
 * @param columns what each column holds; null: it is left out
 */
export function understand(
  cells: readonly string[],
  columns: readonly (Target | null)[],
  by: Reckoning,
): Understood {
  const problems: string[] = [];
  const row = new Row(by, problems);
  columns.forEach((target, at) => {
    const cell = (cells[at] ?? '').trim();
    if (target && cell) row.take(target, cell);
  });
  const wanted = row.finish();
  return problems.length || !wanted ? { wanted: null, problems } : { wanted, problems: null };
}

/** A row while its cells are read. */
class Row {
  private readonly client: Record<string, unknown> = {};
  private readonly person: Record<string, unknown> = {};
  private readonly file: Record<string, unknown> = {};
  private readonly fee: Partial<FeeSaid> = {};
  private feeNumber = '';
  private readonly links: Link[] = [];
  private name = '';
  private number = '';
  private role: string | null = null;
  private readonly postal: string[] = [];
  private readonly lists = { tags: [] as string[], interests: [] as string[] };
  private readonly emails: string[] = [];
  private readonly phones = { client: [] as string[], person: [] as string[] };

  constructor(
    private readonly by: Reckoning,
    private readonly problems: string[],
  ) {}

  take(target: Target, cell: string): void {
    if (target.startsWith('field:')) return this.ownField(target, cell);
    const take = TAKEN[target as keyof typeof TAKEN];
    take(this, cell);
  }

  finish(): Wanted | null {
    if (this.postal.length) this.client.postal = this.postal.slice(0, 8);
    const named = [this.person.firstName, this.person.lastName].filter(Boolean).join(' ');
    // A list of people alone: each is a client.
    const name = this.name || named || '';
    if (!name && !this.number && !this.feeNumber) this.problems.push('It names neither a client nor a file.');
    if (!this.feeNumber && Object.keys(this.fee).length)
      this.problems.push('It says something of a fee note, but not its number.');
    const hasPerson = named !== '' || this.emails.length > 0;
    // A number without a person is the client's.
    if (!hasPerson) this.phones.client.push(...this.phones.person.splice(0));
    if (!hasPerson && (this.role || Object.keys(this.person).length))
      this.problems.push('It says something of a person, but neither a name nor an address.');
    if (!this.number && Object.keys(this.file).length && !this.file.title)
      this.problems.push('It says something of a file, but neither its number nor its title.');
    return {
      client: { name: name.slice(0, 200), set: this.client, phones: this.phones.client, ...this.lists },
      person: hasPerson
        ? { set: this.person, emails: this.emails, phones: this.phones.person, role: this.role }
        : null,
      file: this.number || this.file.title ? { number: this.number, set: this.file } : null,
      fee: this.feeNumber ? { number: this.feeNumber, set: this.fee } : null,
      links: this.links,
    };
  }

  /** @param most letters */
  text(of: 'client' | 'person' | 'file', field: string, cell: string, most: number): void {
    if (cell.length > most)
      this.problems.push(`“${cell.slice(0, 30)}…” is too long: ${most} letters at most.`);
    this[of][field] = cell.slice(0, most);
  }

  clientName(cell: string): void {
    if (cell.length > 200) this.problems.push('The name of the client is too long: 200 letters at most.');
    this.name = cell;
  }

  fileNumber(cell: string): void {
    if (cell.length > 40) this.problems.push('The file number is too long: 40 letters at most.');
    this.number = cell;
  }

  personRole(cell: string): void {
    this.role = cell.slice(0, 80);
  }

  postalLines(cell: string): void {
    this.postal.push(
      ...cell
        .split(/[\r\n;]/)
        .map((line) => line.trim().slice(0, 120))
        .filter(Boolean),
    );
  }

  among(
    of: 'client' | 'file',
    field: string,
    cell: string,
    known: ReadonlyMap<string, unknown> | Record<string, string>,
    what: string,
  ): void {
    const value = known instanceof Map ? known.get(low(cell)) : (known as Record<string, string>)[low(cell)];
    if (value === undefined) this.problems.push(`“${cell.slice(0, 60)}” is none of the ${what}.`);
    else this[of][field] = value;
  }

  /** Of the office's own country nothing is noted. */
  country(cell: string): void {
    const code = countryCode(cell);
    if (code === null) this.problems.push(`“${cell.slice(0, 60)}” is none of the countries we know.`);
    else this.client.country = code === this.by.country ? '' : code;
  }

  list(of: 'tags' | 'interests', cell: string): void {
    for (const name of parts(cell)) {
      if (of === 'tags') this.lists.tags.push(name.slice(0, 80));
      else {
        const known = this.by.interests.get(low(name));
        if (known === undefined)
          this.problems.push(`“${name.slice(0, 60)}” is none of the office’s interests.`);
        else this.lists.interests.push(known);
      }
    }
  }

  phone(of: 'client' | 'person', cell: string): void {
    for (const number of cell
      .split(/[;|\n]|,\s|\s\/\s/)
      .map((part) => part.trim())
      .filter(Boolean)) {
      if (!readPhone(number, this.by.country).valid)
        this.problems.push(`“${number.slice(0, 40)}” is no telephone number.`);
      else this.phones[of].push(number);
    }
  }

  email(cell: string): void {
    for (const each of parts(cell)) {
      const address = /<([^<>]{3,254})>/.exec(each)?.[1] ?? each.replace(/^mailto:/i, '');
      if (!isAddress(address)) this.problems.push(`“${each.slice(0, 60)}” is no email address.`);
      else if (!this.emails.some((known) => addressKey(known) === addressKey(address)))
        this.emails.push(address);
    }
  }

  wholeName(cell: string): void {
    const [last = '', first] = cell.split(/,\s*/, 2);
    if (first) Object.assign(this.person, { firstName: first.slice(0, 80), lastName: last.slice(0, 80) });
    else {
      const words = cell.split(/\s/).filter(Boolean);
      this.person.firstName = words.slice(0, -1).join(' ').slice(0, 80);
      this.person.lastName = (words.at(-1) ?? '').slice(0, 80);
    }
  }

  day(field: 'opened' | 'closed', cell: string): void {
    const day = dayOf(cell, this.by.today);
    if (day === null) this.problems.push(`“${cell.slice(0, 40)}” is no day.`);
    else this.file[field] = day;
  }

  year(cell: string): void {
    const year = Number(/\b(1[5-9]\d\d|2[01]\d\d)\b/.exec(cell)?.[1] ?? Number.NaN);
    if (Number.isNaN(year)) this.problems.push(`“${cell.slice(0, 40)}” is no year.`);
    else this.client.since = year;
  }

  feeNote(cell: string): void {
    if (cell.length > 40) this.problems.push('The number of the fee note is too long: 40 letters at most.');
    this.feeNumber = cell;
  }

  feeDay(field: 'issuedOn' | 'dueOn' | 'paidOn', cell: string): void {
    const day = dayOf(cell, this.by.today);
    if (day === null) this.problems.push(`“${cell.slice(0, 40)}” is no day.`);
    else this.fee[field] = day;
  }

  feeMoney(field: 'amount' | 'tax', cell: string): void {
    const number = numberOf(cell);
    if (number === undefined || number < 0) this.problems.push(`“${cell.slice(0, 40)}” is no amount.`);
    else this.fee[field] = Math.round(number * 100) / 100;
  }

  feeWords(cell: string): void {
    this.fee.words = cell.slice(0, 300);
  }

  get reckoning(): Reckoning {
    return this.by;
  }

  private ownField(key: string, cell: string): void {
    const field = this.by.fields.get(key);
    if (!field) return void this.problems.push('A column is put into a field that is not there any more.');
    const { of, label, kind } = field;
    if (kind === 'person' || kind === 'client')
      return void this.links.push({ of, key, label, kind, text: cell.slice(0, 254) });
    const value = fieldValue(field, cell, this.by.today);
    if (value === undefined) this.problems.push(`${field.label}: “${cell.slice(0, 60)}” cannot stand in it.`);
    else this[field.of][key] = value;
  }
}

const TAKEN: Record<Exclude<Target, `field:${number}`>, (row: Row, cell: string) => void> = {
  'client.name': (row, cell) => row.clientName(cell),
  'client.kind': (row, cell) => row.among('client', 'kind', cell, KINDS, 'kinds of client'),
  'client.status': (row, cell) =>
    row.among('client', 'status', cell, STATUSES, 'statuses: active, past, prospect'),
  'client.since': (row, cell) => row.year(cell),
  'client.service': (row, cell) =>
    row.among('client', 'service', cell, row.reckoning.services, 'office’s services'),
  'client.place': (row, cell) => row.text('client', 'place', cell, 200),
  'client.postal': (row, cell) => row.postalLines(cell),
  'client.country': (row, cell) => row.country(cell),
  'client.greeting': (row, cell) => row.text('client', 'greeting', cell, 120),
  'client.adviser': (row, cell) =>
    row.among('client', 'adviserId', cell, row.reckoning.advisers, 'office’s staff'),
  'client.note': (row, cell) => row.text('client', 'note', cell, 5000),
  'client.tags': (row, cell) => row.list('tags', cell),
  'client.interests': (row, cell) => row.list('interests', cell),
  'client.phone': (row, cell) => row.phone('client', cell),
  'person.title': (row, cell) => row.text('person', 'title', cell, 40),
  'person.firstName': (row, cell) => row.text('person', 'firstName', cell, 80),
  'person.lastName': (row, cell) => row.text('person', 'lastName', cell, 80),
  'person.name': (row, cell) => row.wholeName(cell),
  'person.email': (row, cell) => row.email(cell),
  'person.phone': (row, cell) => row.phone('person', cell),
  'person.role': (row, cell) => row.personRole(cell),
  'person.greeting': (row, cell) => row.text('person', 'greeting', cell, 120),
  'file.number': (row, cell) => row.fileNumber(cell),
  'file.title': (row, cell) => row.text('file', 'title', cell, 200),
  'file.stage': (row, cell) => row.among('file', 'stage', cell, row.reckoning.stages, 'office’s stages'),
  'file.opened': (row, cell) => row.day('opened', cell),
  'file.closed': (row, cell) => row.day('closed', cell),
  'fee.number': (row, cell) => row.feeNote(cell),
  'fee.issued': (row, cell) => row.feeDay('issuedOn', cell),
  'fee.due': (row, cell) => row.feeDay('dueOn', cell),
  'fee.amount': (row, cell) => row.feeMoney('amount', cell),
  'fee.tax': (row, cell) => row.feeMoney('tax', cell),
  'fee.paid': (row, cell) => row.feeDay('paidOn', cell),
  'fee.words': (row, cell) => row.feeWords(cell),
};

/** A day as tables write it, a time of day behind it left away. */
function dayOf(cell: string, today: string): string | null {
  return readDay(cell.replace(/[T ]\d{1,2}:\d{2}(?::\d{2})?(?:\.\d+)?Z?$/, ''), today);
}

/** @returns undefined where the cell cannot stand in the field */
function fieldValue({ kind, choices }: OwnField, cell: string, today: string): unknown {
  const choice = (label: string) => choices.find((each) => low(each.label) === low(label))?.id;
  switch (kind) {
    case 'number':
    case 'money':
      return numberOf(cell);
    case 'date':
      return dayOf(cell, today) ?? undefined;
    case 'yes or no':
      return YES.includes(low(cell)) ? true : NO.includes(low(cell)) ? false : undefined;
    case 'choice':
      return choice(cell);
    case 'choices': {
      const ids = parts(cell).map(choice);
      return ids.includes(undefined) ? undefined : ids;
    }
    case 'person':
    case 'client':
      return undefined;
    case 'text':
      return cell.length > 500 ? undefined : cell;
    case 'long text':
      return cell.length > 20_000 ? undefined : cell;
  }
}

/** A number with a unit or a currency's sign around it, thousands parted or not, a comma or a point before decimals. */
function numberOf(cell: string): number | undefined {
  const bare = cell.replace(/[^\d.,-]/g, '').replace(/[.,]$/, '');
  if (!/\d/.test(bare)) return undefined;
  const decimal = Math.max(bare.lastIndexOf(','), bare.lastIndexOf('.'));
  const several = (bare.match(/[.,]/g)?.length ?? 0) > 1;
  const both = bare.includes(',') && bare.includes('.');
  // 1,200 and 1.200.000 are parted by thousands; 1.200 is taken for what the office's own country means by it.
  const thousands = !both && (several || /^-?[1-9]\d{0,2},\d{3}$/.test(bare));
  const whole =
    decimal < 0 || thousands
      ? bare.replace(/[.,]/g, '')
      : `${bare.slice(0, decimal).replace(/[.,]/g, '')}.${bare.slice(decimal + 1)}`;
  const number = Number(whole);
  return Number.isFinite(number) && Math.abs(number) < 1e14 ? number : undefined;
}
