import { Router } from 'express';
import type { Change } from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { sessionStaff } from '../security/sessions.ts';
import { sessionToken } from './guard.ts';

/** So often a screen is told that we are here, and it is asked whether its session is, in milliseconds. */
const ALIVE = 5000;

/**
 * Tells open screens what changed (server-sent events), whichever process made the change.
 */
export function eventsRoute(context: AppContext): Router {
  const router = Router();
  router.get('/events', (req, res) => {
    res.set({ 'Content-Type': 'text/event-stream', 'X-Accel-Buffering': 'no' });
    res.flushHeaders();
    res.write('retry: 2000\n\n');
    const tell = (changes: readonly Change[]) => res.write(`data: ${JSON.stringify(changes)}\n\n`);
    const deaf = context.watch.listen(tell);
    const token = sessionToken(req) ?? '';
    const alive = setInterval(() => {
      res.write(': here\n\n');
      // Whoever signs out, or is signed out, hears nothing more.
      sessionStaff(context.db, token, { asking: false }).then(
        (staff) => {
          if (!staff) res.end();
        },
        () => undefined,
      );
    }, ALIVE);
    req.on('close', () => {
      deaf();
      clearInterval(alive);
    });
  });
  return router;
}
