const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const MONTHS = [
  ...['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August'],
  ...['September', 'October', 'November', 'December'],
];

/** What each letter of a date picture says (ECMA-376 part 1, 17.16.4.1). */
const SAYS: Record<string, (date: Date) => string> = {
  d: (date) => String(date.getUTCDate()),
  dd: (date) => two(date.getUTCDate()),
  ddd: (date) => (DAYS[date.getUTCDay()] ?? '').slice(0, 3),
  dddd: (date) => DAYS[date.getUTCDay()] ?? '',
  M: (date) => String(date.getUTCMonth() + 1),
  MM: (date) => two(date.getUTCMonth() + 1),
  MMM: (date) => (MONTHS[date.getUTCMonth()] ?? '').slice(0, 3),
  MMMM: (date) => MONTHS[date.getUTCMonth()] ?? '',
  y: (date) => two(date.getUTCFullYear() % 100),
  yy: (date) => two(date.getUTCFullYear() % 100),
  yyyy: (date) => String(date.getUTCFullYear()).padStart(4, '0'),
  h: (date) => String(date.getUTCHours() % 12 || 12),
  hh: (date) => two(date.getUTCHours() % 12 || 12),
  H: (date) => String(date.getUTCHours()),
  HH: (date) => two(date.getUTCHours()),
  m: (date) => String(date.getUTCMinutes()),
  mm: (date) => two(date.getUTCMinutes()),
  s: (date) => String(date.getUTCSeconds()),
  ss: (date) => two(date.getUTCSeconds()),
};
const two = (number: number) => String(number).padStart(2, '0');

/**
 * A day or time as a picture shows it: `dddd, d MMMM yyyy`; years may be written in capitals, what stands in apostrophes
 * stands as it is.
 * @param value `2026-05-03`, or with a time behind a `T`; null comes back for anything else
 */
export function dateAs(value: string, picture: string): string | null {
  if (!/^\d{4}-\d\d-\d\d(?:T\d\d:\d\d(?::\d\d)?)?$/.test(value)) return null;
  const date = new Date(`${value.includes('T') ? value : `${value}T00:00:00`}Z`);
  if (Number.isNaN(date.getTime())) return null;
  const parts = picture.matchAll(
    /'([^']*)'|(am\/pm)|(d{1,4}|D{1,4}|M{1,4}|y{1,4}|Y{1,4}|h{1,2}|H{1,2}|m{1,2}|s{1,2})|([\s\S])/gi,
  );
  let shown = '';
  for (const [all, kept, noon, letters] of parts) {
    if (kept !== undefined) shown += kept;
    else if (noon) shown += date.getUTCHours() < 12 ? 'AM' : 'PM';
    else if (letters) shown += (SAYS[letters] ?? SAYS[letters.toLowerCase()] ?? (() => all))(date);
    else shown += all;
  }
  return shown;
}

/**
 * A number as a picture shows it (ECMA-376 part 1, 17.16.4.2): `#,##0.00`, with `0` for a digit that always stands, `#`
 * for one that stands where there is one (a space where there is none), `-` and `+` for the sign, text in apostrophes,
 * and up to three pictures with semicolons between them, for what is positive, negative, nought.
 * Halves are rounded away from nought, as word processors do (common practice).
 */
export function numberAs(value: number, picture: string): string {
  const [positive = '', negative, nought] = sections(picture);
  const chosen = value < 0 ? (negative ?? positive) : value === 0 ? (nought ?? positive) : positive;
  return shownAs(Math.abs(value), value < 0, chosen, value < 0 && negative === undefined);
}

function sections(picture: string): string[] {
  const found = [''];
  let kept = false;
  for (const letter of picture) {
    if (letter === "'") kept = !kept;
    if (letter === ';' && !kept) found.push('');
    else found[found.length - 1] += letter;
  }
  return found;
}

interface Mark {
  /** A place for a digit, a point, the thousands' comma, a sign, or a letter that stands as it is. */
  kind: 'digit' | 'point' | 'comma' | 'sign' | 'text';
  text: string;
}

function marksOf(picture: string): Mark[] {
  const marks: Mark[] = [];
  let kept = false;
  for (const text of picture) {
    if (text === "'") kept = !kept;
    else if (kept) marks.push({ kind: 'text', text });
    else if (text === '0' || text === '#' || text === 'x') marks.push({ kind: 'digit', text });
    else if (text === '.' && !marks.some(({ kind }) => kind === 'point')) marks.push({ kind: 'point', text });
    else if (text === ',') marks.push({ kind: 'comma', text });
    else if (text === '-' || text === '+') marks.push({ kind: 'sign', text });
    else marks.push({ kind: 'text', text });
  }
  return marks;
}

function shownAs(value: number, negative: boolean, picture: string, signed: boolean): string {
  const marks = marksOf(picture);
  const point = marks.findIndex(({ kind }) => kind === 'point');
  const whole = point < 0 ? marks : marks.slice(0, point);
  const rest = point < 0 ? [] : marks.slice(point + 1);
  const decimals = rest.filter(({ kind }) => kind === 'digit').length;
  if (!whole.some(({ kind }) => kind === 'digit') && !decimals) return picture.replaceAll("'", '');
  const [units = '0', fraction = ''] = fixed(value, decimals).split('.');
  const grouped = marks.some(({ kind }) => kind === 'comma');
  const shown =
    wholePart(whole, units === '0' ? '' : units, grouped, negative) + fractionPart(rest, fraction);
  return signed && !marks.some(({ kind }) => kind === 'sign') ? `-${shown}` : shown;
}

/** Rounded half away from nought, which the number's own digits decide: `1.005` is a half. */
function fixed(value: number, decimals: number): string {
  const [units = '0', digits = ''] = plain(value).split('.');
  const kept = BigInt(units + digits.padEnd(decimals, '0').slice(0, decimals));
  const up = (digits[decimals] ?? '0') >= '5' ? 1n : 0n;
  const all = String(kept + up).padStart(decimals + 1, '0');
  return decimals ? `${all.slice(0, -decimals)}.${all.slice(-decimals)}` : all;
}

/** All digits of a number, without an exponent. */
function plain(value: number): string {
  const text = String(value);
  return text.includes('e') ? value.toFixed(value < 1 ? 20 : 0) : text;
}

/** From the right: digits into their places, what is left over before the first of them. */
function wholePart(marks: readonly Mark[], units: string, grouped: boolean, negative: boolean): string {
  const digits = [...units];
  let shown = '';
  let count = 0;
  let left = marks.filter(({ kind }) => kind === 'digit').length;
  const digit = (text: string) => {
    if (grouped && count && count % 3 === 0) shown = `,${shown}`;
    shown = text + shown;
    count++;
  };
  for (const { kind, text } of [...marks].reverse()) {
    if (kind === 'comma') continue;
    if (kind === 'sign') shown = (negative ? '-' : text === '+' ? '+' : ' ') + shown;
    else if (kind === 'text') shown = text + shown;
    else {
      left--;
      const own = digits.pop();
      if (own !== undefined) digit(own);
      else if (text === '0') digit('0');
      else if (text === '#' && !grouped) shown = ` ${shown}`;
      if (left === 0) while (digits.length) digit(digits.pop() ?? '');
    }
  }
  return shown;
}

function fractionPart(marks: readonly Mark[], fraction: string): string {
  const digits = [...fraction];
  // Noughts at the end stand only where the picture says so.
  const must = marks.filter(({ kind }) => kind === 'digit').map(({ text }) => text === '0');
  let end = digits.length;
  while (end > 0 && digits[end - 1] === '0' && !must[end - 1]) end--;
  let at = 0;
  let shown = '';
  for (const { kind, text } of marks) {
    if (kind === 'text' || kind === 'sign') shown += text;
    else if (kind === 'digit') {
      shown += at < end ? (digits[at] ?? '') : '';
      at++;
    }
  }
  const hasDigits = must.length > 0 && end > 0;
  return hasDigits ? `.${shown}` : shown;
}

/** A text in the case that a general format asks for (ECMA-376 part 1, 17.16.4.3). */
export function inCase(text: string, format: string): string {
  switch (format.toLowerCase()) {
    case 'upper':
      return text.toLocaleUpperCase('en-GB');
    case 'lower':
      return text.toLocaleLowerCase('en-GB');
    case 'firstcap':
      return text.replace(/\p{L}/u, (letter) => letter.toLocaleUpperCase('en-GB'));
    case 'caps':
      return text
        .toLocaleLowerCase('en-GB')
        .replace(
          /(^|[^\p{L}\p{M}'’])(\p{L})/gu,
          (_, before: string, letter: string) => before + letter.toLocaleUpperCase('en-GB'),
        );
    default:
      return text;
  }
}
