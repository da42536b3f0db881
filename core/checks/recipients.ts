import { greeting, type GreetedPerson } from '../merge/greeting.ts';

/** A person of a client whom mailings may be addressed to, in order of preference. */
export interface Addressee extends GreetedPerson {
  personId: number;
  addresses: readonly { email: string; key: string; optedOut: boolean; returned: string | null }[];
}

/** A selected client, with what decides whether and how it is written to. */
export interface SelectedClient {
  id: number;
  name: string;
  couple: boolean;
  greeting: string | null;
  addressees: readonly Addressee[];
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
  | 'takes mailings by post'
  | 'takes no mailings';

/**
 * Decides for each selected client whom to write to, and says why of everyone who is left out. The
 * first person with a usable address is written to; one address gets one copy.
 */
export function addressClients(clients: readonly SelectedClient[]): {
  addressed: Addressed[];
  leftOut: { clientId: number; why: LeftOutWhy; detail: string }[];
} {
  const addressed: Addressed[] = [];
  const leftOut: { clientId: number; why: LeftOutWhy; detail: string }[] = [];
  const taken = new Map<string, string>();
  for (const client of clients) {
    const all = client.addressees.flatMap((person) =>
      person.addresses.map((address) => ({ person, address })),
    );
    const usable = all.find(({ address }) => !address.optedOut && !address.returned);
    const leave = (why: LeftOutWhy, detail: string) => leftOut.push({ clientId: client.id, why, detail });
    const first = all[0]?.address;
    if (client.way === 'none') leave('takes no mailings', '');
    else if (client.way === 'post') leave('takes mailings by post', '');
    else if (!first) leave('no email address', '');
    else if (!usable) {
      if (first.optedOut) leave('opted out', first.email);
      else leave('email returned undelivered', `${first.email}: ${first.returned ?? ''}`);
    } else if (!client.hasSender) leave('nobody to send as', 'the adviser has no verified mailbox');
    else if (taken.has(usable.address.key))
      leave(
        'same address as another recipient',
        `${usable.address.email}, also ${taken.get(usable.address.key)}`,
      );
    else {
      taken.set(usable.address.key, client.name);
      const { person, address } = usable;
      addressed.push({
        clientId: client.id,
        personId: person.personId,
        name: `${person.firstName} ${person.lastName}`.trim(),
        email: address.email,
        greeting: greeting(client.couple ? client.addressees : [person], client.greeting),
      });
    }
  }
  return { addressed, leftOut };
}
