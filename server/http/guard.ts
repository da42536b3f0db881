import { parseCookie, stringifySetCookie } from 'cookie';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { z } from 'zod';
import type { Role, StaffMember } from '../../contract/common.ts';
import type { Office } from '../office.ts';
import { sessionStaff } from '../security/sessions.ts';
import { Refusal } from './problems.ts';

const COOKIE = 'patient_clerk';

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
    (site && site !== 'same-origin' && site !== 'none') ||
    (origin && new URL(origin).host !== req.headers.host);
  next(foreign ? new Refusal(403, 'That request came from another site.') : undefined);
}

/** Lets only signed-in staff through and notes who it is. */
export function signedIn(office: Office): RequestHandler {
  return async (req, res, next) => {
    const token = sessionToken(req);
    const staff = token ? await sessionStaff(office.db, token) : null;
    if (!staff) throw new Refusal(401, 'Please sign in.');
    res.locals.staff = staff;
    next();
  };
}

export function staffOf(res: Response): StaffMember {
  return res.locals.staff as StaffMember;
}

/** Refuses who has none of the roles. */
export function only(...roles: Role[]): RequestHandler {
  return (_req, res, next) =>
    next(
      roles.includes(staffOf(res).role)
        ? undefined
        : new Refusal(403, 'Only an office manager or adviser can do that.'),
    );
}

/** Answers with what the contract promises; a reply that does not fit is our fault and fails loudly. */
export function reply<T extends z.ZodType>(res: Response, schema: T, value: z.input<T>): void {
  res.json(schema.parse(value));
}
