import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';
import type { Security } from './access.ts';

/**
 * Passwords and mail cross no network in the clear: without TLS there is only this machine itself.
 * @throws when mail would go unprotected over a network that others are in
 */
export function refuseOpenNetwork(host: string, security: Security): void {
  if (security === 'none' && !isLoopback(host))
    throw Object.assign(new Error('unprotected connection'), { code: 'UNPROTECTED' });
}

const LOOPBACK = new BlockList();
LOOPBACK.addSubnet('127.0.0.0', 8, 'ipv4');
LOOPBACK.addAddress('::1', 'ipv6');

/** Addresses that only mean something within a network (RFC 6890; the shared ones of RFC 6598 among them). */
const PRIVATE = new BlockList();
for (const [net, bits] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.168.0.0', 16],
  ['224.0.0.0', 3],
] as const)
  PRIVATE.addSubnet(net, bits, 'ipv4');
for (const [net, bits] of [
  ['::', 127],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  PRIVATE.addSubnet(net, bits, 'ipv6');

function within(list: BlockList, address: string): boolean {
  const family = isIP(address);
  return family !== 0 && list.check(address, family === 6 ? 'ipv6' : 'ipv4');
}

/** Whether a host is this machine itself: by its address, never by how its name begins. */
export function isLoopback(host: string): boolean {
  return host === 'localhost' || within(LOOPBACK, host);
}

/** Whether a host lies within a network rather than on the internet, by all the addresses its name stands for. */
export async function isPrivate(host: string): Promise<boolean> {
  if (isIP(host)) return within(PRIVATE, host);
  const found = await lookup(host, { all: true }).catch(() => []);
  return found.some(({ address }) => within(PRIVATE, address));
}
