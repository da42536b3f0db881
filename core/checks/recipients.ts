import { greeting, type GreetedPerson } from '../merge/greeting.ts';

/** A person of a client whom mailings may be addressed to, in order of preference. */
export interface Addressee extends GreetedPerson {
  personId: number;
  addresses: readonly { email: string; key: string; optedOut: boolean; returned: string | null }[];
  /** Why none of these can be reached, where that has a reason of its own. */
  unreached?: { why: LeftOutWhy; detail: string } | undefined;
}

/** A selected client, with what decides whether and how it is written to. */
export interface SelectedClient {
  id: number;
  name: string;
  couple: boolean;
  greeting: string | null;
  addressees: readonly Addressee[];
  /** What those who live together share; null where nothing is known of it. */
  household: string | null;
  /** Whether there is a mailbox to send from. */
  hasSender: boolean;
  /** How they take mailings. */
  way: 'email' | 'post' | 'both' | 'none';
}

export interface Addressed {
  clientId: number;
  personId: number;
  name: string;
  email: string;
  greeting: string | null;
}

export type LeftOutWhy =
  | 'no email address'
  | 'opted out'
  | 'email returned undelivered'
  | 'same address as another recipient'
  | 'nobody to send as'
  | 'lives with another recipient'
  | 'takes mailings by post'
  | 'takes no mailings'
  | 'no telephone number'
  | 'has not agreed to text messages'
  | 'wants no text messages';

/** One who could be written to, and at which of their addresses. */
interface Reached {
  person: Addressee;
  address: Addressee['addresses'][number];
}

/**
 * Decides for each selected client whom to write to, and says why of everyone who is left out: the first person with a
 * usable address, or each person who has one; one copy to an address, and where it is wanted to a household.
 * @param eachOf who gets a copy
 */
export function addressClients(
  clients: readonly SelectedClient[],
  eachOf: 'client' | 'household' | 'person' = 'client',
): {
  addressed: Addressed[];
  leftOut: { clientId: number; why: LeftOutWhy; detail: string }[];
} {
  const addressed: Addressed[] = [];
  const leftOut: { clientId: number; why: LeftOutWhy; detail: string }[] = [];
  const taken = new Map<string, string>();
  const homes = new Map<string, string>();
  for (const client of clients) {
    const leave = (why: LeftOutWhy, detail: string) => leftOut.push({ clientId: client.id, why, detail });
    /** @returns whether any of them can be written to */
    const address = (
      people: readonly Addressee[],
      greeted: readonly Addressee[] | null,
      own: string | null,
    ): boolean => {
      const found = reach(people);
      if ('why' in found) leave(found.why, found.detail);
      else if (!client.hasSender) leave('nobody to send as', 'there is no verified mailbox to send from');
      else if (taken.has(found.address.key))
        leave(
          'same address as another recipient',
          `${found.address.email}, also ${taken.get(found.address.key)}`,
        );
      else {
        const { person } = found;
        taken.set(found.address.key, client.name);
        addressed.push({
          clientId: client.id,
          personId: person.personId,
          name: `${person.firstName} ${person.lastName}`.trim(),
          email: found.address.email,
          greeting: greeting(greeted ?? [person], own),
        });
        return true;
      }
      return false;
    };
    const home = eachOf === 'household' ? client.household : null;
    const others = home === null ? undefined : homes.get(home);
    if (client.way === 'none') leave('takes no mailings', '');
    else if (client.way === 'post') leave('takes mailings by post', '');
    else if (others !== undefined) leave('lives with another recipient', others);
    else if (eachOf === 'person' && client.addressees.length)
      // What the client as a whole is greeted by is no greeting for one of several.
      for (const person of client.addressees)
        address([person], null, client.addressees.length > 1 ? null : client.greeting);
    else if (
      address(client.addressees, client.couple ? client.addressees : null, client.greeting) &&
      home !== null
    )
      homes.set(home, client.name);
  }
  return { addressed, leftOut };
}

/** The first of their addresses that may be written to; else why there is none. */
function reach(people: readonly Addressee[]): Reached | { why: LeftOutWhy; detail: string } {
  const all = people.flatMap((person) => person.addresses.map((address) => ({ person, address })));
  const usable = all.find(({ address }) => !address.optedOut && !address.returned);
  const first = all[0]?.address;
  if (usable) return usable;
  const own = people.find(({ unreached }) => unreached)?.unreached;
  if (own) return own;
  if (!first) return { why: 'no email address', detail: '' };
  if (first.optedOut) return { why: 'opted out', detail: first.email };
  return { why: 'email returned undelivered', detail: `${first.email}: ${first.returned ?? ''}` };
}
