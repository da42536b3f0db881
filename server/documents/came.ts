import type { Knex } from 'knex';
import { cut } from '../../core/message/limits.ts';
import type { Transaction } from '../foundation/database.ts';
import { insertAll } from '../foundation/rows.ts';
import type { KeptReading } from '../reading/pack.ts';

/** An enclosure as a document. */
export interface CameWith {
  /** Its number in its message. */
  part: number;
  hash: Buffer;
  filename: string;
  mimeType: string;
  /** In bytes. */
  size: number;
}

/** Of one message no more become documents. */
const MOST = 100;
/** What programs enclose for programs (RFC 3462, 8551, 3156, 6047), and no person looks for. */
const FOR_PROGRAMS =
  /^(?:message\/(?:delivery-status|disposition-notification)|text\/(?:rfc822-headers|calendar)|application\/(?:x-)?(?:pkcs7-signature|pgp-signature))$/i;

/** What of a message's enclosures is a document: no picture within its text, nothing that programs say to programs. */
export function documentsOf({ read, hashes = [] }: KeptReading): CameWith[] {
  return read.enclosures
    .flatMap((enclosure, part): CameWith[] => {
      const { filename, mimeType, size, inline } = enclosure;
      const hash = hashes[part];
      if (inline || !size || hash === undefined || FOR_PROGRAMS.test(mimeType)) return [];
      return [
        {
          part,
          hash: Buffer.from(hash, 'hex'),
          filename: cut(filename, 255),
          mimeType: cut(mimeType, 120),
          size,
        },
      ];
    })
    .slice(0, MOST);
}

/** Notes what came with messages; what is noted already stays as it is. */
export async function noteDocuments(
  trx: Transaction | Knex,
  messages: readonly { id: number; at: Date; documents: readonly CameWith[] }[],
): Promise<void> {
  const rows = messages.flatMap(({ id, at, documents }) =>
    documents.map(({ part, hash, filename, mimeType, size }) => ({
      ...{ hash, filename, mime_type: mimeType, size, at },
      ...{ message_id: id, part },
    })),
  );
  await insertAll(trx, 'document', rows, { ignore: true });
  await insertAll(trx, 'document_reading', contents(rows), { ignore: true });
}

/** Each content once: its words are read by and by. */
export function contents(rows: readonly { hash: Buffer }[]): { hash: Buffer }[] {
  return [...new Map(rows.map(({ hash }) => [hash.toString('hex'), { hash }])).values()];
}
