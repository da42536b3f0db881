import { once } from 'node:events';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Knex } from 'knex';
import { STAFF, OFFICE } from '../../demo/register.ts';
import { Account } from '../../outside/store.ts';
import { seeded } from '../../outside/random.ts';
import { noteChange } from '../../server/foundation/changes.ts';
import { transact } from '../../server/foundation/database.ts';
import { groupBy, insertAll } from '../../server/foundation/rows.ts';
import { fromJson } from '../../server/foundation/json.ts';
import { SETTLED } from '../../server/filing/standing.ts';
import { weigh } from '../../server/filing/weighing.ts';
import { MailboxSync } from '../../server/mailbox/sync/sync.ts';
import { openFirm, until, type TestFirm } from './helpers.ts';
import { serverProcess } from './processes.ts';

type Order = 'newest first' | 'oldest first' | 'any';

/** Lets the messages of every folder lie in another order: the server takes in the last first. */
function arranged(order: Order, seed: string): (dir: string) => void {
  const random = seeded(seed);
  return (dir) => {
    for (const email of [...STAFF.map((member) => member.email), OFFICE]) {
      const account = new Account(email, '', join(dir, 'accounts', email));
      for (const folder of account.all()) {
        const messages = [...folder.messages];
        const sorted = messages
          .map((message) => ({
            message,
            place:
              order === 'any'
                ? random()
                : message.internalDate.getTime() * (order === 'newest first' ? 1 : -1),
          }))
          .sort((a, b) => a.place - b.place);
        for (const { message } of sorted)
          folder.append(folder.read(message), message.flags, message.internalDate);
        folder.expunge(messages.map(({ uid }) => uid));
      }
      account.close();
    }
  };
}

/** Where every message is, by what names it wherever it was taken in. */
async function places({ db }: TestFirm): Promise<string[]> {
  const messages = await db('message').select('id', 'identity', 'subject', 'state', 'reason', 'candidates');
  const filed = groupBy(await db('filing').orderBy('file_id').select(), (row) => row.message_id);
  return messages
    .map(({ id, identity, subject, state, reason, candidates }) => {
      const files = (filed.get(id) ?? []).map((row) => row.file_id);
      const suggested = fromJson('message.candidates', candidates).map(({ fileId }) => fileId);
      return [identity.toString('hex').slice(0, 12), subject, state, reason, files, suggested].join(' | ');
    })
    .sort();
}

const OFFICE_SIZE = { clients: 16, files: 40, conversationsPerClient: 3, now: new Date() };

describe('the order in which mail is taken in', function () {
  this.timeout(180_000);
  let asUsual: string[];

  async function taken(
    order: Order,
    seed: string,
    takeIn: (firm: TestFirm, random: () => number) => Promise<void>,
  ): Promise<string[]> {
    const firm = await openFirm({ ...OFFICE_SIZE, arrange: arranged(order, seed) });
    try {
      await takeIn(firm, seeded(seed));
      await weigh(firm.context);
      expect(await firm.db('weighing').where('stage', '>', SETTLED)).to.deep.equal([]);
      return await places(firm);
    } finally {
      await firm.close();
    }
  }

  before(async () => {
    asUsual = await taken('newest first', 'as usual', (firm) => firm.sync());
    expect(asUsual.length).to.be.greaterThan(150);
    expect(asUsual.filter((line) => line.includes('| logged |')).length).to.be.greaterThan(80);
  });

  it('makes no difference to where it ends: the oldest first', async () => {
    expect(await taken('oldest first', 'oldest', (firm) => firm.sync())).to.deep.equal(asUsual);
  });

  for (const seed of ['one', 'two'])
    it(`nor any order within and among mailboxes, weighed or not in between (${seed})`, async () => {
      const places = await taken('any', seed, async (firm, random) => {
        const mailboxes = (await firm.db('mailbox').select())
          .map((mailbox) => ({ mailbox, place: random() }))
          .sort((a, b) => a.place - b.place);
        for (const { mailbox } of mailboxes) {
          await new MailboxSync(firm.context, mailbox).runOnce();
          // Sometimes whole, sometimes left in the middle.
          let rounds = Math.floor(random() * 6);
          await weigh(firm.context, () => rounds-- <= 0);
        }
      });
      expect(places).to.deep.equal(asUsual);
    });

  it('nor processes killed while they take in and weigh', async () => {
    const places = await taken('any', 'killed', async (firm) => {
      const { child } = await serverProcess(firm);
      await until(
        'some of it was taken in',
        async () => (await firm.db('message').pluck('id')).length >= asUsual.length / 2,
        40,
      );
      const gone = once(child, 'exit');
      child.kill('SIGKILL');
      await gone;
      await firm.db('mailbox').update({ lease_owner: null, lease_until: null });
      await firm.sync();
    });
    expect(places).to.deep.equal(asUsual);
  });

  it('nor whether a list of clients was taken in before the mail or after', async () => {
    const size = { ...OFFICE_SIZE, clients: 70, files: 110, conversationsPerClient: 1 };
    const ends: string[][] = [];
    for (const later of [false, true]) {
      const firm = await openFirm(size);
      const records = later ? await takenOut(firm) : null;
      await firm.sync();
      if (records) {
        const filed = await firm.db('message').where({ state: 'logged' });
        expect(filed, 'filed without any records').to.deep.equal([]);
        await putIn(firm, records);
        await weigh(firm.context);
      }
      ends.push(await places(firm));
      await firm.close();
    }
    expect(ends[0]?.filter((line) => line.includes('| logged |')).length).to.be.greaterThan(80);
    expect(ends[1]).to.deep.equal(ends[0]);
  });
});

/** By what mail finds its file. */
const RECORDS = ['address', 'client_person', 'file', 'file_person'] as const;

/** Leaves the firm without them. */
async function takenOut({ db }: TestFirm): Promise<Record<string, unknown>[][]> {
  const all: Record<string, unknown>[][] = [];
  await transact(db, async (trx) => {
    await trx.raw('SET foreign_key_checks = 0');
    for (const table of RECORDS) {
      all.push(await (trx(table) as Knex.QueryBuilder).select());
      await (trx(table) as Knex.QueryBuilder).delete();
    }
    await trx.raw('SET foreign_key_checks = 1');
    await noteChange(trx, 'records');
  });
  return all;
}

/** Enters them, as if only now. */
async function putIn({ db }: TestFirm, all: Record<string, unknown>[][]): Promise<void> {
  await transact(db, async (trx) => {
    for (const [index, table] of RECORDS.entries())
      await insertAll(
        trx,
        table,
        (all[index] ?? []).map(({ new_at: _, number_length: __, ...row }) => row),
      );
    await noteChange(trx, 'records');
  });
}
