import { Router, type Request, type Response } from 'express';
import { toDataURL } from 'qrcode';
import {
  Forgotten,
  LinkDone,
  LinkOpened,
  LinkToken,
  LinkUsed,
  OwnSignature,
  OwnSigned,
  PasswordAgain,
  PasswordChange,
  RailCounts,
  RailQuery,
  RecoveryCodes,
  SecondStepConfirm,
  SecondStepOffer,
  SecondStepState,
  Session,
  SetUp,
  SetUpState,
  SignatureView,
  SignIn,
  type StaffMember,
} from '../../contract/index.ts';
import { noteAudit } from '../foundation/audit.ts';
import type { AppContext } from '../foundation/context.ts';
import { errorForLog } from '../foundation/database.ts';
import { isSetUp } from '../foundation/firm.ts';
import { sendForgottenLink } from '../office/forgotten.ts';
import { openedLink, useLink } from '../office/links.ts';
import { confirmSecondStep, renewRecoveryCodes, secondStepState, turnOffOwn } from '../office/own.ts';
import { setUp } from '../office/setUp.ts';
import { mustWait, noteAttempt, refuseTooMany, type Measured } from '../security/attempts.ts';
import { offerSecret, takeCode } from '../security/secondStep.ts';
import {
  closeSession,
  closeSessions,
  isPassword,
  openSession,
  sessionStaff,
  setPassword,
  whoSignsIn,
  type SignedIn,
} from '../security/sessions.ts';
import { railCounts } from '../today/rail.ts';
import { chooseSignature, keepSigned, ownSignature } from '../writing/signatures.ts';
import { reply, sessionToken, setSessionCookie, signedIn, staffOf } from './guard.ts';
import { Refusal } from '../foundation/refusal.ts';

/** Signing in and out, passwords, and the rail. @throws Refusal when signing in fails, or too often */
export function sessionRoutes(context: AppContext): Router {
  const router = Router();
  const { db, log } = context;

  const describe = async (staff: SignedIn) => {
    const firm = await context.firm();
    const colleagues: StaffMember[] = await db('staff')
      .where({ active: 1 })
      .orderBy('name')
      .select('id', 'name', 'email', 'role');
    return {
      staff,
      firm: { name: firm.name, zone: firm.zone },
      colleagues,
      secondStepFirst: staff.secondStepFirst,
    };
  };
  const early = signedIn(context, { evenBeforeSecondStep: true });
  /** Opens a session and tells who it is of. */
  const welcome = async (req: Request, res: Response, staffId: number) => {
    const token = await openSession(db, staffId);
    const staff = await sessionStaff(db, token);
    if (!staff) throw new Refusal(401, 'Please sign in.');
    setSessionCookie(res, token, context.config.secureCookies || req.secure);
    reply(res, Session, await describe(staff));
  };
  /** Counts codes and links tried from one address. */
  const countCode = async (req: Request) => {
    const from = req.ip ?? 'nowhere';
    await refuseTooMany(db, 'use a code from', from, 'Too many codes were tried. Please wait');
    await noteAttempt(db, 'use a code from', from);
  };
  const refuseWrongPassword = async (req: Request, staff: StaffMember, password: string, field: string) => {
    const who = `${staff.email} ${req.ip ?? 'nowhere'}`;
    await refuseTooMany(db, 'sign in as', who, 'Too many wrong passwords. Please wait', undefined, field);
    if (await isPassword(db, staff.id, password)) return;
    await noteAttempt(db, 'sign in as', who);
    throw new Refusal(400, 'That is not your present password.', field);
  };

  router.post('/session', async (req, res) => {
    const { email, password, code } = SignIn.parse(req.body);
    const account = email.trim().toLowerCase();
    const from = req.ip ?? 'nowhere';
    const measures: [Measured, string][] = [
      ['sign in as', `${account} ${from}`],
      ['sign in from', from],
      ['sign in to', account],
    ];
    for (const [what, who] of measures)
      await refuseTooMany(
        db,
        what,
        who,
        'Too many wrong passwords. Please wait',
        'or ask your office manager',
      );
    const refused = async (words: string, field: string) => {
      for (const [what, who] of measures) await noteAttempt(db, what, who);
      await noteAudit(db, {
        staffId: null,
        action: 'sign-in refused',
        subject: 'staff',
        id: 0,
        after: { account, from },
      });
      log.warn({ from }, 'sign-in refused');
      return new Refusal(400, words, field);
    };
    const member = await whoSignsIn(db, email, password);
    if (!member) throw await refused('That address and password do not go together.', 'password');
    const { id, second_step } = member;
    if (second_step) {
      if (!code.trim()) throw new Refusal(400, 'Give the six figures your telephone shows.', 'code');
      if (!(await takeCode(db, context.config.key, { id, second_step }, code)))
        throw await refused('That code is not right, or has been used. Wait for the next one.', 'code');
    }
    await welcome(req, res, id);
  });

  router.get('/session', signedIn(context, { evenBeforeSecondStep: true }), async (_req, res) =>
    reply(res, Session, await describe(staffOf(res))),
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
    await refuseWrongPassword(req, staff, current, 'current');
    await setPassword(db, staff.id, next, sessionToken(req) ?? '');
    await noteAudit(db, { staffId: staff.id, action: 'password changed', subject: 'staff', id: staff.id });
    res.status(204).end();
  });

  // Whoever has forgotten it is told the same whether or not anybody has that address.
  router.post('/session/forgotten', async (req, res) => {
    const email = Forgotten.parse(req.body).email.trim().toLowerCase();
    const from = req.ip ?? 'nowhere';
    await refuseTooMany(db, 'forget from', from, 'That was asked for too often. Please wait');
    await noteAttempt(db, 'forget from', from);
    res.status(204).end();
    if (await mustWait(db, 'forget a password', email)) return;
    await noteAttempt(db, 'forget a password', email);
    await sendForgottenLink(context, email).catch((error: unknown) =>
      log.warn({ error: errorForLog(error) }, 'a link for a new password could not be sent'),
    );
  });

  router.post('/session/link', async (req, res) => {
    const { token } = LinkToken.parse(req.body);
    await countCode(req);
    const { kind, name, email } = await openedLink(db, token);
    reply(res, LinkOpened, { kind, name, email, firm: (await context.firm()).name });
  });
  router.put('/session/link', async (req, res) => {
    const { token, password } = LinkUsed.parse(req.body);
    await countCode(req);
    const { email } = await openedLink(db, token);
    await useLink(db, token, password);
    // They sign in with it, with their second step if they have one: a link is no way round that.
    reply(res, LinkDone, { email });
  });

  router.get('/set-up', async (_req, res) => reply(res, SetUpState, { needed: !(await isSetUp(db)) }));
  router.post('/set-up', async (req, res) => {
    const wanted = SetUp.parse(req.body);
    await countCode(req);
    await welcome(req, res, await setUp(db, wanted, req.headers.origin ?? ''));
  });

  router.get('/session/second-step', early, async (_req, res) => {
    const staff = staffOf(res);
    reply(res, SecondStepState, await secondStepState(db, staff.id));
  });
  router.post('/session/second-step/offer', early, async (_req, res) => {
    const { id, email } = staffOf(res);
    const { uri, secret, sealed } = offerSecret(context.config.key, id, email, (await context.firm()).name);
    const picture = await toDataURL(uri, { margin: 1, width: 200, color: { light: '#fffefb' } });
    reply(res, SecondStepOffer, { picture, secret, sealed });
  });
  router.put('/session/second-step', early, async (req, res) => {
    const { sealed, code } = SecondStepConfirm.parse(req.body);
    await countCode(req);
    reply(res, RecoveryCodes, {
      codes: await confirmSecondStep(db, context.config.key, staffOf(res).id, sealed, code),
    });
  });
  router.post('/session/second-step/codes', signedIn(context), async (req, res) => {
    const staff = staffOf(res);
    await refuseWrongPassword(req, staff, PasswordAgain.parse(req.body).password, 'password');
    reply(res, RecoveryCodes, { codes: await renewRecoveryCodes(db, staff.id) });
  });
  router.post('/session/second-step/off', signedIn(context), async (req, res) => {
    const staff = staffOf(res);
    await refuseWrongPassword(req, staff, PasswordAgain.parse(req.body).password, 'password');
    await turnOffOwn(db, staff.id);
    res.status(204).end();
  });

  router.get('/session/signature', signedIn(context), async (_req, res) =>
    reply(res, SignatureView, await ownSignature(db, staffOf(res).id)),
  );
  router.put('/session/signature', signedIn(context), async (req, res) => {
    const { id } = staffOf(res);
    await chooseSignature(db, id, OwnSignature.parse(req.body).signatureId);
    res.status(204).end();
  });

  router.put('/session/signed', signedIn(context), async (req, res) => {
    await keepSigned(db, staffOf(res).id, OwnSigned.parse(req.body).signed);
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
