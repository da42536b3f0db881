import { parentPort } from 'node:worker_threads';
import { Bytes } from './bytes.ts';
import { tasks, type Tasks } from './tasks.ts';

globalThis.Blob = Bytes as unknown as typeof Blob;

/** One task for the thread, which does them one after the other in the order they came. */
export interface Asked {
  id: number;
  task: keyof Tasks;
  args: unknown[];
}

let before: Promise<void> = Promise.resolve();

parentPort?.on('message', ({ id, task, args }: Asked) => {
  before = before.then(async () => {
    try {
      const work = tasks[task] as (...given: unknown[]) => Promise<unknown>;
      parentPort?.postMessage({ id, done: await work(...args) });
    } catch (error) {
      parentPort?.postMessage({ id, error: String((error as Error).message ?? error).slice(0, 200) });
    }
  });
});
parentPort?.postMessage({ ready: true });
