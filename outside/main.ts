import { parseArgs } from 'node:util';
import { listenPage } from './page.ts';
import { World } from './world.ts';

/** Runs the outside world: `tsx outside/main.ts --dir DIR --imap PORT --smtp PORT --page PORT --speed N`. */
const { values } = parseArgs({
  options: {
    dir: { type: 'string' },
    imap: { type: 'string', default: '0' },
    smtp: { type: 'string', default: '0' },
    page: { type: 'string', default: '0' },
    speed: { type: 'string', default: '1' },
  },
});
if (!values.dir) throw new Error('--dir is missing');

const world = await World.open({
  dir: values.dir,
  imapPort: Number(values.imap),
  smtpPort: Number(values.smtp),
  speed: Number(values.speed),
});
const page = await listenPage(world, Number(values.page));
process.send?.({ imap: world.imapPort, smtp: world.smtpPort, page: page.port });

const stop = async () => {
  setTimeout(() => process.exit(1), 8000).unref();
  await page.close();
  await world.close();
  process.exit(0);
};
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
// The parent's end is ours too: nothing is left behind when it is killed.
process.on('disconnect', () => void stop());
