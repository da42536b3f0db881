import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import express from 'express';
import helmet from 'helmet';
import { problems } from './problems.ts';
import { sameOrigin, signedIn } from './guard.ts';
import { eventsRoute } from './events.ts';
import { clientRoutes } from './client/routes.ts';
import { collectionRoutes } from './collection.ts';
import { documentRoutes } from './documents.ts';
import { doublesRoutes } from './doubles.ts';
import { filingRoutes } from './filing.ts';
import { importRoutes } from './import.ts';
import { mailboxRoutes } from './mailbox.ts';
import { mailingRoutes } from './mailings.ts';
import { countingRoutes } from './counting.ts';
import { optOutRoutes } from './optOut.ts';
import { officeRoutes } from './office.ts';
import { orderRoutes } from './orders.ts';
import { paperworkRoutes } from './paperwork.ts';
import { reckoningRoutes } from './reckoning.ts';
import { recordsRoutes } from './records.ts';
import { manyRoutes } from './many.ts';
import { registerRoutes } from './register.ts';
import { selectionRoutes } from './selections.ts';
import { sessionRoutes } from './session.ts';
import { taskRoutes } from './tasks.ts';
import { textRoutes } from './texts.ts';
import { timelineRoutes } from './timeline.ts';
import { todayRoutes } from './today.ts';
import { upkeepRoutes } from './upkeep.ts';
import { writingRoutes } from './writing.ts';
import type { LedgerKind } from '../correspondence/ledger/port.ts';
import type { AppContext } from '../foundation/context.ts';
import { Refusal } from '../foundation/refusal.ts';

/**
 * The whole web server: the API under /api, and the built web app. @param entries the kinds a ledger has
 * @returns the app; whatever a route throws is answered by `problems`
 */
export function webApp(context: AppContext, entries: readonly LedgerKind[]): express.Express {
  const app = express();
  app.disable('x-powered-by');
  if (context.config.trustProxy !== undefined) app.set('trust proxy', context.config.trustProxy);
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'"],
          // Vuetify writes its theme into a style element of its own.
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'"],
          frameSrc: ["'self'"],
          frameAncestors: ["'self'"],
          formAction: ["'self'"],
          baseUri: ["'none'"],
          objectSrc: ["'none'"],
        },
      },
      referrerPolicy: { policy: 'same-origin' },
    }),
  );
  const api = express.Router();
  api.use(sameOrigin);
  // An enclosure may be JSON itself, a list anything: their routes take the bytes as they are.
  const json = express.json({ limit: '2mb' });
  api.use((req, res, next) =>
    /\/(?:enclosures|imports|pictures|documents)$/.test(req.path) ? next() : json(req, res, next),
  );
  api.use((_req, res, next) => {
    res.set('Cache-Control', 'no-store');
    next();
  });
  api.use(sessionRoutes(context));
  api.use(signedIn(context));
  api.use(eventsRoute(context));
  api.use(todayRoutes(context));
  api.use(officeRoutes(context));
  api.use(recordsRoutes(context, entries));
  api.use(registerRoutes(context));
  api.use(selectionRoutes(context));
  api.use(manyRoutes(context));
  api.use(doublesRoutes(context));
  api.use(upkeepRoutes(context));
  api.use(importRoutes(context));
  api.use(filingRoutes(context));
  api.use(documentRoutes(context));
  api.use(collectionRoutes(context));
  api.use(timelineRoutes(context));
  api.use(taskRoutes(context));
  api.use(textRoutes(context));
  api.use(reckoningRoutes(context));
  api.use(orderRoutes(context));
  api.use(mailboxRoutes(context));
  api.use(mailingRoutes(context));
  api.use(paperworkRoutes(context));
  api.use(writingRoutes(context));
  api.use((_req, _res) => {
    throw new Refusal(404, 'There is nothing at that address.');
  });
  app.use('/api', api);
  app.use('/client', clientRoutes(context, resolve(context.config.webDir)));
  app.use(optOutRoutes(context));
  app.use(countingRoutes(context));
  serveWeb(app, resolve(context.config.webDir));
  app.use(problems(context.log));
  return app;
}

/** What shows a PDF may run our own code and reach nothing: it has neither our origin nor a network. */
const LOOK_POLICY =
  "default-src 'none'; script-src 'self' blob:; worker-src blob:; style-src 'self' 'unsafe-inline'; img-src blob: data:; font-src blob: data:; connect-src 'none'; form-action 'none'; frame-ancestors 'self'; sandbox allow-scripts";

const cors: express.RequestHandler = (_req, res, next) => {
  res.set('Access-Control-Allow-Origin', '*');
  next();
};

function serveWeb(app: express.Express, dir: string): void {
  if (!existsSync(join(dir, 'index.html'))) return;
  const assets = express.static(join(dir, 'assets'), { immutable: true, maxAge: '1y' });
  // The frame that shows PDFs has an origin of its own: what everybody may have is given to it too.
  app.use('/assets', cors, assets);
  app.get('/look.html', (_req, res) => {
    res.set('Content-Security-Policy', LOOK_POLICY);
    res.sendFile(join(dir, 'look.html'));
  });
  app.use(express.static(dir, { index: false }));
  app.get('/{*path}', (_req, res) => res.sendFile(join(dir, 'index.html')));
}
