import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import pino from 'pino';
import type { Config } from './foundation/config.ts';
import { ensureDatabase, errorForLog, openDatabase } from './foundation/database.ts';
import { CHORES, LEDGER, outgoing, TEXT_FEEDS } from './parts.ts';
import { Weigher } from './filing/weigher.ts';
import { offerSetUp } from './office/setUp.ts';
import { refill, refillDocuments } from './intake/refill.ts';
import { DocumentReader } from './documents/words.ts';
import { DispatchWorker } from './dispatch/worker.ts';
import { webApp } from './http/app.ts';
import { MailboxSupervisor } from './mailbox/sync/supervisor.ts';
import { OrderWorker } from './orders/worker.ts';
import { PaperMaker } from './paperwork/make.ts';
import { PackMaker } from './paperwork/packs.ts';
import { Reckoner } from './reckoning/worker.ts';
import { TextWorker } from './textmessage/worker.ts';
import { ReminderClock } from './paperwork/remind.ts';
import { DoublesWorker } from './records/doubles/worker.ts';
import { ImportWorker } from './records/import/worker.ts';
import { AppContext } from './foundation/context.ts';
import { migrateAt } from './foundation/migrate.ts';

export interface RunningServer {
  context: AppContext;
  port: number;
  /** What lets the first person set the office up, for the terminal alone; null when it is set up. */
  setUpCode: string | null;
  stop(): Promise<void>;
}

/** Starts one server process: the web server, and unless told otherwise the workers that keep mail in step and going out. */
export async function startServer(config: Config, level = 'info'): Promise<RunningServer> {
  await ensureDatabase(config.databaseUrl);
  await migrateAt(config.databaseUrl);
  const db = openDatabase(config.databaseUrl);
  const context = new AppContext(db, config, pino({ level, base: null }));
  const supervisor = config.workers ? new MailboxSupervisor(context, CHORES) : null;
  const weigher = config.workers ? new Weigher(context) : null;
  const worker = config.workers ? new DispatchWorker(context, outgoing(context)) : null;
  const importer = config.workers ? new ImportWorker(context) : null;
  const reader = config.workers ? new DocumentReader(context) : null;
  const papers = config.workers ? new PaperMaker(context) : null;
  const packs = config.workers ? new PackMaker(context) : null;
  const reminders = config.workers ? new ReminderClock(context) : null;
  const orders = config.workers ? new OrderWorker(context) : null;
  const reckoner = config.workers ? new Reckoner(context) : null;
  const texts = config.workers ? new TextWorker(context, TEXT_FEEDS) : null;
  const doubles = config.workers ? new DoublesWorker(context) : null;
  const server = await listen(context, config.port);
  context.held.start(context.log);
  supervisor?.start();
  weigher?.start();
  const setUpCode = await offerSetUp(db);
  if (config.workers && setUpCode === null)
    void refill(db)
      .then(() => refillDocuments(db))
      .catch((error: unknown) =>
        context.log.warn({ error: errorForLog(error) }, 'older mail could not be filled in'),
      );
  worker?.start();
  importer?.start();
  doubles?.start();
  reader?.start();
  papers?.start();
  packs?.start();
  reminders?.start();
  orders?.start();
  reckoner?.start();
  texts?.start();
  return {
    context,
    port: (server.address() as AddressInfo).port,
    setUpCode,
    stop: async () => {
      const closed = new Promise<void>((resolve) => server.close(() => resolve()));
      server.closeAllConnections();
      const workers = [
        supervisor,
        weigher,
        worker,
        importer,
        doubles,
        reader,
        papers,
        packs,
        reminders,
        orders,
        reckoner,
        texts,
      ];
      await Promise.all([closed, ...workers.map((each) => each?.stop())]);
      context.held.stop();
      await db.destroy();
    },
  };
}

function listen(context: AppContext, port: number): Promise<Server> {
  return new Promise((resolve, reject) => {
    const server = webApp(context, LEDGER).listen(port, '127.0.0.1', (error?: Error) =>
      error ? reject(error) : resolve(server),
    );
  });
}
