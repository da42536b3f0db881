import { hash, verify } from '@node-rs/argon2';

/** Argon2id with the parameters of RFC 9106's second recommendation, scaled to 19 MiB as OWASP's cheat sheet gives. */
const COST = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

/** A password as it is kept (Argon2, RFC 9106). */
export function hashPassword(password: string): Promise<string> {
  return hash(password, COST);
}

/** Whether a password is the one that is kept. */
export async function passwordFits(stored: string, password: string): Promise<boolean> {
  return verify(stored, password).catch(() => false);
}
