import { addressKey, nameKey } from '../address/address.ts';
import { readPhone } from '../address/phone.ts';
import type { FeeSaid, Link, Wanted } from './plan.ts';

/** A record as it stands: built-in fields, and the firm's own as `field:12`. */
export type Standing = Record<string, unknown>;
interface Phone {
  number: string;
  purpose: string;
}
interface Address {
  email: string;
  current: boolean;
  purpose: string;
}

/** Somebody of the register, or of a row before; without a number while nothing is written. */
export interface KnownPerson {
  id: number | null;
  record: Standing & { firstName: string; lastName: string; addresses: Address[]; phones: Phone[] };
  role: string;
}
export interface KnownFile {
  id: number | null;
  number: string;
  title: string;
  record: Standing;
}
export interface KnownFee {
  id: number | null;
  number: string;
  record: Partial<FeeSaid> & { fileNumber: string | null };
}
export interface KnownClient {
  id: number | null;
  /** It was made a moment ago, by a row before. */
  isNew?: boolean;
  name: string;
  record: Standing & { tags: string[]; interests: string[]; phones: Phone[] };
  people: KnownPerson[];
  files: KnownFile[];
}

/** Who and what of the register a row may mean. */
export interface Meant {
  /** Clients of the row's name. */
  clients: readonly KnownClient[];
  /** The file of the row's number, and whose it is. */
  file: { file: KnownFile; client: KnownClient } | null;
  /** The fee note of the row's number, and whose it is. */
  fee: { fee: KnownFee; client: KnownClient } | null;
  /** Whom a field names; null: nobody, or more than one. */
  linked(link: Link): number | null;
  /** Somebody at one of the row's addresses who is not of the client. */
  elsewhere: KnownPerson | null;
}

/** What a row makes of one record: fields that are set, those of a new one among them. */
export interface Part<K> {
  /** The one it changes; a new one is added to what is known. */
  known: K;
  fresh: boolean;
  after: Standing;
}

/** What becomes of a row. */
export interface Plan {
  outcome: 'add' | 'change' | 'same' | 'refused';
  /** What it does, or why it is refused, for a person. */
  words: string[];
  client: Part<KnownClient> | null;
  person: (Part<KnownPerson> & { joins: boolean; role: string | null }) | null;
  file: Part<KnownFile> | null;
  fee: Part<KnownFee> | null;
}

/** A row of which nothing is done. @param words why, for a person */
export const refused = (...words: string[]): Plan => ({
  outcome: 'refused',
  words,
  client: null,
  person: null,
  file: null,
  fee: null,
});

/**
 * Decides what becomes of a row. What is known afterwards has been brought up to it, so that the next row of the same
 * client finds what this one adds; nothing is written.
 * @param existing whether fields of records that are here already are changed, or left as they are
 */
export function decideRow(wanted: Wanted, meant: Meant, existing: 'change' | 'leave', country: string): Plan {
  const { file: named } = meant;
  if (meant.clients.length > 1 && !named)
    return refused(
      `${meant.clients.length} clients bear the name ${wanted.client.name}. Give a file number of theirs.`,
    );
  if (named && wanted.client.name && nameKey(named.client.name) !== nameKey(wanted.client.name))
    return refused(`File ${named.file.number} is ${named.client.name}’s, not ${wanted.client.name}’s.`);
  const found = named?.client ?? meant.clients[0] ?? meant.fee?.client ?? null;
  if (!found && !wanted.client.name)
    return refused(
      wanted.file
        ? `There is no file ${wanted.file.number}, and no client is named.`
        : `There is no fee note ${wanted.fee?.number ?? ''}, and no client is named.`,
    );
  const unlinked = linkFields(wanted, meant);
  if (unlinked) return refused(unlinked);
  const changes = existing === 'change';
  const fee = feePart(wanted, meant, found, changes);
  if (typeof fee === 'string') return refused(fee);
  const client = clientPart(wanted, found, changes, country);
  const person = personPart(wanted, client.known, meant.elsewhere, changes, country);
  const file = filePart(wanted, client.known, named?.file ?? null, changes);
  const words = [...clientWords(client), ...personWords(person), ...fileWords(file), ...feeWords(fee)];
  const parts = [client, person, file, fee].filter((part) => part !== null);
  bringUp(client, person, file);
  if (fee) Object.assign(fee.known.record, fee.after);
  const outcome = client.fresh ? 'add' : words.length ? 'change' : 'same';
  const left = !words.length && !changes && parts.length ? ['Here already; left as it is.'] : words;
  return { outcome, words: left, client, person, file, fee };
}

/** Puts into the row whom its fields name. @returns what is wrong, if anything */
function linkFields(wanted: Wanted, meant: Meant): string | null {
  for (const link of wanted.links) {
    const id = meant.linked(link);
    if (id === null)
      return `${link.label}: “${link.text.slice(0, 60)}” is ${link.kind === 'person' ? 'nobody’s address here, or several people’s' : 'no client here, or several'}.`;
    const part = wanted[link.of];
    if (part) part.set[link.key] = id;
  }
  return null;
}

/** What a row makes of a fee note. @returns why not, in words */
function feePart(
  { fee: wanted, file, client }: Wanted,
  { fee: known }: Meant,
  found: KnownClient | null,
  changes: boolean,
): Part<KnownFee> | null | string {
  if (!wanted) return null;
  if (known && known.client !== found)
    return `Fee note ${wanted.number} is ${known.client.name}’s, not ${found?.name ?? client.name}’s.`;
  const now = known?.fee.record ?? { fileNumber: null };
  const set: Standing = { ...wanted.set, ...(file?.number ? { fileNumber: file.number } : {}) };
  if (!known) {
    if (!wanted.set.issuedOn || wanted.set.amount === undefined)
      return `Fee note ${wanted.number} is new: the day it was issued and its amount are wanted.`;
    set.dueOn ??= wanted.set.issuedOn;
    set.tax ??= 0;
  }
  const { issuedOn = '', dueOn = '', amount = 0, tax = 0 } = { ...now, ...set } as Partial<FeeSaid>;
  if (dueOn < issuedOn) return `Fee note ${wanted.number} cannot be due before it is issued.`;
  if (tax > amount) return `The tax of fee note ${wanted.number} is more than its amount.`;
  const fee: KnownFee = known?.fee ?? { id: null, number: wanted.number, record: { fileNumber: null } };
  return { known: fee, fresh: !known, after: changes || !known ? differing(set, now) : {} };
}

function clientPart(
  wanted: Wanted,
  found: KnownClient | null,
  changes: boolean,
  country: string,
): Part<KnownClient> {
  const { name, set, phones, tags, interests } = wanted.client;
  const known: KnownClient = found ?? {
    id: null,
    name,
    record: { tags: [], interests: [], phones: [] },
    people: [],
    files: [],
  };
  const after: Standing = changes || !found ? differing(set, known.record) : {};
  if (changes || !found) {
    joined(after, known.record, 'tags', tags);
    joined(after, known.record, 'interests', interests);
    joinedPhones(after, known.record, phones, country);
  }
  return { known, fresh: !found, after };
}

function personPart(
  { person: wanted }: Wanted,
  client: KnownClient,
  elsewhere: KnownPerson | null,
  changes: boolean,
  country: string,
): Plan['person'] {
  if (!wanted) return null;
  const here = whoIs(wanted, client.people);
  const found = here ?? (elsewhere && whoIs(wanted, [elsewhere]));
  const known: KnownPerson = found ?? {
    id: null,
    record: { firstName: '', lastName: '', addresses: [], phones: [] },
    role: '',
  };
  const may = changes || !found;
  const after: Standing = may ? differing(wanted.set, known.record) : {};
  if (may) {
    const fresh = wanted.emails.filter(
      (email) => !known.record.addresses.some((each) => addressKey(each.email) === addressKey(email)),
    );
    if (fresh.length)
      after.addresses = [
        ...known.record.addresses,
        ...fresh.map((email): Address => ({ email, current: true, purpose: '' })),
      ];
    joinedPhones(after, known.record, wanted.phones, country);
  }
  const role = wanted.role !== null && wanted.role !== known.role && (may || !here) ? wanted.role : null;
  return { known, fresh: !found, after, joins: !here, role };
}

/** One of some people: by an address, where no other name speaks against it, else by the whole name. */
function whoIs(wanted: NonNullable<Wanted['person']>, people: readonly KnownPerson[]): KnownPerson | null {
  const name = nameKey(`${String(wanted.set.firstName ?? '')} ${String(wanted.set.lastName ?? '')}`);
  const keys = wanted.emails.map(addressKey);
  const nameOf = ({ record }: KnownPerson) => nameKey(`${record.firstName} ${record.lastName}`);
  const at = people.filter(({ record }) =>
    record.addresses.some(({ email }) => keys.includes(addressKey(email))),
  );
  // Two people of a household may share an address.
  const same = at.find((each) => !name || !nameOf(each) || nameOf(each) === name);
  return same ?? people.find((each) => name !== '' && nameOf(each) === name) ?? null;
}

function filePart(
  { file: wanted }: Wanted,
  client: KnownClient,
  named: KnownFile | null,
  changes: boolean,
): Part<KnownFile> | null {
  if (!wanted) return null;
  const title = String(wanted.set.title ?? '');
  const found =
    named ??
    (wanted.number ? null : (client.files.find((file) => nameKey(file.title) === nameKey(title)) ?? null));
  const known: KnownFile = found ?? { id: null, number: wanted.number, title, record: {} };
  return { known, fresh: !found, after: changes || !found ? differing(wanted.set, known.record) : {} };
}

/** Those of the fields that stand otherwise. */
function differing(set: Standing, now: Standing): Standing {
  return Object.fromEntries(
    Object.entries(set).filter(([name, value]) => JSON.stringify(value) !== JSON.stringify(now[name])),
  );
}

function joined(
  after: Standing,
  now: KnownClient['record'],
  list: 'tags' | 'interests',
  names: readonly string[],
): void {
  const fresh = names.filter((name) => !now[list].some((each) => each.toLowerCase() === name.toLowerCase()));
  if (fresh.length) after[list] = [...now[list], ...new Set(fresh)].sort((a, b) => a.localeCompare(b));
}

function joinedPhones(
  after: Standing,
  now: { phones: Phone[] },
  numbers: readonly string[],
  country: string,
): void {
  const key = (number: string) => readPhone(number, country).key;
  const known = new Set(now.phones.map(({ number }) => key(number)));
  const fresh = numbers.filter((number) => !known.has(key(number)));
  if (fresh.length)
    after.phones = [
      ...now.phones,
      ...fresh.map((number): Phone => ({ number: readPhone(number, country).shown, purpose: '' })),
    ];
}

/** What is known after a row. */
function bringUp(client: Part<KnownClient>, person: Plan['person'], file: Part<KnownFile> | null): void {
  Object.assign(client.known.record, client.after);
  if (person) {
    Object.assign(person.known.record, person.after);
    if (person.role !== null) person.known.role = person.role;
    if (person.joins) client.known.people.push(person.known);
  }
  if (!file) return;
  Object.assign(file.known.record, file.after);
  if (file.fresh) client.known.files.push(file.known);
}

/** What fields are called where a row's doings are told. */
const CALLED: Record<string, string> = {
  adviserId: 'adviser',
  firstName: 'first name',
  lastName: 'last name',
  phones: 'telephone',
  addresses: 'email address',
  postal: 'postal address',
  issuedOn: 'day issued',
  dueOn: 'day due',
  paidOn: 'day paid',
  words: 'wording',
  fileNumber: 'file',
};
const MOST_NAMED = 6;
const calledOf = (after: Standing) => {
  const names = Object.keys(after).map(
    (name) => CALLED[name] ?? (name.startsWith('field:') ? 'a field of our own' : name),
  );
  return [...new Set(names)].slice(0, MOST_NAMED).join(', ');
};

function clientWords({ known, fresh, after }: Part<KnownClient>): string[] {
  if (fresh) return [`New client ${known.name}.`];
  return Object.keys(after).length ? [`Changes ${calledOf(after)}.`] : [];
}

function personWords(person: Plan['person']): string[] {
  if (!person) return [];
  const { known, fresh, after, joins, role } = person;
  const { firstName, lastName, addresses } = { ...known.record, ...after } as KnownPerson['record'];
  const name = `${firstName} ${lastName}`.trim() || addresses[0]?.email || '';
  if (fresh) return [`New person ${name}.`];
  const what = [calledOf(after), role === null ? '' : 'role'].filter(Boolean).join(', ');
  return [...(joins ? [`${name} joins.`] : []), ...(what && !joins ? [`Changes ${what} of ${name}.`] : [])];
}

function feeWords(fee: Part<KnownFee> | null): string[] {
  if (!fee) return [];
  if (fee.fresh) return [`New fee note ${fee.known.number}.`];
  return Object.keys(fee.after).length
    ? [`Changes ${calledOf(fee.after)} of fee note ${fee.known.number}.`]
    : [];
}

function fileWords(file: Part<KnownFile> | null): string[] {
  if (!file) return [];
  const { known, fresh, after } = file;
  if (fresh)
    return [`New file ${[known.number, String(after.title ?? known.title)].filter(Boolean).join(' ')}.`];
  return Object.keys(after).length ? [`Changes ${calledOf(after)} of ${known.number}.`] : [];
}
