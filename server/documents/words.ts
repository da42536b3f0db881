import type { AppContext } from '../foundation/context.ts';
import { inSeconds, transact, type Database } from '../foundation/database.ts';
import { Rounds } from '../foundation/rounds.ts';
import type { Rows } from '../foundation/tables.ts';
import { documentText } from '../reading/documentText.ts';
import { contentOf } from './content.ts';

/** Reading one may take this long, in seconds, before another process takes it to be given up. */
const LEASE_SECONDS = 120;
/** What ends its process so often is not read. */
const MOST_TRIES = 3;
/** Words of a document that search finds, in letters. */
const MOST_WORDS = 100_000;

/** A content, and what it is called. */
export interface Content {
  hash: Buffer;
  filename: string;
  mimeType: string;
}

const asContent = ({ hash, filename, mime_type }: Rows['document']): Content => ({
  ...{ hash, filename },
  mimeType: mime_type,
});

/**
 * The words of a content, read once and then kept; empty where none can be read.
 * @param read its bytes, where they are wanted
 */
export async function wordsOf(
  db: Database,
  content: Content,
  read: () => Promise<Uint8Array>,
): Promise<string> {
  const { hash } = content;
  const known = await db('document_reading').where({ hash }).whereNot({ state: 'waiting' }).first('words');
  return known ? (known.words ?? '') : readWords(db, content, read);
}

async function readWords(db: Database, content: Content, read: () => Promise<Uint8Array>): Promise<string> {
  const { hash } = content;
  const words = (await documentText(await read(), content)).slice(0, MOST_WORDS);
  const state = words.trim() ? ('read' as const) : ('unreadable' as const);
  const row = { state, words: words || null, lease_until: null };
  await db('document_reading')
    .insert({ hash, ...row })
    .onConflict('hash')
    .merge(row);
  return words;
}

/**
 * Reads the words of documents, so that search finds them: each content once, one after another, beside all else.
 * Any number of processes work side by side, each content claimed under a lease.
 */
export class DocumentReader {
  private readonly rounds: Rounds;

  constructor(private readonly context: AppContext) {
    this.rounds = new Rounds(
      context,
      () => this.round(),
      ['documents', 'mail'],
      'a document could not be read',
    );
  }

  start(): void {
    this.rounds.start();
  }

  async stop(): Promise<void> {
    await this.rounds.stop();
  }

  /** Reads one. @returns whether there was any */
  async round(): Promise<boolean> {
    const hash = await this.claim();
    if (!hash) return false;
    const { db } = this.context;
    const row = await db('document').where({ hash }).orderBy('id').first();
    if (row) await readWords(db, asContent(row), async () => (await contentOf(db, row)).content);
    else await db('document_reading').where({ hash }).update({ state: 'unreadable', lease_until: null });
    return true;
  }

  private async claim(): Promise<Buffer | null> {
    return transact(this.context.db, async (trx) => {
      const row = await trx('document_reading')
        .where({ state: 'waiting' })
        .where((free) => free.whereNull('lease_until').orWhereRaw('lease_until < UTC_TIMESTAMP(3)'))
        .limit(1)
        .forUpdate()
        .skipLocked()
        .first();
      if (!row) return null;
      const { hash } = row;
      const given = row.tries >= MOST_TRIES;
      await trx('document_reading')
        .where({ hash })
        .update(
          given
            ? { state: 'unreadable', lease_until: null }
            : { tries: row.tries + 1, lease_until: inSeconds(trx, LEASE_SECONDS) },
        );
      return given ? null : hash;
    });
  }
}
