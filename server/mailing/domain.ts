import { Resolver } from 'node:dns/promises';
import type { Knex } from 'knex';
import { domainOf } from '../../core/address/address.ts';
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
    const read = remarksOn(domain, (name) => resolver.resolveTxt(name));
    kept.set(domain, { at: now, remarks: read });
    return read;
  });
  return (await Promise.all(remarks)).flat();
}

/**
 * Whether a domain says who may send for it (SPF, RFC 7208) and what is to be done with what others send in its name
 * (DMARC, RFC 7489). Its signatures (DKIM) cannot be asked for without the name that the provider gave its key.
 */
export async function remarksOn(domain: string, read: ReadTexts): Promise<string[]> {
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
  return found;
}

/** @returns the texts of that beginning; null where the DNS did not answer */
async function textsOf(name: string, beginning: RegExp, read: ReadTexts): Promise<string[] | null> {
  try {
    return (await read(name)).map((parts) => parts.join('')).filter((text) => beginning.test(text));
  } catch (error) {
    return NOTHING.has((error as { code?: string }).code ?? '') ? [] : null;
  }
}
