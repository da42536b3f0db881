import type { Confirmation } from '../message/authentication.ts';
import { domainOf, nameKey, addressKey, type Mailbox } from './address.ts';

/** Who is known, so far as a stranger may pass for them. */
export interface KnownPeople {
  isOurs(address: string): boolean;
  /** People of the records at this address. */
  peopleAt(address: string): readonly { name: string }[];
  /** People of the records of this name. */
  peopleNamed(name: string): readonly { name: string }[];
}

/**
 * What should give a reader pause about who wrote a message, in sentences: a name that shows another
 * address, a colleague's or client's name on a foreign address, what the receiving server found.
 * @param ours the message is known to be written by one of us
 * @param staffNames names of the firm's own people
 */
export function senderWarnings(
  from: Mailbox | null,
  { ours, confirmation }: { ours: boolean; confirmation: Confirmation | null },
  known: KnownPeople,
  staffNames: readonly string[],
): string[] {
  if (ours || !from?.address) return [];
  const { name, address } = from;
  const domain = domainOf(address);
  const warnings: string[] = [];
  const shown = /[^\s<>"'(),;:]{1,64}@[^\s<>"'(),;:]{1,255}/.exec(name)?.[0] ?? '';
  if (shown && addressKey(shown) !== addressKey(address))
    warnings.push(`The name it shows holds another address; it came from ${address}.`);
  const key = nameKey(name.replace(/<[^<>]{0,300}>/g, ' '));
  const colleague = staffNames.find((each) => key !== '' && nameKey(each) === key);
  if (known.isOurs(address))
    warnings.push(
      confirmation === 'failed'
        ? 'It says that it is from one of us. The receiving server found that it is not.'
        : 'It says that it is from one of us, but it lies in no Sent folder and no server confirmed it.',
    );
  else if (colleague)
    warnings.push(`It bears ${colleague}’s name, but comes from an address that is not ours.`);
  else if (name && !known.peopleAt(address).length) {
    const [client] = known.peopleNamed(name);
    if (client) warnings.push(`It bears the name of ${client.name}, who is known at other addresses.`);
  }
  if (!known.isOurs(address) && confirmation === 'failed')
    warnings.push(`The receiving server found that this is not from ${domain}.`);
  if (!known.isOurs(address) && confirmation === 'absent' && known.peopleAt(address).length)
    warnings.push(`The receiving server could not confirm that this is from ${domain}.`);
  return warnings;
}
