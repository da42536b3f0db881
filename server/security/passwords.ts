import { hash, verify } from '@node-rs/argon2';

/** Argon2id with the parameters of RFC 9106's second recommendation, scaled to 19 MiB as OWASP's cheat sheet gives. */
const COST = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

export function hashPassword(password: string): Promise<string> {
  return hash(password, COST);
}

export async function passwordFits(stored: string, password: string): Promise<boolean> {
  return verify(stored, password).catch(() => false);
}
