import { getDomain } from 'tldts';

/** The part of a host name that is registered, by the Public Suffix List; the name itself where it lists none. */
export function registrable(domain: string): string {
  return domain ? (getDomain(domain, { allowPrivateDomains: true }) ?? domain) : '';
}

/** Whether two domains are under one registration. */
export function sameOrganisation(a: string, b: string): boolean {
  return a !== '' && registrable(a) === registrable(b);
}
