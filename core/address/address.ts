/** A display name and an address, as a message header or a record carries them. */
export interface Mailbox {
  name: string;
  address: string;
}

/**
 * The key under which an address is compared: lower case, without a `+part` in the local part.
 * RFC 5321 section 2.4 leaves the local part to the receiving host; that hosts ignore its case and
 * a plus part is common practice, and people type both at will.
 */
export function addressKey(address: string): string {
  const trimmed = address.trim().toLowerCase();
  const at = trimmed.lastIndexOf('@');
  if (at < 1) return trimmed;
  const local = trimmed.slice(0, at);
  const plus = local.indexOf('+');
  return (plus > 0 ? local.slice(0, plus) : local) + trimmed.slice(at);
}

/** The part after the last `@`, lower case; empty when there is none. */
export function domainOf(address: string): string {
  const at = address.lastIndexOf('@');
  return at < 0
    ? ''
    : address
        .slice(at + 1)
        .trim()
        .toLowerCase();
}

/** Whether the text can stand as an address on an envelope: one `@`, no blanks or control characters. */
export function isAddress(text: string): boolean {
  return (
    /^[^\s@<>(),;:"[\]\\]+@[^\s@<>(),;:"[\]\\]+\.[^\s@<>(),;:"[\]\\.]+$/.test(text) && text.length <= 254
  );
}

/**
 * How somebody is named in a list: by the name shown, unless that is none or tries to pass for an address.
 * @param name of the writer's own choosing
 */
export function shownName(name: string, address: string): string {
  return name && !name.includes('@') ? name : address;
}

/** "Last, First" turned round; any other name as it stands. */
export function firstNameFirst(name: string): string {
  const comma = name.lastIndexOf(',');
  return comma < 0 ? name : `${name.slice(comma + 1).trim()} ${name.slice(0, comma)}`;
}

/** A name folded for comparison: lower case, accents and punctuation gone, words in alphabetical order. */
export function nameKey(name: string): string {
  return name
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)
    .sort()
    .join(' ');
}
