import { Router } from 'express';
import { errorForLog } from '../foundation/database.ts';
import type { AppContext } from '../foundation/context.ts';
import { followLink, noteOpened } from '../mailing/counting.ts';

/** The smallest picture there is: one point, seen through (GIF89a). */
const POINT = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');

/** What mailings tell of themselves: reached by strangers, without sign-in and without a cookie. */
export function countingRoutes(context: AppContext): Router {
  const router = Router();
  router.use(['/opened', '/link'], (_req, res, next) => {
    res.set({ 'Cache-Control': 'no-store', 'Referrer-Policy': 'no-referrer', 'X-Robots-Tag': 'noindex' });
    next();
  });
  router.get('/opened/:token', async (req, res) => {
    // The picture is there also when nothing can be written down.
    if (req.method === 'GET')
      await noteOpened(context, req.params.token).catch((error: unknown) =>
        context.log.warn({ error: errorForLog(error) }, 'an opening was not counted'),
      );
    res.set('Cross-Origin-Resource-Policy', 'cross-origin').type('gif').send(POINT);
  });
  router.get('/link/:position/:token', async (req, res) => {
    const { position, token } = req.params;
    const href = /^\d{1,3}$/.test(position)
      ? await followLink(context, Number(position), token, req.method === 'GET')
      : null;
    if (href) res.redirect(302, href);
    else res.status(404).type('text').send('This link is not whole. Please open it from the message again.');
  });
  return router;
}
