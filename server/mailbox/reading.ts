import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { ReadMessage } from '../../core/message/read.ts';
import type { Written } from '../../core/message/written.ts';
import type { RawRow } from '../database/raw.ts';

/** A raw message packed for keeping, and read; of its enclosures the names, not the bytes. */
export interface Reading {
  raw: RawRow;
  read: ReadMessage;
  /** Its parts, as told by the name it shows. */
  written: Written;
}

interface Answer {
  id: number;
  readings?: (Omit<Reading, 'raw'> & { raw: { hash: Uint8Array; size: number; packed: Uint8Array } })[];
  error?: string;
}

/** Threads that read; this process itself is the other half of the work. */
const THREADS = Math.max(1, Math.min(3, availableParallelism() - 1));

interface Thread {
  worker: Worker;
  waiting: Map<number, { resolve(readings: Reading[]): void; reject(error: Error): void }>;
}

const threads: Thread[] = [];
let asked = 0;

/** Reads messages in a thread of its own, each source once. One pool serves the whole process. */
export function readAll(raws: readonly Uint8Array[]): Promise<Reading[]> {
  const id = ++asked;
  const thread = threadFor(id);
  return new Promise((resolve, reject) => {
    thread.waiting.set(id, { resolve, reject });
    // A thread at work keeps the process alive, an idle one does not.
    thread.worker.ref();
    thread.worker.postMessage({ id, raws });
  });
}

function threadFor(id: number): Thread {
  const place = id % THREADS;
  return (threads[place] ??= startThread(place));
}

function startThread(place: number): Thread {
  const worker = new Worker(new URL('./readingThread.mjs', import.meta.url), {
    execArgv: [],
    // Most of what it makes is soon forgotten.
    resourceLimits: { maxOldGenerationSizeMb: 512, maxYoungGenerationSizeMb: 64 },
  });
  const thread: Thread = { worker, waiting: new Map() };
  worker.on('message', ({ id, readings, error }: Answer) => {
    const waiting = thread.waiting.get(id);
    thread.waiting.delete(id);
    if (!thread.waiting.size) worker.unref();
    if (readings)
      waiting?.resolve(
        readings.map(({ raw, ...rest }) => ({
          raw: { hash: asBuffer(raw.hash), size: raw.size, packed: asBuffer(raw.packed) },
          ...rest,
        })),
      );
    else waiting?.reject(new Error(error));
  });
  const ended = (error: Error) => {
    delete threads[place];
    for (const { reject } of thread.waiting.values()) reject(error);
    thread.waiting.clear();
  };
  worker.on('error', ended);
  worker.on('exit', () => ended(new Error('the reading thread ended')));
  worker.unref();
  return thread;
}

function asBuffer(bytes: Uint8Array): Buffer {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}
