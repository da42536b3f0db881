import { Router } from 'express';
import {
  PasswordChange,
  RailCounts,
  RailQuery,
  Session,
  SignIn,
  type StaffMember,
} from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import type { AppContext } from '../foundation/context.ts';
import { mustWait, noteAttempt, type Measured } from '../security/attempts.ts';
import {
  changePassword,
  closeSession,
  closeSessions,
  openSession,
  sessionStaff,
} from '../security/sessions.ts';
import { railCounts } from '../today/rail.ts';
import { reply, sessionToken, setSessionCookie, signedIn, staffOf } from './guard.ts';
import { Refusal } from '../foundation/refusal.ts';

/** Signing in and out, passwords, and the rail. @throws Refusal when signing in fails, or too often */
export function sessionRoutes(context: AppContext): Router {
  const router = Router();
  const { db, log } = context;

  const describe = async (staff: StaffMember) => {
    const firm = await context.firm();
    const colleagues: StaffMember[] = await db('staff')
      .where({ active: 1 })
      .orderBy('name')
      .select('id', 'name', 'email', 'role');
    return { staff, firm: { name: firm.name, zone: firm.zone }, colleagues };
  };

  router.post('/session', async (req, res) => {
    const { email, password } = SignIn.parse(req.body);
    const account = email.trim().toLowerCase();
    const from = req.ip ?? 'nowhere';
    const measures: [Measured, string][] = [
      ['sign in as', `${account} ${from}`],
      ['sign in from', from],
      ['sign in to', account],
    ];
    for (const [what, who] of measures) {
      const minutes = await mustWait(db, what, who);
      if (minutes)
        throw new Refusal(
          429,
          `Too many wrong passwords. Please wait ${minutes === 1 ? 'a minute' : `${minutes} minutes`}, or ask your office manager.`,
        );
    }
    const token = await openSession(db, email, password);
    const staff = token ? await sessionStaff(db, token) : null;
    if (!token || !staff) {
      for (const [what, who] of measures) await noteAttempt(db, what, who);
      await noteAudit(db, {
        staffId: null,
        action: 'sign-in refused',
        subject: 'staff',
        id: 0,
        after: { account, from },
      });
      log.warn({ from }, 'sign-in refused');
      throw new Refusal(400, 'That address and password do not go together.', 'password');
    }
    setSessionCookie(res, token, context.config.secureCookies || req.secure);
    reply(res, Session, await describe(staff));
  });

  router.get('/session', signedIn(context), async (_req, res) =>
    reply(res, Session, await describe(res.locals.staff as StaffMember)),
  );

  router.delete('/session', async (req, res) => {
    const token = sessionToken(req);
    if (token) await closeSession(db, token);
    setSessionCookie(res, null, context.config.secureCookies || req.secure);
    res.status(204).end();
  });

  router.put('/session/password', signedIn(context), async (req, res) => {
    const { current, next } = PasswordChange.parse(req.body);
    const staff = staffOf(res);
    const who = `${staff.email} ${req.ip ?? 'nowhere'}`;
    if (await mustWait(db, 'sign in as', who))
      throw new Refusal(429, 'Too many wrong passwords. Please wait some minutes.', 'current');
    if (!(await changePassword(db, staff.id, current, next, sessionToken(req) ?? ''))) {
      await noteAttempt(db, 'sign in as', who);
      throw new Refusal(400, 'That is not your present password.', 'current');
    }
    await noteAudit(db, { staffId: staff.id, action: 'password changed', subject: 'staff', id: staff.id });
    res.status(204).end();
  });

  router.delete('/session/everywhere', signedIn(context), async (req, res) => {
    const staff = staffOf(res);
    await closeSessions(db, staff.id);
    await noteAudit(db, {
      staffId: staff.id,
      action: 'signed out everywhere',
      subject: 'staff',
      id: staff.id,
    });
    setSessionCookie(res, null, context.config.secureCookies || req.secure);
    res.status(204).end();
  });

  router.get('/rail', signedIn(context), async (req, res) =>
    reply(res, RailCounts.partial(), await railCounts(db, staffOf(res), RailQuery.parse(req.query).of)),
  );
  return router;
}
