import type { z } from 'zod';
import { Problem } from '../../../contract/common.ts';

/** The link's own token: the last part of the address. */
const token = location.pathname.split('/')[2] ?? '';

/** Where something of this page is had. */
export const address = (path: string): string => `/client/api/${encodeURIComponent(token)}${path}`;

/** What the server would not do, or that it did not answer. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

/** Asks the server. @throws Refused, in words for whoever reads the page */
export async function ask(method: string, path: string, body?: unknown): Promise<unknown> {
  const raw = body instanceof Blob;
  const init: RequestInit = {
    method,
    ...(body === undefined
      ? {}
      : {
          headers: { 'content-type': raw ? 'application/octet-stream' : 'application/json' },
          body: raw ? body : JSON.stringify(body),
        }),
  };
  const response = await fetch(address(path), init).catch(() => {
    throw new Refused(0, 'There is no answer just now. What you typed is still here; try again in a moment.');
  });
  if (response.status === 204) return undefined;
  const answer: unknown = await response.json().catch(() => undefined);
  if (response.ok) return answer;
  if (response.status === 401 && method !== 'GET')
    throw new Refused(401, 'An hour has passed. Load this page again, and ask for another code.');
  const problem = Problem.safeParse(answer);
  throw new Refused(response.status, problem.data?.message ?? 'Something went wrong. Please try again.');
}

/** The same, with an answer that is held to its schema. */
export async function read<T extends z.ZodType>(schema: T, path: string): Promise<z.output<T>> {
  return schema.parse(await ask('GET', path));
}
