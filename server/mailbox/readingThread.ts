import { createHash } from 'node:crypto';
import { parentPort } from 'node:worker_threads';
import { deflateRawSync } from 'node:zlib';
import { readMessage, type ReadMessage } from '../../core/message/read.ts';
import { writtenPart } from '../../core/message/written.ts';

/**
 * The thread that reads raw messages. The parser gathers every part in a Blob, and Node's goes through the
 * event loop for each; in this thread, where nothing else uses it, a plain holder of bytes stands for it.
 */
class Bytes {
  private readonly whole: Buffer;

  constructor(parts: readonly (string | ArrayBuffer | Uint8Array)[]) {
    this.whole = Buffer.concat(
      parts.map((part) =>
        typeof part === 'string'
          ? Buffer.from(part)
          : part instanceof ArrayBuffer
            ? Buffer.from(part)
            : Buffer.from(part.buffer, part.byteOffset, part.byteLength),
      ),
    );
  }

  arrayBuffer(): Promise<ArrayBuffer> {
    const { buffer, byteOffset, byteLength } = this.whole;
    return Promise.resolve(buffer.slice(byteOffset, byteOffset + byteLength) as ArrayBuffer);
  }
}
globalThis.Blob = Bytes as unknown as typeof Blob;

/** Quick rather than small; less working memory than usual is quicker to set up for each message. */
const PACKING = { level: 1, memLevel: 7 };

/** Headers that intake looks at itself. */
const HEADERS = ['date', 'list-id', 'delivered-to', 'x-original-to', 'envelope-to'];

/** What intake needs of a message: its enclosures without their bytes, since the source is kept whole. */
function lean(read: ReadMessage): ReadMessage {
  return {
    ...read,
    headers: new Map(
      HEADERS.flatMap((name) => (read.headers.has(name) ? [[name, read.headers.get(name) ?? '']] : [])),
    ),
    html: read.html === null ? null : '',
    enclosures: read.enclosures.map((part) => ({ ...part, content: new Uint8Array() })),
    enclosed: read.enclosed && lean(read.enclosed),
  };
}

parentPort?.on('message', async ({ id, raws }: { id: number; raws: Uint8Array[] }) => {
  try {
    const readings = [];
    for (const bytes of raws) {
      const read = await readMessage(bytes);
      readings.push({
        raw: {
          hash: createHash('sha256').update(bytes).digest(),
          size: bytes.length,
          packed: deflateRawSync(bytes, PACKING),
        },
        read: lean(read),
        written: writtenPart(read.text, read.from?.name ? [read.from.name] : [], read.from?.address),
      });
    }
    parentPort?.postMessage({ id, readings });
  } catch (error) {
    parentPort?.postMessage({ id, error: String(error) });
  }
});
