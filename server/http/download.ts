import type { Response } from 'express';

/** Offers bytes for saving; never shown within our origin. */
export function download(res: Response, filename: string, type: string, bytes: Uint8Array): void {
  res.set({
    'Content-Type': type,
    'X-Content-Type-Options': 'nosniff',
    'Content-Security-Policy': "default-src 'none'; sandbox",
  });
  res.attachment(filename.replace(/[^\p{L}\p{N} ._()+-]/gu, '_').slice(0, 120));
  res.type(type).send(Buffer.from(bytes));
}
