import { parseCookie, stringifySetCookie } from 'cookie';
import type { Request, RequestHandler, Response } from 'express';
import { within } from '../../collection/door.ts';
import type { Opened } from '../../collection/pages.ts';
import type { AppContext } from '../../foundation/context.ts';

/** Of the office's own cookie nothing is known here, and of this one nothing there. */
const COOKIE = 'patient_clerk_page';
const PATH = '/client';

/** The visit a request comes with, from its cookie. */
export function visitOf(req: Request): string | null {
  return parseCookie(req.headers.cookie ?? '')[COOKIE] ?? null;
}

/** Sets the cookie of a visit; without one it is taken away. */
export function setVisit(res: Response, visit: string | null, secure: boolean): void {
  res.append(
    'Set-Cookie',
    stringifySetCookie({
      ...{ name: COOKIE, value: visit ?? '', path: PATH, httpOnly: true, sameSite: 'strict', secure },
      ...(visit ? {} : { maxAge: 0 }),
    }),
  );
}

/** Lets only those through who have shown the link and a code for that very page. @throws Refusal (404), (401) */
export function visiting(context: AppContext): RequestHandler<{ token: string }> {
  return async (req, res, next) => {
    res.locals.opened = await within(context, req.params.token, visitOf(req as Request), req.ip ?? '');
    next();
  };
}

/** Whose page it is: set by {@link visiting}. */
export function openedOf(res: Response): Opened {
  return res.locals.opened as Opened;
}
