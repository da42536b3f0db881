import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { readHead } from '../../core/message/read.ts';
import { NOTHING_WRITTEN, type Written } from '../../core/message/written.ts';
import { packRaw, type RawRow } from '../foundation/sources.ts';
import { buildMessage, type MessageParts } from './build.ts';
import { jsonOf, packReading, readingIn, type KeptReading } from './pack.ts';
import { keptOf, type Tasks } from './tasks.ts';
import type { Answered, Asked } from './thread.ts';

/** Threads that read what comes in; this process and the database are the other half of the work. */
const THREADS = Math.max(1, Math.min(3, availableParallelism() - 1));
/** One more comes up when a person waits, or one of them is at something slow. */
const MOST_THREADS = THREADS + 1;
/** A task is slow when it takes this long, in milliseconds. */
const SLOW = 250;
/** So long a task may take, in milliseconds, and so much longer for each byte it is given. */
const TIME = 2000;
const TIME_PER_BYTE = 0.00008;
/** Tasks, and bytes of them, that lie ready in a thread while it works on the first. */
const AHEAD = 100;
const AHEAD_BYTES = 16 * 1024 * 1024;
/** A thread that does not come up so often in a row will not. */
const MOST_FALSE_STARTS = 5;

/** What a thread may not exceed; what goes beyond ends it, and nothing else. */
const MEMORY = { maxOldGenerationSizeMb: 512, maxYoungGenerationSizeMb: 64 };

/** A task that could not be done even alone: it took too long, needed too much memory, or failed. */
export class CouldNotBeRead extends Error {}

interface Job {
  asked: Asked;
  bytes: number;
  /** A person waits for it. */
  urgent: boolean;
  /** It may take so much longer than others, in milliseconds. */
  time: number;
  /** Its second try, in a thread that does nothing else. */
  alone: boolean;
  resolve(value: unknown): void;
  reject(error: Error): void;
}

interface Thread {
  worker: Worker;
  ready: boolean;
  /** What it was given, in order; it works on the first. */
  jobs: Job[];
  timers: NodeJS.Timeout[];
  /** The task at hand takes longer than most. */
  slow: boolean;
}

/**
 * Threads that do what a stranger's mail costs, so that it costs nobody else anything: each task has a time
 * and a memory limit, gets a second try by itself, and takes nothing with it when it fails.
 */
export class ReadingPool {
  private readonly threads = new Set<Thread>();
  private readonly waiting: Job[] = [];
  private asked = 0;
  private falseStarts = 0;
  private soon: Promise<void> | null = null;

  /** @param time a task may take, in milliseconds, and how much longer for each byte */
  constructor(private readonly time = { each: TIME, perByte: TIME_PER_BYTE }) {}

  /**
   * @param time it may take so much longer than others, in milliseconds
   * @throws CouldNotBeRead
   */
  run<T extends keyof Tasks>(
    task: T,
    args: Parameters<Tasks[T]>,
    { urgent = true, time = 0 } = {},
  ): Promise<Awaited<ReturnType<Tasks[T]>>> {
    const bytes = args.reduce((sum: number, arg) => sum + (arg instanceof Uint8Array ? arg.length : 0), 0);
    return new Promise((resolve, reject) => {
      const asked = { id: ++this.asked, task, args };
      this.line({
        asked,
        bytes,
        urgent,
        time,
        alone: false,
        resolve: resolve as (value: unknown) => void,
        reject,
      });
      // What is asked for at one moment is handed over together.
      this.soon ??= Promise.resolve().then(() => {
        this.soon = null;
        this.hand();
      });
    });
  }

  /** Lets a thread come up before there is anything for it. */
  warm(): void {
    if (!this.threads.size) this.start();
    this.hand();
  }

  /** Into the line: what a person waits for before what only has to be done. */
  private line(job: Job): void {
    const before = job.urgent ? this.waiting.findIndex((other) => !other.urgent) : -1;
    if (before < 0) this.waiting.push(job);
    else this.waiting.splice(before, 0, job);
  }

  /** Gives the threads what waits. */
  private hand(): void {
    const [first] = this.waiting;
    const more = first && (first.urgent || this.slow()) && !this.idle();
    if (first && this.threads.size < (more ? MOST_THREADS : THREADS)) this.start();
    for (const [place, thread] of [...this.threads].entries()) {
      const given: Asked[] = [];
      while (thread.ready && this.waiting[0] && takes(thread, this.waiting[0], place >= THREADS)) {
        const job = this.waiting.shift() as Job;
        thread.jobs.push(job);
        if (thread.jobs.length === 1) this.watch(thread);
        given.push(job.asked);
      }
      if (given.length) thread.worker.postMessage(given);
      // A thread at work keeps the process alive, an idle one does not.
      if (thread.jobs.length || this.waiting.length) thread.worker.ref();
      else thread.worker.unref();
    }
  }

  /** Whether a thread is free, or will be as soon as it is up. */
  private idle(): boolean {
    return [...this.threads].some(({ ready, jobs }) => !ready || !jobs.length);
  }

  private slow(): boolean {
    return [...this.threads].some((thread) => thread.slow);
  }

  private start(): void {
    const worker = new Worker(new URL('./thread.mjs', import.meta.url), {
      execArgv: [],
      resourceLimits: MEMORY,
    });
    const thread: Thread = { worker, ready: false, jobs: [], timers: [], slow: false };
    this.threads.add(thread);
    worker.on('message', (said: { ready?: true; answers?: Answered[] }) => {
      if (said.ready) {
        thread.ready = true;
        this.falseStarts = 0;
      }
      for (const answer of said.answers ?? []) this.answered(thread, answer);
      this.watch(thread);
      this.hand();
    });
    worker.on('error', (error: Error & { code?: string }) =>
      this.ended(
        thread,
        error.code === 'ERR_WORKER_OUT_OF_MEMORY' ? 'it needs too much memory' : error.message,
      ),
    );
    worker.on('exit', () => this.ended(thread, 'the thread that read it ended'));
  }

  private answered(thread: Thread, { id, done, error }: Answered): void {
    const job = thread.jobs[0];
    if (job?.asked.id !== id) return;
    thread.jobs.shift();
    if (error === undefined) job.resolve(done);
    else job.reject(new CouldNotBeRead(error));
  }

  /** Gives the first task of a thread its time. */
  private watch(thread: Thread): void {
    for (const timer of thread.timers) clearTimeout(timer);
    thread.timers = [];
    thread.slow = false;
    const job = thread.jobs[0];
    if (!job) return;
    const time = this.time.each + job.time + job.bytes * this.time.perByte;
    // This process may have been busy itself: what has been answered meanwhile is heard first.
    const after = (wait: number, then: () => void) =>
      setTimeout(() => setImmediate(() => setImmediate(() => thread.jobs[0] === job && then())), wait);
    thread.timers.push(
      after(SLOW, () => {
        thread.slow = true;
        this.hand();
      }),
      after(time, () => this.ended(thread, `it takes longer than ${(time / 1000).toFixed(0)} seconds`)),
    );
  }

  /** A thread hangs or died: the task it was at is suspected, the others are given to another. */
  private ended(thread: Thread, why: string): void {
    if (!this.threads.delete(thread)) return;
    for (const timer of thread.timers) clearTimeout(timer);
    void thread.worker.terminate();
    const [suspect, ...others] = thread.jobs;
    this.waiting.unshift(...others);
    if (!thread.ready && ++this.falseStarts >= MOST_FALSE_STARTS) {
      this.falseStarts = 0;
      for (const job of this.waiting.splice(0)) job.reject(new Error(`Mail cannot be read now: ${why}`));
    }
    if (suspect?.alone) suspect.reject(new CouldNotBeRead(why));
    else if (suspect) this.line({ ...suspect, alone: true });
    this.hand();
  }
}

/**
 * Whether a thread may be given a task beside what it has: a suspect only by itself, one that a person waits
 * for not behind many others, and the further thread no more than it can do at once.
 */
function takes({ jobs }: Thread, job: Job, further: boolean): boolean {
  if (!jobs.length) return true;
  if (job.alone || jobs[0]?.alone || jobs.length >= AHEAD) return false;
  if (further || (job.urgent && jobs.length > 1)) return false;
  return jobs.reduce((sum, each) => sum + each.bytes, job.bytes) <= AHEAD_BYTES;
}

/** One pool serves the whole process. */
export const pool = new ReadingPool();

/** A source packed for keeping, and what was read of it. */
export interface Reading {
  raw: RawRow;
  kept: KeptReading;
  /** Its parts, as told by the name it shows. */
  written: Written;
}

/**
 * Reads a source in a thread. Never throws for what it holds: what cannot be read comes with its headers and says why.
 * @throws when the thread fails for another reason than the message
 */
export async function readSource(bytes: Uint8Array, { urgent = false } = {}): Promise<Reading> {
  try {
    const { kept, written, ...raw } = await pool.run('read', [bytes], { urgent });
    const { hash, size, packed, reading } = raw;
    const read = readingIn(kept);
    if (!read) throw new Error('A thread reads in the way of another version.');
    return {
      raw: { hash: asBuffer(hash), size, packed: asBuffer(packed), reading: asBuffer(reading) },
      kept: read,
      written,
    };
  } catch (error) {
    if (!(error instanceof CouldNotBeRead)) throw error;
    return unread(bytes, error.message);
  }
}

/** A message of which only the headers are known, and its source for a person to look at. @param why in words */
export async function unread(bytes: Uint8Array, why: string): Promise<Reading> {
  const kept = keptOf(bytes, await readHead(bytes, why));
  return {
    raw: { ...(await packRaw(bytes)), reading: packReading(jsonOf(kept)) },
    kept,
    written: NOTHING_WRITTEN,
  };
}

/**
 * Builds a message that we write in a thread, packed to be kept; here, when the threads cannot: what is ours to send is
 * not given up for their sake.
 * @throws when it cannot be built
 */
export async function buildBeside(parts: MessageParts): Promise<{ raw: Buffer; packed: RawRow }> {
  try {
    const { raw, hash, packed } = await pool.run('build', [parts], { urgent: false });
    return {
      raw: asBuffer(raw),
      packed: { hash: asBuffer(hash), size: raw.length, packed: asBuffer(packed) },
    };
  } catch {
    const raw = await buildMessage(parts);
    return { raw, packed: await packRaw(raw) };
  }
}

/** Reads sources side by side, in the order given. */
export function readSources(raws: readonly Uint8Array[]): Promise<Reading[]> {
  return Promise.all(raws.map((raw) => readSource(raw)));
}

function asBuffer(bytes: Uint8Array): Buffer {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}
