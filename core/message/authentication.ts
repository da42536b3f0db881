import { domainOf } from '../address/address.ts';
import { cut, LIMITS } from './limits.ts';

/** One check of a message's sender, as a server wrote it down (RFC 8601 section 2.2). */
export interface CheckResult {
  /** `spf`, `dkim`, `dmarc`, `auth` and others, in small letters. */
  method: string;
  /** `pass`, `fail`, `none` and others, in small letters. */
  result: string;
  /** The domain it speaks for: of the envelope's sender, the signature or the From line; of `auth` the very address. */
  domain: string;
}

/** What one server wrote into one header about the sender. */
export interface ServerChecks {
  /** The name the server goes by there (RFC 8601: authserv-id), in small letters. */
  by: string;
  results: CheckResult[];
  /** Stands right below the header before it: one server may use several. */
  adjoins: boolean;
}

/** Whether the receiving server could confirm the sender: it did, it could not, it did not say of this one, it never says. */
export type Confirmation = 'confirmed' | 'failed' | 'absent' | 'untold';

/** So many such headers are looked at, from the top: the receiving server's stand above all others. */
const MOST_HEADERS = 20;
const MOST_RESULTS = 30;

/** Reads the Authentication-Results (RFC 8601) and Received-SPF (RFC 7208 section 9.1) headers, the topmost first. */
export function readChecks(headers: readonly { key: string; value: string }[]): ServerChecks[] {
  const found: ServerChecks[] = [];
  let before = -2;
  for (const [index, { key, value }] of headers.entries()) {
    const read =
      key === 'authentication-results' ? results(value) : key === 'received-spf' ? receivedSpf(value) : null;
    if (!read) continue;
    found.push({ ...read, adjoins: index === before + 1 });
    before = index;
    if (found.length >= MOST_HEADERS) break;
  }
  return found;
}

/** Takes a header apart: `id; method=result reason="…" ptype.property=value …; …`, comments left aside. */
function results(value: string): Omit<ServerChecks, 'adjoins'> | null {
  const [head = '', ...clauses] = clausesOf(cut(value, 4 * LIMITS.line));
  const by = head.trim().split(/\s/)[0]?.toLowerCase() ?? '';
  if (!by) return null;
  return {
    by: cut(by, 255),
    results: clauses.slice(0, MOST_RESULTS).flatMap((clause) => {
      const [stated = '', ...properties] = together(clause).split(' ');
      const [method = '', result = ''] = stated.toLowerCase().split('=');
      const named = method.split('/')[0] ?? '';
      return named && result
        ? [{ method: cut(named, 40), result: cut(result, 40), domain: subject(named, properties) }]
        : [];
    }),
  };
}

/** A clause with its parts close together: blanks may stand around each of these signs. */
function together(clause: string): string {
  const one = clause.replace(/\s+/g, ' ').trim();
  return ['=', '/', '.'].reduce(
    (text, sign) => text.replaceAll(` ${sign}`, sign).replaceAll(`${sign} `, sign),
    one,
  );
}

/** Of which property the domain is taken that a method speaks for (RFC 8601 sections 2.7.1 to 2.7.4; RFC 7489 section 11.2). */
const SUBJECTS: Readonly<Record<string, readonly string[]>> = {
  dmarc: ['header.from'],
  dkim: ['header.d', 'header.i'],
  spf: ['smtp.mailfrom', 'smtp.helo'],
  auth: ['smtp.auth', 'smtp.mailfrom'],
};

function subject(method: string, properties: readonly string[]): string {
  for (const wanted of SUBJECTS[method] ?? []) {
    const stated = properties.find((each) => each.toLowerCase().startsWith(`${wanted}=`));
    const value = stated?.slice(wanted.length + 1).toLowerCase() ?? '';
    // Who signed in speaks for that address alone, not for the domain.
    if (value) return cut(method === 'auth' ? value : domainOf(value) || value, 255);
  }
  return '';
}

/** Parts a header at its semicolons; those in comments or quotation marks do not count, and both are taken away. */
function clausesOf(value: string): string[] {
  const clauses = [''];
  let depth = 0;
  let quoted = false;
  for (let at = 0; at < value.length; at++) {
    const sign = value[at] ?? '';
    if (sign === '\\' && (depth || quoted)) at++;
    else if (sign === '"' && !depth) quoted = !quoted;
    else if (!quoted && sign === '(') depth++;
    else if (!quoted && sign === ')' && depth) depth--;
    else if (depth) continue;
    else if (sign === ';' && !quoted) clauses.push('');
    else clauses[clauses.length - 1] += quoted && /\s/.test(sign) ? '_' : sign;
  }
  return clauses;
}

/** `pass (comment) receiver=mx.example; client-ip=…; envelope-from="…"` */
function receivedSpf(value: string): Omit<ServerChecks, 'adjoins'> | null {
  const pairs = clausesOf(cut(value, LIMITS.line)).flatMap((clause) => clause.trim().split(/\s+/));
  const of = (name: string) =>
    pairs.find((pair) => pair.toLowerCase().startsWith(`${name}=`))?.slice(name.length + 1) ?? '';
  const by = of('receiver').toLowerCase();
  if (!by) return null;
  const result = (pairs[0] ?? '').toLowerCase();
  return {
    by: cut(by, 255),
    results: [
      {
        method: 'spf',
        result: cut(result, 40),
        domain: cut(domainOf(of('envelope-from')).toLowerCase(), 255),
      },
    ],
  };
}

/**
 * Whether the receiving server confirmed that a message is from the domain its From line shows. Only the
 * topmost headers of a server that is believed count: what stands further down may be the sender's own.
 * @param believed names by which the firm's own servers go; none when they say nothing
 * @param sameOrganisation whether two domains are under one registration (RFC 7489 section 3.1.1, relaxed)
 */
export function confirmationOf(
  checks: readonly ServerChecks[],
  from: string,
  believed: readonly string[],
  sameOrganisation: (a: string, b: string) => boolean,
): Confirmation {
  if (!believed.length) return 'untold';
  const domain = domainOf(from);
  const first = checks.findIndex(({ by }) => believed.includes(by));
  if (first < 0 || !domain) return 'absent';
  let last = first + 1;
  while (checks[last]?.adjoins && checks[last]?.by === checks[first]?.by) last++;
  const told = checks.slice(first, last).flatMap(({ results: each }) => each);
  const of = (method: string) => told.filter((each) => each.method === method);
  const speaksFor = (each: CheckResult) => each.domain !== '' && sameOrganisation(each.domain, domain);
  const passed = (each: CheckResult) => each.result === 'pass' && speaksFor(each);
  const dmarc = of('dmarc');
  if (dmarc.some(({ result }) => result === 'fail')) return 'failed';
  if (dmarc.some((each) => each.result === 'pass' && (!each.domain || speaksFor(each)))) return 'confirmed';
  if ([...of('dkim'), ...of('spf')].some(passed)) return 'confirmed';
  if (of('auth').some((each) => each.result === 'pass' && each.domain === from.toLowerCase()))
    return 'confirmed';
  const refused = (each: CheckResult) => each.result === 'fail' || each.result === 'softfail';
  return [...of('dkim'), ...of('spf')].some(refused) ? 'failed' : 'absent';
}
