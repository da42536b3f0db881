import { addressKey, domainOf, nameKey } from '../address/address.ts';
import { FileNumbers } from './numbers.ts';

/** What filing knows of the firm's records. Identifiers are the caller's own. */
export interface RegisterData {
  firmDomains: readonly string[];
  /** Addresses of staff that lie outside the firm's domains, if any. */
  staffAddresses: readonly string[];
  /** A regular expression for a whole file number. */
  fileNumberPattern: string;
  clients: readonly { id: number; name: string }[];
  people: readonly { id: number; name: string; addresses: readonly string[]; clientIds: readonly number[] }[];
  files: readonly RegisteredFile[];
}

export interface RegisteredFile {
  id: number;
  number: string;
  title: string;
  clientId: number;
  general: boolean;
  closed: boolean;
  personIds: readonly number[];
}

export interface RegisteredPerson {
  id: number;
  name: string;
  clientIds: readonly number[];
}

/** The records, indexed for filing: every look-up is one map access. Built once, rebuilt when records change. */
export class FilingRegister {
  readonly numbers: FileNumbers;
  private readonly firmDomains: ReadonlySet<string>;
  private readonly staff: ReadonlySet<string>;
  private readonly clientNames = new Map<number, string>();
  private readonly filesById = new Map<number, RegisteredFile>();
  private readonly filesByClient = new Map<number, RegisteredFile[]>();
  private readonly filesByPerson = new Map<number, RegisteredFile[]>();
  private readonly peopleByAddress = new Map<string, RegisteredPerson[]>();
  private readonly peopleByName = new Map<string, RegisteredPerson[]>();

  constructor(data: RegisterData) {
    this.numbers = new FileNumbers(data.fileNumberPattern, data.files);
    this.firmDomains = new Set(data.firmDomains.map((domain) => domain.toLowerCase()));
    this.staff = new Set(data.staffAddresses.map(addressKey));
    for (const client of data.clients) this.clientNames.set(client.id, client.name);
    for (const file of data.files) {
      this.filesById.set(file.id, file);
      push(this.filesByClient, file.clientId, file);
      for (const person of file.personIds) push(this.filesByPerson, person, file);
    }
    for (const { id, name, addresses, clientIds } of data.people) {
      const person = { id, name, clientIds };
      for (const key of new Set(addresses.map(addressKey))) push(this.peopleByAddress, key, person);
      if (name) push(this.peopleByName, nameKey(name), person);
    }
  }

  /** Whether the address is one of the firm's own. */
  isOurs(address: string): boolean {
    return this.firmDomains.has(domainOf(address)) || this.staff.has(addressKey(address));
  }

  /** Everyone who uses or used this address; several when it is shared. */
  peopleAt(address: string): readonly RegisteredPerson[] {
    return this.peopleByAddress.get(addressKey(address)) ?? [];
  }

  peopleNamed(name: string): readonly RegisteredPerson[] {
    return name ? (this.peopleByName.get(nameKey(name)) ?? []) : [];
  }

  file(id: number): RegisteredFile | undefined {
    return this.filesById.get(id);
  }

  clientName(id: number): string {
    return this.clientNames.get(id) ?? '';
  }

  openFilesOf(clientId: number): readonly RegisteredFile[] {
    return (this.filesByClient.get(clientId) ?? []).filter((file) => !file.closed);
  }

  /** Open files on which this person is named. */
  openFilesNaming(personId: number): readonly RegisteredFile[] {
    return (this.filesByPerson.get(personId) ?? []).filter((file) => !file.closed);
  }
}

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}
