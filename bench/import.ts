import { monitorEventLoopDelay } from 'node:perf_hooks';
import { ClientQuery } from '../contract/index.ts';
import { runningNow } from '../server/selection/catalogue.ts';
import { listClients } from '../server/records/clients.ts';
import { checkList, runList, takeList, undoList, viewRun } from '../server/records/import/runs.ts';
import { ImportWorker } from '../server/records/import/worker.ts';
import { layGround, line, quantile, result, row, seconds } from './ground.ts';

const MANAGER = 1;
/** A page of the register is read this often meanwhile, in milliseconds. */
const LOOKED = 100;

/**
 * A list of clients brought in: taken in, tried, brought in, taken back. Its limit is the least there is to write: one
 * client, one person, one address, one file and one tie a row, each by its own statement, a hundred rows a transaction.
 */
export async function benchImport(count = 5000): Promise<void> {
  console.log(`Bringing in a list of ${count.toLocaleString('en-GB')} clients …`);
  const ground = await layGround(212, () => undefined);
  const { db, context } = ground;
  try {
    const header = 'Client,First name,Last name,Email,Town,Role,Mobile,Holding area';
    const rows = Array.from(
      { length: count },
      (_, at) =>
        `Row Client ${at},Person,No${at},p${at}@row.example,Town ${at % 50},owner,07700 900${String(at % 1000).padStart(3, '0')},${at % 90}`,
    );
    const bare = await seconds(() => writeBare(ground.db, count));
    line('limit: five rows a client, nothing looked up', bare, count);
    const worker = new ImportWorker(context);
    let id = 0;
    const taken = await seconds(async () => {
      id = await takeList(db, MANAGER, 'clients.csv', Buffer.from([header, ...rows].join('\n')));
    });
    line('taken in', taken, count);
    const { columns } = await viewRun(db, id);
    const checked = await seconds(async () => {
      await checkList(db, MANAGER, id, { columns: columns as never, existing: 'change' });
      await worker.round();
    });
    line('tried', checked, count);
    const delay = monitorEventLoopDelay({ resolution: 5 });
    delay.enable();
    const pages: number[] = [];
    let over = false;
    const running = await runningNow(db, MANAGER);
    const looking = (async () => {
      while (!over) {
        const began = performance.now();
        await listClients(db, ClientQuery.parse({}), running);
        pages.push(performance.now() - began);
        await new Promise((resolve) => setTimeout(resolve, LOOKED));
      }
    })();
    const brought = await seconds(async () => {
      await runList(db, MANAGER, id);
      await worker.round();
    });
    over = true;
    await looking;
    delay.disable();
    line('brought in', brought, count);
    row('  a page of clients meanwhile', pages);
    console.log(`  the main thread was held ${(delay.percentile(99) / 1e6).toFixed(1)} ms (99th percentile)`);
    const undone = await seconds(async () => {
      await undoList(db, MANAGER, id);
      await worker.round();
    });
    line('taken back', undone, count);
    const { state, problem } = await viewRun(db, id);
    if (state !== 'undone' || problem) throw new Error(`the list is ${state}: ${problem}`);
    result('import', {
      rows: count,
      limit: count / bare,
      brought: count / brought,
      share: bare / brought,
      checked: count / checked,
      undone: count / undone,
      page: quantile(pages, 0.99),
      held: delay.percentile(99) / 1e6,
    });
  } finally {
    await ground.close();
  }
}

async function writeBare(db: Awaited<ReturnType<typeof layGround>>['db'], count: number): Promise<void> {
  const today = new Date().toISOString().slice(0, 10);
  for (let from = 0; from < count; from += 100)
    await db.transaction(async (trx) => {
      for (let at = from; at < Math.min(count, from + 100); at++) {
        const [client_id = 0] = await trx('client').insert({
          name: `Bare ${at}`,
          kind: 'person',
          status: 'past',
        });
        const [person_id = 0] = await trx('person').insert({ first_name: 'Bare', last_name: `No${at}` });
        const email = `b${at}@bare.example`;
        await trx('address').insert({ person_id, email, email_key: email });
        await trx('file').insert({ number: `B-${at}`, title: 'Bare', client_id, opened: today });
        await trx('client_person').insert({ client_id, person_id, role: '' });
      }
    });
}
