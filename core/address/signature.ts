import { firstNameFirst } from './address.ts';

/** What a signature and a display name tell of a person whom the records do not know. */
export interface Signature {
  firstName: string;
  lastName: string;
  role: string;
  organisation: string;
  phone: string;
  postal: string[];
}

const PHONE = /(?:\+|\b0)[\d\s().-]{7,18}\d\b/;
const LINK = /@|\bhttps?:|\bwww\./i;
/** Endings that mark an organisation's name, in several countries. */
const ORGANISATION =
  /\b(?:ltd|limited|llp|plc|inc|gmbh|ag|kg|sarl|sas|ab|as|aps|bv|trust|estate|estates|council|society|association|partners|partnership|farms?|company|co|group|services|contractors?|authority|bureau|office|& sons|and sons)\b\.?$/i;

/**
 * Reads a signature block as people write it: the name first, then role, organisation, postal lines and
 * telephone numbers, in any order after the name (common practice).
 * @param shown the display name of the address, used when the block does not begin with a name
 */
export function readSignature(block: string, shown: string): Signature {
  const lines = block
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line && !/^--\s?$/.test(line));
  const named = partName(shown);
  const at = lines.findIndex((line) => isName(line, shown));
  const [firstName, lastName] = at >= 0 ? partName(lines[at] ?? '') : named;
  const rest = lines.slice(at >= 0 ? at + 1 : lines.length);
  const phone = rest.map((line) => PHONE.exec(line)?.[0] ?? '').find(Boolean) ?? '';
  const plain = rest.filter((line) => !LINK.test(line) && !PHONE.test(line) && line.length <= 80);
  const organisation = plain.find((line) => ORGANISATION.test(line) && !/,/.test(line)) ?? '';
  const others = plain.filter((line) => line !== organisation);
  const role = others[0] && !/[,\d]/.test(others[0]) ? others[0] : '';
  return {
    firstName,
    lastName,
    role,
    organisation,
    phone: phone.trim(),
    postal: others
      .filter((line) => line !== role)
      .flatMap((line) => line.split(',').map((piece) => piece.trim()))
      .filter(Boolean)
      .slice(0, 6),
  };
}

/** A line that is the shown name, or two to four capitalised words and nothing else. */
function isName(line: string, shown: string): boolean {
  if (shown && line.toLowerCase() === shown.toLowerCase()) return true;
  return /^(?:\p{Lu}[\p{L}’'.-]*\s+){1,3}\p{Lu}[\p{L}’'-]+$/u.test(line) && !ORGANISATION.test(line);
}

/** First and last name; "Last, First" turned round, titles left out. */
function partName(name: string): [string, string] {
  const words = firstNameFirst(name)
    .replace(/^(?:mr|mrs|ms|miss|dr|prof|sir|dame|rev|herr|frau|m|mme)\.?\s+/i, '')
    .trim()
    .split(/\s+/)
    .filter((word) => word && !word.includes('@'));
  if (words.length < 2) return [words[0] ?? '', ''];
  return [words.slice(0, -1).join(' '), words.at(-1) ?? ''];
}
