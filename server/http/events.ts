import { Router } from 'express';
import { errorForLog } from '../database/database.ts';
import { readPulse } from '../database/pulse.ts';
import type { Office } from '../office.ts';
import { sessionStaff } from '../security/sessions.ts';
import { sessionToken } from './guard.ts';

const ROUND = 1000;
/** So often a screen is told that we are here, and it is asked whether its session is, in milliseconds. */
const ALIVE = 5000;

/**
 * Tells open screens which topics changed (server-sent events). One look at the database a second for
 * all screens of this process, whichever process made the change.
 */
export function eventsRoute(office: Office): Router {
  const listeners = new Set<(topics: string[]) => void>();
  let known: Record<string, number> = {};
  let timer: NodeJS.Timeout | null = null;

  const look = async () => {
    try {
      const now = await readPulse(office.db);
      const changed = Object.keys(now).filter((topic) => now[topic] !== known[topic]);
      known = now;
      if (changed.length) for (const tell of listeners) tell(changed);
    } catch (error) {
      office.log.warn({ error: errorForLog(error) }, 'the pulse could not be read');
    }
    if (listeners.size) timer = setTimeout(() => void look(), ROUND);
    else timer = null;
  };

  const router = Router();
  router.get('/events', (req, res) => {
    res.set({ 'Content-Type': 'text/event-stream', 'X-Accel-Buffering': 'no' });
    res.flushHeaders();
    res.write('retry: 2000\n\n');
    const tell = (topics: string[]) => res.write(`data: ${JSON.stringify(topics)}\n\n`);
    listeners.add(tell);
    timer ??= setTimeout(() => void look(), ROUND);
    const token = sessionToken(req) ?? '';
    const alive = setInterval(() => {
      res.write(': here\n\n');
      // Whoever signs out, or is signed out, hears nothing more.
      sessionStaff(office.db, token, { asking: false }).then(
        (staff) => {
          if (!staff) res.end();
        },
        () => undefined,
      );
    }, ALIVE);
    req.on('close', () => {
      listeners.delete(tell);
      clearInterval(alive);
    });
  });
  return router;
}
