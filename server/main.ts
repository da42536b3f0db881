import { readConfig } from './foundation/config.ts';
import { errorForLog } from './foundation/database.ts';
import { startServer } from './server.ts';

/** Runs one server process, told what to do by its environment (README, Configuration). */
const server = await startServer(readConfig(process.env), process.env.LOG_LEVEL ?? 'info');
if (process.send) process.send({ port: server.port, setUpCode: server.setUpCode });
else if (server.setUpCode) console.log(`To set the office up, open it and give the code ${server.setUpCode}`);

let stopping = false;
const stop = async () => {
  if (stopping) return;
  stopping = true;
  // What hangs, such as a database that is gone, does not keep us alive.
  setTimeout(() => process.exit(1), 8000).unref();
  await server.stop().catch(() => undefined);
  process.exit(0);
};
// What nobody caught is told, and ends nothing but itself: one mailbox's trouble is not the office's.
process.on('unhandledRejection', (error) =>
  server.context.log.error({ error: errorForLog(error) }, 'something failed that nobody had foreseen'),
);
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
// When started by another program, its end is ours too.
process.on('disconnect', () => void stop());
