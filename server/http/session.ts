import { Router } from 'express';
import { rateLimit } from 'express-rate-limit';
import { RailCounts, Session, SignIn, type StaffMember } from '../../contract/index.ts';
import type { Office } from '../office.ts';
import { closeSession, openSession, sessionStaff } from '../security/sessions.ts';
import { railCounts } from '../today/rail.ts';
import { reply, sessionToken, setSessionCookie, signedIn, staffOf } from './guard.ts';
import { Refusal } from './problems.ts';

export function sessionRoutes(office: Office): Router {
  const router = Router();
  const throttle = rateLimit({
    windowMs: 60_000,
    limit: 10,
    skipSuccessfulRequests: true,
    standardHeaders: true,
    legacyHeaders: false,
    handler: () => {
      throw new Refusal(429, 'Too many tries. Please wait a minute.');
    },
  });

  const describe = async (staff: StaffMember) => {
    const firm = await office.firm();
    const colleagues: StaffMember[] = await office
      .db('staff')
      .where({ active: 1 })
      .orderBy('name')
      .select('id', 'name', 'email', 'role');
    return { staff, firm: { name: firm.name, zone: firm.zone }, colleagues };
  };

  router.post('/session', throttle, async (req, res) => {
    const { email, password } = SignIn.parse(req.body);
    const token = await openSession(office.db, email, password);
    const staff = token ? await sessionStaff(office.db, token) : null;
    if (!token || !staff) throw new Refusal(400, 'That address and password do not go together.', 'password');
    setSessionCookie(res, token, office.config.secureCookies);
    reply(res, Session, await describe(staff));
  });

  router.get('/session', signedIn(office), async (_req, res) =>
    reply(res, Session, await describe(res.locals.staff as StaffMember)),
  );

  router.delete('/session', async (req, res) => {
    const token = sessionToken(req);
    if (token) await closeSession(office.db, token);
    setSessionCookie(res, null, office.config.secureCookies);
    res.status(204).end();
  });

  router.get('/rail', signedIn(office), async (_req, res) =>
    reply(res, RailCounts, await railCounts(office.db, staffOf(res).id)),
  );
  return router;
}
