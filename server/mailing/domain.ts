import { Resolver } from 'node:dns/promises';
import type { Knex } from 'knex';
import { domainOf } from '../../core/address/address.ts';
import { readHead } from '../../core/message/read.ts';
import { readRaw } from '../foundation/sources.ts';
import { likePattern } from '../foundation/rows.ts';
import { findRecipients } from './recipients.ts';
import { draftOf, readRecord } from './mailings.ts';

/** Texts that a name has in the DNS. @throws an error with a code, as node:dns does */
export type ReadTexts = (name: string) => Promise<string[][]>;

/** Nobody waits longer for the DNS, in milliseconds. */
const PATIENCE = 1500;
/** What was read of a domain, or that nothing could be, is believed so long. */
const KEPT = 5 * 60_000;
const MOST_KEPT = 200;
/** Names that are nobody's (RFC 2606, RFC 6761): there is nothing to read of them. */
const RESERVED = /(?:^|\.)(?:example|test|invalid|localhost|local)$|(?:^|\.)example\.(?:com|net|org)$/i;
/** There is such a name without a text, or no such name; anything else means that the DNS did not answer. */
const NOTHING = new Set(['ENODATA', 'ENOTFOUND']);

const resolver = new Resolver({ timeout: PATIENCE, tries: 1 });
const kept = new Map<string, { at: number; remarks: Promise<string[]> }>();

/** What the sending domains of a mailing say of themselves in the DNS, where that is trouble; nothing where it does not answer. */
export async function domainRemarks(db: Knex, id: number): Promise<string[]> {
  const record = await readRecord(db, id);
  const { recipients } = await findRecipients(db, draftOf(record), record.owner_id);
  const domains = new Set(recipients.map(({ senderEmail }) => domainOf(senderEmail)).filter(Boolean));
  const now = Date.now();
  const remarks = [...domains].map((domain) => {
    const before = kept.get(domain);
    if (before && now - before.at < KEPT) return before.remarks;
    if (kept.size >= MOST_KEPT) kept.clear();
    const read = keysOf(db, domain).then((keys) =>
      remarksOn(domain, (name) => resolver.resolveTxt(name), keys),
    );
    kept.set(domain, { at: now, remarks: read });
    return read;
  });
  return (await Promise.all(remarks)).flat();
}

/**
 * Whether a domain says who may send for it (SPF, RFC 7208) and what is to be done with what others send in its name
 * (DMARC, RFC 7489), and whether the keys that its mail was signed with (DKIM, RFC 6376) stand there.
 * @param keys names of those keys, as mail of ours bears them
 */
export async function remarksOn(
  domain: string,
  read: ReadTexts,
  keys: readonly string[] = [],
): Promise<string[]> {
  if (RESERVED.test(domain)) return [];
  const [spf, dmarc] = await Promise.all([
    textsOf(domain, /^v=spf1(?: |$)/i, read),
    textsOf(`_dmarc.${domain}`, /^v=DMARC1\s*(?:;|$)/i, read),
  ]);
  const found: string[] = [];
  if (spf?.length === 0)
    found.push(
      `${domain} does not say who may send for it (SPF), so that some servers will refuse its mail. Whoever runs the domain can add that.`,
    );
  if (spf && spf.length > 1)
    found.push(
      `${domain} says twice who may send for it (SPF): servers then heed neither. One of the two has to go.`,
    );
  if (spf?.some((text) => /(?:^|\s)\+?all(?:\s|$)/i.test(text)))
    found.push(`${domain} lets anybody send for it (SPF ends in “+all”), which counts against its mail.`);
  if (dmarc?.length === 0)
    found.push(
      `${domain} does not say what is to be done with mail that others send in its name (DMARC); large providers ask for it of whoever sends mailings.`,
    );
  for (const key of keys) {
    const texts = await textsOf(`${key}._domainkey.${domain}`, /(?:^|;)\s*p=/i, read);
    if (texts?.length === 0)
      found.push(
        `Mail of ${domain} is signed with a key (DKIM, “${key}”) that stands nowhere in its DNS: its signatures count for nothing.`,
      );
    // A key without a value has been withdrawn (RFC 6376, 3.6.1).
    else if (texts?.every((text) => /(?:^|;)\s*p=\s*(?:;|$)/i.test(text)))
      found.push(`Mail of ${domain} is signed with a key (DKIM, “${key}”) that has been withdrawn.`);
  }
  return found;
}

/** So many of the latest messages are looked through for those between colleagues, and so many of these are opened. */
const LATEST = 5000;
const OPENED = 20;
/** RFC 6376, section 3.1: labels of letters, figures and hyphens. */
const KEY_NAME = /^[a-z0-9](?:[a-z0-9._-]{0,61}[a-z0-9])?$/i;
const MOST_KEYS = 4;

/**
 * Names of the keys that a domain's mail to colleagues, such as a test copy, was signed with. What we send bears no
 * signature yet when it is put on record: its server adds that.
 */
export async function keysOf(db: Knex, domain: string): Promise<string[]> {
  if (RESERVED.test(domain)) return [];
  const rows = await db('message')
    .where('id', '>', db('message').select(db.raw('COALESCE(MAX(id), 0) - ?', [LATEST])))
    .where({ direction: 'internal' })
    .where('from_address', 'like', `%@${likePattern(domain, false)}`)
    .orderBy('id', 'desc')
    .limit(OPENED)
    .select('raw_hash');
  const heads = await Promise.all(
    rows.map(async ({ raw_hash }) => readHead(await readRaw(db, raw_hash), '')),
  );
  const found = heads.flatMap((read) => {
    const tags = new Map(
      (read.headers.get('dkim-signature') ?? '').split(';').map((tag): [string, string] => {
        const at = tag.indexOf('=');
        return [tag.slice(0, at).trim().toLowerCase(), tag.slice(at + 1).replace(/\s/g, '')];
      }),
    );
    const key = tags.get('s') ?? '';
    return tags.get('d')?.toLowerCase() === domain && KEY_NAME.test(key) ? [key] : [];
  });
  return [...new Set(found)].slice(0, MOST_KEYS);
}

/** @returns the texts of that beginning; null where the DNS did not answer */
async function textsOf(name: string, beginning: RegExp, read: ReadTexts): Promise<string[] | null> {
  try {
    return (await read(name)).map((parts) => parts.join('')).filter((text) => beginning.test(text));
  } catch (error) {
    return NOTHING.has((error as { code?: string }).code ?? '') ? [] : null;
  }
}
