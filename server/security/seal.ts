import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';

/**
 * Seals a password with AES-256-GCM: a fresh 12-byte nonce, the 16-byte tag, then the text.
 * @param key 32 bytes, kept outside the database
 */
export function seal(key: Buffer, text: string): Buffer {
  const nonce = randomBytes(12);
  const cipher = createCipheriv('aes-256-gcm', key, nonce);
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed]);
}

/** @throws when the key is not the one it was sealed with, or the bytes were touched */
export function unseal(key: Buffer, sealed: Buffer): string {
  const decipher = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, 12));
  decipher.setAuthTag(sealed.subarray(12, 28));
  return Buffer.concat([decipher.update(sealed.subarray(28)), decipher.final()]).toString('utf8');
}
