import { DispatchWorker } from '../server/dispatch/worker.ts';
import { MailboxSupervisor } from '../server/mailbox/sync/supervisor.ts';
import { layGround, result, type Ground } from './ground.ts';
import { outgoing } from '../server/parts.ts';

const MEASURED_SECONDS = 60;
/** So long after everything is in step nothing is counted. */
const SETTLING_SECONDS = 15;

/**
 * What a server process asks of its database while nothing changes: statements a second, of six mailboxes and of
 * more. Its limit is the least a process must do to say that it lives: one write for all its leases in each round.
 */
export async function benchRest(most = 60): Promise<void> {
  for (const mailboxes of [0, 6, most]) {
    const ground = await layGround(12, () => undefined);
    await multiply(ground, mailboxes);
    const supervisor = new MailboxSupervisor(ground.context);
    const worker = new DispatchWorker(ground.context, outgoing(ground.context));
    supervisor.start();
    worker.start();
    const unlooked = async () =>
      ground.db('mailbox').whereNull('paused_at').whereNull('in_step_at').first('id');
    const began = Date.now();
    while (await unlooked()) await new Promise((resolve) => setTimeout(resolve, 500));
    await new Promise((resolve) => setTimeout(resolve, SETTLING_SECONDS * 1000));
    const before = await counts(ground);
    await new Promise((resolve) => setTimeout(resolve, MEASURED_SECONDS * 1000));
    const after = await counts(ground);
    const each = (name: keyof Counts) => (after[name] - before[name]) / MEASURED_SECONDS;
    const figure = (number: number) => number.toFixed(2);
    console.log(
      `${mailboxes} mailboxes, in step after ${Math.round((Date.now() - began) / 1000) - SETTLING_SECONDS - MEASURED_SECONDS} s: ${figure(each('reads'))} reads and ${figure(each('writes'))} writes a second, ${figure(mailboxes ? (each('reads') + each('writes')) / mailboxes : 0)} statements for each mailbox`,
    );
    result('rest', {
      mailboxes,
      reads: each('reads'),
      writes: each('writes'),
      each: mailboxes ? (each('reads') + each('writes')) / mailboxes : 0,
    });
    await supervisor.stop();
    await worker.stop();
    await ground.close();
  }
}

interface Counts {
  reads: number;
  writes: number;
}

/** By the database's own books; its asking for them is one read more. */
async function counts({ db }: Ground): Promise<Counts> {
  const [rows] = (await db.raw(
    "SHOW GLOBAL STATUS WHERE Variable_name IN ('Com_select', 'Com_insert', 'Com_update', 'Com_delete')",
  )) as [{ Variable_name: string; Value: string }[]];
  const of = new Map(rows.map((row) => [row.Variable_name, Number(row.Value)]));
  const sum = (...names: string[]) => names.reduce((total, name) => total + (of.get(name) ?? 0), 0);
  return { reads: sum('Com_select'), writes: sum('Com_insert', 'Com_update', 'Com_delete') };
}

/** So many mailboxes, each a further connection to one of the firm's own. */
async function multiply({ db }: Ground, wanted: number): Promise<void> {
  const own = await db('mailbox').orderBy('id');
  for (let n = own.length; n < wanted; n++) {
    const like = own[n % own.length]!;
    await db('mailbox').insert({ ...like, id: undefined, address: `further${n}.${like.address}` });
  }
  const beyond: number[] = await db('mailbox').orderBy('id').offset(wanted).limit(1000).pluck('id');
  await db('mailbox').whereIn('id', beyond).update({ paused_at: new Date() });
}
