import express, { Router } from 'express';
import { z } from 'zod';
import type { AppContext } from '../foundation/context.ts';
import { chooseByPage, optOutByOneClick, optOutPage } from '../mailing/optOut.ts';

/** What the page's form says, or a mail program's one click (RFC 8058 section 3.2). */
const Said = z.object({
  'List-Unsubscribe': z.string().max(40).optional(),
  want: z.enum(['some', 'none']).optional(),
  topic: z
    .union([z.string(), z.array(z.string()).max(200)])
    .default([])
    .transform((all) => [all].flat().flatMap((each) => (/^\d{1,9}$/.test(each) ? Number(each) : []))),
});

/** The page on which whoever got a mailing opts out: reached by strangers, without sign-in and without a cookie. */
export function optOutRoutes(context: AppContext): Router {
  const router = Router();
  const form = express.urlencoded({ extended: false, limit: '8kb', parameterLimit: 220 });
  router.use('/out', (_req, res, next) => {
    res.set({ 'Cache-Control': 'no-store', 'Referrer-Policy': 'no-referrer', 'X-Robots-Tag': 'noindex' });
    next();
  });
  router.get('/out/:token', async (req, res) => {
    const { status, html } = await optOutPage(context, req.params.token, '');
    res.status(status).type('html').send(html);
  });
  router.post('/out/:token', form, async (req, res) => {
    const { token } = req.params;
    const { want, topic, ...rest } = Said.parse(req.body ?? {});
    if (rest['List-Unsubscribe'] === 'One-Click') {
      const good = await optOutByOneClick(context, token);
      res
        .status(good ? 200 : 404)
        .type('text')
        .send(good ? 'Done.' : 'This link is not whole.');
      return;
    }
    if (want) await chooseByPage(context, token, { none: want === 'none', topicIds: topic });
    const { status, html } = await optOutPage(context, token, want ? 'Done. We shall keep to it.' : '');
    res.status(status).type('html').send(html);
  });
  return router;
}
