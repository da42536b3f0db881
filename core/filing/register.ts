import { addressKey, domainOf, firstNameFirst, nameKey } from '../address/address.ts';
import { registrable } from '../address/domain.ts';
import { FileNumbers } from './numbers.ts';
import { acronymsOf, tellingWords, wordsOf } from './words.ts';

/** What filing knows of the firm's records. Identifiers are the caller's own. */
export interface RegisterData {
  firmDomains: readonly string[];
  /** Addresses of staff that lie outside the firm's domains, if any. */
  staffAddresses: readonly string[];
  /** Domains at which anybody can have an address. */
  freemail: readonly string[];
  /** A regular expression for a whole file number. */
  fileNumberPattern: string;
  /** The firm's private filing address, if it has one. */
  filingAddress?: string;
  clients: readonly { id: number; name: string; domain?: string | null }[];
  people: readonly { id: number; name: string; addresses: readonly string[]; clientIds: readonly number[] }[];
  files: readonly FileData[];
}

export interface FileData {
  id: number;
  number: string;
  title: string;
  clientId: number;
  general: boolean;
  closed: boolean;
  personIds: readonly number[];
}

export interface RegisteredFile extends FileData {
  /** The telling words of the title. */
  titleWords: readonly string[];
  /** Neighbouring words of the title; worked out when first asked for. */
  titlePairs?: ReadonlySet<string>;
}

export interface RegisteredPerson {
  id: number;
  name: string;
  clientIds: readonly number[];
}

export interface RegisteredClient {
  id: number;
  name: string;
  /** The telling words of the name. */
  nameWords: readonly string[];
  /** Neighbouring words of the name; worked out when first asked for. */
  namePairs?: ReadonlySet<string>;
}

/** A name that this many clients share says nothing about which is meant. */
const TOO_COMMON = 20;

/** The records, indexed for filing: every look-up is one map access. Built once, rebuilt when records change. */
export class FilingRegister {
  readonly numbers: FileNumbers;
  readonly clientCount: number;
  /** In small letters; empty for none. */
  readonly filingAddress: string;
  private readonly firmDomains: ReadonlySet<string>;
  private readonly staff: ReadonlySet<string>;
  private readonly freemail: ReadonlySet<string>;
  private readonly clients = new Map<number, RegisteredClient>();
  private readonly filesById = new Map<number, RegisteredFile>();
  private readonly filesByClient = new Map<number, RegisteredFile[]>();
  private readonly filesByPerson = new Map<number, RegisteredFile[]>();
  private readonly peopleByAddress = new Map<string, RegisteredPerson[]>();
  private readonly peopleByName = new Map<string, RegisteredPerson[]>();
  /** How many people bear a name, first or last. */
  private readonly bearers = new Map<string, number>();
  private peopleCount = 0;
  private readonly peopleByInitial = new Map<string, RegisteredPerson[]>();
  private readonly clientsByDomain = new Map<string, Set<number>>();
  private readonly clientsByNameWord = new Map<string, number[]>();
  /** In how many clients' names and titles a word stands. */
  private readonly clientsPerWord = new Map<string, number>();

  constructor(data: RegisterData) {
    this.numbers = new FileNumbers(data.fileNumberPattern, data.files);
    this.firmDomains = new Set(data.firmDomains.map((domain) => domain.toLowerCase()));
    this.staff = new Set(data.staffAddresses.map(addressKey));
    this.freemail = new Set(data.freemail.map((domain) => domain.toLowerCase()));
    this.clientCount = data.clients.length;
    this.filingAddress = (data.filingAddress ?? '').toLowerCase();
    for (const { id, name, domain } of data.clients) {
      this.clients.set(id, { id, name, nameWords: [...tellingWords(name)] });
      if (domain) this.noteDomain(registrable(domain), [id]);
    }
    for (const file of data.files) {
      const known = { ...file, titleWords: file.general ? [] : titleWords(file.title) };
      this.filesById.set(file.id, known);
      push(this.filesByClient, file.clientId, known);
      for (const person of file.personIds) push(this.filesByPerson, person, known);
    }
    for (const { id, name, addresses, clientIds } of data.people) {
      const person = { id, name, clientIds };
      for (const key of new Set(addresses.map(addressKey))) {
        push(this.peopleByAddress, key, person);
        this.noteDomain(registrable(domainOf(key)), clientIds);
      }
      this.peopleCount++;
      for (const word of new Set(wordsOf(name))) this.bearers.set(word, (this.bearers.get(word) ?? 0) + 1);
      if (name) push(this.peopleByName, nameKey(name), person);
      const initial = initialKey(name);
      if (initial) push(this.peopleByInitial, initial, person);
    }
    for (const client of this.clients.values()) {
      const words = new Set(client.nameWords);
      for (const word of words) push(this.clientsByNameWord, word, client.id);
      for (const file of this.filesOf(client.id)) for (const word of file.titleWords) words.add(word);
      for (const word of words) this.clientsPerWord.set(word, (this.clientsPerWord.get(word) ?? 0) + 1);
    }
  }

  private noteDomain(domain: string, clientIds: readonly number[]): void {
    if (!domain || this.freemail.has(domain)) return;
    let clients = this.clientsByDomain.get(domain);
    if (!clients) this.clientsByDomain.set(domain, (clients = new Set()));
    for (const id of clientIds) clients.add(id);
  }

  /** Whether the address is one of the firm's own. */
  isOurs(address: string): boolean {
    return this.firmDomains.has(domainOf(address)) || this.staff.has(addressKey(address));
  }

  /** Everyone who uses or used this address; several when it is shared. */
  peopleAt(address: string): readonly RegisteredPerson[] {
    return this.peopleByAddress.get(addressKey(address)) ?? [];
  }

  /** People of exactly this name, whichever way it is written. */
  peopleNamed(name: string): readonly RegisteredPerson[] {
    return name ? (this.peopleByName.get(nameKey(name)) ?? []) : [];
  }

  /**
   * How many people of this name a register of this size would hold if first and last names met by chance:
   * the more, the likelier that a stranger bears it too.
   */
  namesakesByChance(name: string): number {
    const words = wordsOf(name);
    if (words.length < 2) return this.peopleCount;
    return words.reduce(
      (product, word) => product * ((this.bearers.get(word) ?? 0) / this.peopleCount),
      this.peopleCount,
    );
  }

  /** People of this surname and first initial: "A. Caldmayne" may be Agnes Caldmayne. Nobody when a first name is given. */
  peopleLike(name: string): readonly RegisteredPerson[] {
    if (!/^\p{L}\.?\s|,\s*\p{L}\.?$/u.test(name.trim())) return [];
    const people = this.peopleByInitial.get(initialKey(name)) ?? [];
    return people.length <= TOO_COMMON ? people : [];
  }

  /**
   * The clients whose own domain this is: that of the registration, host names below it included (by the
   * Public Suffix List). Empty for freemail, and where so many clients' people are that it says nothing.
   */
  clientsAtDomain(address: string): readonly number[] {
    const clients = this.clientsByDomain.get(registrable(domainOf(address)));
    return clients && clients.size <= TOO_COMMON ? [...clients] : [];
  }

  /** A file by its number in the records; undefined when it is not here. */
  file(id: number): RegisteredFile | undefined {
    return this.filesById.get(id);
  }

  /** A client by its number in the records; undefined when it is not here. */
  client(id: number): RegisteredClient | undefined {
    return this.clients.get(id);
  }

  /** What a client is called; empty when it is not here. */
  clientName(id: number): string {
    return this.clients.get(id)?.name ?? '';
  }

  /** The client's files, closed ones too. */
  filesOf(clientId: number): readonly RegisteredFile[] {
    return this.filesByClient.get(clientId) ?? [];
  }

  /** Files on which this person is named. */
  filesNaming(personId: number): readonly RegisteredFile[] {
    return this.filesByPerson.get(personId) ?? [];
  }

  /** Clients in whose name this word stands; empty when it stands in too many. */
  clientsNamed(word: string): readonly number[] {
    const ids = this.clientsByNameWord.get(word) ?? [];
    return ids.length <= TOO_COMMON ? ids : [];
  }

  /** How many people of the records bear a (folded) name, first or last. */
  bearersOf(word: string): number {
    return this.bearers.get(word) ?? 0;
  }

  /** In how many clients' names and titles the (stemmed) word stands. */
  bearing(word: string): number {
    return this.clientsPerWord.get(word) ?? 0;
  }

  /** How much a word tells of a client: the natural logarithm of one over the share of clients that bear it. */
  rarity(word: string): number {
    return Math.log((this.clientCount + 1) / (this.bearing(word) + 0.5));
  }
}

/** First initial and surname, folded; "Last, First" turned round. Empty for a single word. */
function initialKey(name: string): string {
  const words = wordsOf(` ${firstNameFirst(name)}`.replace(/(\s\p{L})\.?(?=\s)/gu, '$1x'));
  const [first] = words;
  const last = words.at(-1);
  return words.length > 1 && first && last ? `${first[0]} ${last}` : '';
}

/** The telling words of a title and its abbreviations. */
function titleWords(title: string): string[] {
  return [
    ...new Set([...tellingWords(title), ...acronymsOf(title).filter((initials) => initials.length > 2)]),
  ];
}

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}
