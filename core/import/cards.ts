import { countryCode } from '../address/country.ts';
import { postalLines } from '../address/postal.ts';
import { ICAL } from '../office/ical.ts';
import { NoTable, type Table } from './text.ts';

/** The headings under which cards stand in a table: each is understood by {@link guessColumns}. */
const HEADER = [
  'Client',
  'Title',
  'First name',
  'Last name',
  'Role',
  'Email address',
  'Mobile',
  'Postal address',
  'Country',
  'Notes',
  'Tags',
];
/** More cards are brought in in parts, and no card is longer: what is longer holds pictures, which are left out. */
const MOST_CARDS = 50_000;
const LONGEST = 20_000;
const MOST_LINES = 400;
/** Bytes of pictures, sounds and keys: of no use here, and mostly the whole of a card. */
const BYTES = /^(?:[\w-]+\.)?(?:PHOTO|LOGO|SOUND|KEY)[;:]/i;

/** Whether a text is of cards rather than a table. */
export function areCards(text: string): boolean {
  return text.slice(0, 200).trimStart().slice(0, 11).toUpperCase() === 'BEGIN:VCARD';
}

/**
 * Electronic business cards as a table with a row for each person and each organisation they belong to: vCard 3.0
 * (RFC 2426) and 4.0 (RFC 6350).
 * @throws NoTable where they are of an older kind, or too many
 */
export function readCards(text: string, encoding: string): Table {
  const cards = cardsIn(text);
  if (!cards.length) throw new NoTable('There is no card in this file.');
  if (cards.length > MOST_CARDS)
    throw new NoTable(`More than ${MOST_CARDS.toLocaleString('en-GB')} cards. Bring them in in parts.`);
  if (cards.every((card) => /^VERSION:2\.1\s*$/im.test(card)))
    throw new NoTable('These are cards of an older kind (2.1). Save them as vCard 3.0 or 4.0 first.');
  return { header: [...HEADER], rows: cards.flatMap(rowsOf), encoding, delimiter: 'card' };
}

/** The text of each card, without its bytes. */
function cardsIn(text: string): string[] {
  const cards: string[] = [];
  let lines: string[] | null = null;
  let skips = false;
  for (const line of text.split(/\r\n|\n|\r/)) {
    if (/^BEGIN:VCARD\s*$/i.test(line)) lines = [];
    if (!lines) continue;
    const folded = /^[ \t]/.test(line);
    if (!folded) skips = BYTES.test(line);
    if (!skips && lines.length < MOST_LINES) lines.push(line.slice(0, LONGEST));
    if (/^END:VCARD\s*$/i.test(line)) {
      cards.push([...lines.filter((each) => !/^END:VCARD\s*$/i.test(each)), 'END:VCARD'].join('\r\n'));
      lines = null;
    }
  }
  return cards;
}

/** A card that cannot be read is a row that says nothing, and is refused as such. */
function rowsOf(card: string): string[][] {
  const nothing = HEADER.map(() => '');
  try {
    const parsed: unknown[] = ICAL.parse(card);
    const first = (Array.isArray(parsed[0]) ? parsed[0] : parsed) as ConstructorParameters<
      typeof ICAL.Component
    >[0];
    return rowsOfCard(new ICAL.Component(first));
  } catch {
    return [nothing];
  }
}

function rowsOfCard(card: ICAL.Component): string[][] {
  const all = (name: string) => card.getAllProperties(name);
  const texts = (name: string) =>
    all(name)
      .flatMap((property) => property.getValues().map(wordsOf))
      .filter(Boolean);
  const types = (property: ICAL.Property) => [property.getFirstParameter('type') ?? []].flat().map(String);
  const isFax = (property: ICAL.Property) => types(property).some((type) => /fax|pager/i.test(type));
  const [last = '', given = '', , title = ''] = structured(all('n')[0]);
  const whole = wordsOf(card.getFirstPropertyValue('fn'));
  const isFirm = /^(?:org|group)$/i.test(wordsOf(card.getFirstPropertyValue('kind')));
  const name = named(given, last, whole, isFirm);
  const organisations = all('org')
    .map((property) => structured(property)[0] ?? '')
    .filter(Boolean);
  const clients = organisations.length ? [...new Set(organisations)] : [isFirm ? whole : ''];
  const [place] = [...all('adr')].sort((a, b) => preference(a) - preference(b));
  const [box = '', extended = '', street = '', town = '', region = '', code = '', country = ''] =
    structured(place);
  const rest = [
    title,
    name.first,
    name.last,
    texts('role')[0] ?? texts('title')[0] ?? '',
    [...all('email')]
      .sort((a, b) => preference(a) - preference(b))
      .map((property) => wordsOf(property.getFirstValue()))
      .join('; '),
    all('tel')
      .filter((property) => !isFax(property))
      .map((property) => numberOf(wordsOf(property.getFirstValue())))
      .join('; '),
    postalLines({ street: [box, extended, street], town, region, code }, countryCode(country) ?? '').join(
      '\n',
    ),
    country,
    texts('note').join('\n'),
    texts('categories').join('; '),
  ];
  return clients.map((client) => [client, ...rest].map((cell) => cell.slice(0, LONGEST)));
}

/** First and last name; of a card that gives only the whole one its last word is the last name. */
function named(given: string, last: string, whole: string, isFirm: boolean): { first: string; last: string } {
  if (given || last) return { first: given, last };
  if (isFirm) return { first: '', last: '' };
  const words = whole.split(/\s+/).filter(Boolean);
  return { first: words.slice(0, -1).join(' '), last: words.at(-1) ?? '' };
}

const wordsOf = (value: unknown): string =>
  value === null || value === undefined ? '' : String(value).trim();

/** The parts of a property that has some; of several in one part the first ones, with commas. */
function structured(property: ICAL.Property | undefined): string[] {
  const value: unknown = property?.getFirstValue();
  if (!Array.isArray(value)) return value === undefined || value === null ? [] : [wordsOf(value)];
  return value.map((part) =>
    Array.isArray(part) ? part.map(wordsOf).filter(Boolean).join(', ') : wordsOf(part),
  );
}

/** Preferred ones first: `PREF=1` (RFC 6350, 5.3), `TYPE=PREF` (RFC 2426). */
function preference(property: ICAL.Property): number {
  const pref = Number(property.getFirstParameter('pref'));
  if (pref > 0) return pref;
  const types = [property.getFirstParameter('type') ?? []].flat().map((type) => String(type).toLowerCase());
  return types.includes('pref') ? 1 : 101;
}

/** A number, also from a `tel:` address (RFC 3966). */
const numberOf = (text: string) => text.replace(/^tel:/i, '').split(';')[0] ?? '';
