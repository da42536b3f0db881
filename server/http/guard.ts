import { parseCookie, stringifySetCookie } from 'cookie';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { z } from 'zod';
import { may, type Right } from '../../contract/rights.ts';
import type { AppContext } from '../foundation/context.ts';
import { sessionStaff, type SignedIn } from '../security/sessions.ts';
import { notAllowed, Refusal } from '../foundation/refusal.ts';

const COOKIE = 'patient_clerk';

/** The session a request comes with, from its cookie. */
export function sessionToken(req: Request): string | null {
  return parseCookie(req.headers.cookie ?? '')[COOKIE] ?? null;
}

/** Sets the session cookie; without a token it is taken away. */
export function setSessionCookie(res: Response, token: string | null, secure: boolean): void {
  res.append(
    'Set-Cookie',
    stringifySetCookie({
      name: COOKIE,
      value: token ?? '',
      httpOnly: true,
      sameSite: 'strict',
      path: '/',
      secure,
      ...(token ? {} : { maxAge: 0 }),
    }),
  );
}

/**
 * Refuses requests that change something and come from another site: browsers say where a request
 * comes from in Origin or Sec-Fetch-Site.
 */
export function sameOrigin(req: Request, _res: Response, next: NextFunction): void {
  if (req.method === 'GET' || req.method === 'HEAD') return next();
  const site = req.headers['sec-fetch-site'];
  const origin = req.headers.origin;
  const foreign =
    (site && site !== 'same-origin' && site !== 'none') || (origin && hostOf(origin) !== req.headers.host);
  next(foreign ? new Refusal(403, 'That request came from another site.') : undefined);
}

/** The host an Origin header names; none when it is `null` or no address at all. */
function hostOf(origin: string): string | null {
  return URL.canParse(origin) ? new URL(origin).host : null;
}

/**
 * Lets only signed-in staff through and notes who it is.
 * @param evenBeforeSecondStep also those of whom the office asks a second step that they have not set up yet
 * @throws Refusal (401) when nobody is, or the session has ended; (403) for the latter
 */
export function signedIn(context: AppContext, { evenBeforeSecondStep = false } = {}): RequestHandler {
  return async (req, res, next) => {
    const token = sessionToken(req);
    const staff = token ? await sessionStaff(context.db, token) : null;
    if (!staff) throw new Refusal(401, 'Please sign in.');
    if (staff.secondStepFirst && !evenBeforeSecondStep)
      throw new Refusal(403, 'Your office asks for a second step at sign-in. Set it up first.');
    res.locals.staff = staff;
    next();
  };
}

/** Who asks: set by {@link signedIn}. */
export function staffOf(res: Response): SignedIn {
  return res.locals.staff as SignedIn;
}

/** Refuses whose role does not give the right. */
export function only(right: Right): RequestHandler {
  return (_req, res, next) => next(may(staffOf(res).role, right) ? undefined : notAllowed(right));
}

/** Answers with what the contract promises; a reply that does not fit is our fault and fails loudly. */
export function reply<T extends z.ZodType>(res: Response, schema: T, value: z.input<T>): void {
  res.json(schema.parse(value));
}
