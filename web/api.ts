import type { z } from 'zod';
import { Problem } from '../contract/index.ts';

/** A refusal from the server, or no answer at all, in words for the person. */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field: string | null = null,
    /** What stands there now, by field, where somebody else has changed it meanwhile. */
    readonly now?: Record<string, unknown>,
  ) {
    super(message);
  }
}

export type Query = Record<string, string | number | boolean | null | undefined>;

/** Called when the session has ended. */
let onSignedOut: () => void = () => undefined;
export function whenSignedOut(act: () => void): void {
  onSignedOut = act;
}

/** What goes with a request: JSON, or a file as it is. */
function sent(body: unknown): RequestInit {
  if (body === undefined) return {};
  if (body instanceof Blob) return { headers: { 'content-type': 'application/octet-stream' }, body };
  return { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) };
}

async function ask(method: string, path: string, body?: unknown): Promise<unknown> {
  const response = await answered(method, path, body);
  return response.status === 204 ? undefined : response.json().catch(() => undefined);
}

/** @throws ApiProblem when there is no answer, or a refusal */
async function answered(method: string, path: string, body?: unknown): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, { method, ...sent(body) });
  } catch {
    throw new ApiProblem(
      0,
      'Patient Clerk does not answer. What you typed is still here; try again in a moment.',
    );
  }
  if (response.ok) return response;
  const answer: unknown = await response.json().catch(() => undefined);
  const problem = Problem.safeParse(answer);
  if (response.status === 401) onSignedOut();
  throw new ApiProblem(
    response.status,
    problem.data?.message ?? 'Something went wrong. Please try again.',
    problem.data?.field ?? null,
    problem.data?.now,
  );
}

export function get<T extends z.ZodType>(schema: T, path: string, query: Query = {}): Promise<z.output<T>> {
  const wanted = Object.entries(query).filter(
    ([, value]) => value !== undefined && value !== null && value !== '',
  );
  const search = new URLSearchParams(wanted.map(([name, value]) => [name, String(value)]));
  return ask('GET', search.size ? `${path}?${search}` : path).then((answer) => schema.parse(answer));
}

export function send<T extends z.ZodType>(
  method: 'POST' | 'PUT',
  schema: T,
  path: string,
  body: unknown,
): Promise<z.output<T>> {
  return ask(method, path, body).then((answer) => schema.parse(answer));
}

/** Asks for a file, and hands it to the browser to keep. */
export async function takeFile(path: string, body: unknown): Promise<void> {
  const response = await answered('POST', path, body);
  const named = /filename="?([^";]+)"?/.exec(response.headers.get('content-disposition') ?? '');
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await response.blob());
  link.download = named?.[1] ?? 'list';
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** What lies at a path as it is: a page to be shown in a frame, or bytes. @throws ApiProblem */
export async function fetched(path: string): Promise<Response> {
  return answered('GET', path);
}

/** What a server makes of something as it is: bytes to be shown. @throws ApiProblem */
export async function posted(path: string, body: unknown): Promise<Response> {
  return answered('POST', path, body);
}

/** Hands a file over as it is. @returns the answer, to be parsed by whoever asked */
export function upload(path: string, query: Record<string, string>, file: Blob): Promise<unknown> {
  return ask('POST', `${path}?${new URLSearchParams(query)}`, file);
}

export async function act(method: 'POST' | 'PUT' | 'DELETE', path: string, body?: unknown): Promise<void> {
  await ask(method, path, body);
}

/** The words of any error, for showing. */
export function wordsOf(error: unknown): string {
  return error instanceof ApiProblem ? error.message : 'Something went wrong. Please try again.';
}
