/**
 * The parser gathers every part in a Blob, and Node's goes through the event loop for each; a plain holder of
 * bytes stands for it in the threads that read, where nothing else uses one. Lines come one by one, each with
 * its line end as a piece of its own, so that pieces are written straight to their place.
 */
export class Bytes {
  private readonly whole: Uint8Array<ArrayBuffer>;

  constructor(parts: readonly (string | ArrayBuffer | Uint8Array)[]) {
    let length = 0;
    for (const part of parts) length += typeof part === 'string' ? Buffer.byteLength(part) : part.byteLength;
    const whole = new Uint8Array(length);
    let at = 0;
    for (const part of parts) {
      if (part === '\n') whole[at++] = 10;
      else {
        const bytes =
          typeof part === 'string'
            ? Buffer.from(part)
            : part instanceof ArrayBuffer
              ? new Uint8Array(part)
              : part;
        whole.set(bytes, at);
        at += bytes.length;
      }
    }
    this.whole = whole;
  }

  /** The bytes, as the parser asks a Blob for them. */
  arrayBuffer(): Promise<ArrayBuffer> {
    return Promise.resolve(this.whole.buffer);
  }
}
