import { parentPort } from 'node:worker_threads';
import { tasks, type Tasks } from './tasks.ts';

/** One task for the thread. */
export interface Asked {
  id: number;
  task: keyof Tasks;
  args: unknown[];
}

/** What became of a task. */
export interface Answered {
  id: number;
  done?: unknown;
  error?: string;
}

/** Answers go back together, but none waits longer than this for others, in milliseconds. */
const TOGETHER = 20;

const waiting: Asked[] = [];
let answers: Answered[] = [];
let since = 0;
let working = false;

async function answered({ id, task, args }: Asked): Promise<Answered> {
  try {
    const work = tasks[task] as (...given: unknown[]) => Promise<unknown>;
    return { id, done: await work(...args) };
  } catch (error) {
    return { id, error: String((error as Error).message ?? error).slice(0, 200) };
  }
}

/** Does what was asked, one after the other in the order it came. */
async function work(): Promise<void> {
  working = true;
  for (let next = waiting.shift(); next; next = waiting.shift()) {
    if (!answers.length) since = performance.now();
    answers.push(await answered(next));
    if (waiting.length && performance.now() - since < TOGETHER) continue;
    parentPort?.postMessage({ answers });
    answers = [];
  }
  working = false;
}

parentPort?.on('message', (asked: Asked[]) => {
  waiting.push(...asked);
  if (!working) void work();
});
parentPort?.postMessage({ ready: true });
