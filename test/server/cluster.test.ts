import { countOf } from '../../server/foundation/rows.ts';
import type { ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import pino from 'pino';
import { clusterPackages, GaleraCluster } from '../../scripts/galera.ts';
import { openDatabase, transact } from '../../server/foundation/database.ts';
import { noteChange, stateOf } from '../../server/foundation/changes.ts';
import { HeldExperience } from '../../server/filing/knowledge.ts';
import { sortMessage, undoStep } from '../../server/filing/steps.ts';
import { actOnMail } from '../../server/mailbox/list/acts.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { makeClient } from '../../server/records/create.ts';
import { openSession, sessionStaff } from '../../server/security/sessions.ts';
import { ended, expectOnceEach, releaseToAll, serverProcess, untilSettled } from './processes.ts';
import { MANAGER, openFirm, until, type TestFirm, one } from './helpers.ts';
import { filingKnowledge } from '../../server/filing/knowledge.ts';

/** `npm run test:long` does more of each. */
const MANY = process.env.CLUSTER_MANY === '1';
const SORTS = MANY ? 400 : 80;
const ROWS = MANY ? 1500 : 300;
const NODE_KILLS = MANY ? 6 : 1;

/** What people do at the same instant through two database nodes, or for comparison through one. */
function atOnce(title: string, at: () => { server: string; second: string }): void {
  describe(title, () => {
    let firm: TestFirm;
    let offices: [AppContext, AppContext];
    let watching: AppContext[];
    before(async () => {
      firm = await openFirm({ clients: 30, files: 50, server: at().server });
      await firm.sync();
      // So that everybody may sort everything.
      await firm.db('mailbox').update({ shared: 1 });
      const name = new URL(firm.url).pathname;
      const context = (server: string) => {
        const url = new URL(server);
        url.pathname = name;
        return new AppContext(openDatabase(url.toString()), firm.config, pino({ level: 'silent' }));
      };
      offices = [context(at().server), context(at().second)];
      watching = [context(at().server), context(at().second)];
      // As far as the second knows of the first by now.
      await until('the second knows it all', async () =>
        Boolean(await offices[1].db('message').orderBy('id', 'desc').first('id')),
      );
    });
    after(async () => {
      await Promise.all([...offices, ...watching].map((context) => context.db.destroy()));
      await firm.close();
    });

    const sort = (context: AppContext, staffId: number, messageId: number, fileId: number | null) =>
      sortMessage(context, staffId, {
        messageId,
        alsoIds: [],
        restOfConversation: false,
        note: '',
        addAddressTo: null,
        to: fileId === null ? { kind: 'aside' } : { kind: 'files', fileIds: [fileId] },
      });
    /** Messages whose lesson by a person does not fit where they stand. */
    const unfit = async () => {
      const [[row]] = (await firm.db.raw(
        `SELECT COUNT(*) AS n FROM message LEFT JOIN (SELECT message_id, SUM(sign) AS s FROM lesson WHERE evident = 0 GROUP BY 1) AS taught
          ON taught.message_id = message.id WHERE COALESCE(s, 0) <> (decided_by IS NOT NULL AND state IN ('logged', 'aside'))`,
      )) as [{ n: number }[]];
      return Number(row?.n);
    };

    it('teach every process the same', async () => {
      const ids: number[] = await firm
        .db('message')
        .whereNot({ direction: 'internal' })
        .whereNot({ state: 'private' })
        .orderBy('id')
        .limit(SORTS)
        .pluck('id');
      const files: number[] = await firm.db('file').limit(20).pluck('id');
      let going = true;
      const learning = watching.map(async (context) => {
        while (going) {
          await filingKnowledge(context);
          await new Promise((resolve) => setTimeout(resolve, 1));
        }
      });
      const lane = async (context: AppContext, staffId: number, own: number[]) => {
        for (const [index, id] of own.entries()) {
          const done = await sort(
            context,
            staffId,
            id,
            index % 3 ? (files[index % files.length] ?? null) : null,
          );
          if (index % 5 === 4) await undoStep(context, staffId, done.stepId);
        }
      };
      const part = (n: number) => ids.filter((_, index) => index % 4 === n);
      await Promise.all([0, 1, 2, 3].map((n) => lane(offices[n % 2] as AppContext, n + 1, part(n))));
      going = false;
      await Promise.all(learning);
      const whole = new HeldExperience();
      for (const context of [...offices, ...watching]) {
        await until('it has heard of the last', async () => {
          const { experience } = await filingKnowledge(context);
          // What was done through the second node may come to the first a moment later.
          await whole.catchUp(firm.db);
          return JSON.stringify(plain(experience)) === JSON.stringify(plain(whole.experience));
        });
      }
      expect(await unfit()).to.equal(0);
    });

    it('leave one message where the step of the higher number put it', async () => {
      const ids: number[] = await firm
        .db('message')
        .whereNot({ direction: 'internal' })
        .orderBy('id')
        .limit(20)
        .pluck('id');
      for (const id of ids) {
        const done = await Promise.all([sort(offices[0], 1, id, 1), sort(offices[1], 2, id, 2)]);
        const steps = done.map(({ stepId }) => stepId);
        await until(
          'the first node knows both',
          async () => (await firm.db('filing_step').whereIn('id', steps).pluck('id')).length === 2,
        );
        const last = await firm
          .db('filing_step_message')
          .join('filing_step', 'filing_step.id', 'step_id')
          .where({ message_id: id, along: 0 })
          .whereNull('undone_at')
          .orderBy('step_id', 'desc')
          .first('staff_id');
        const message = await one(firm.db('message').where({ id }).first('decided_by'));
        expect(message.decided_by).to.equal(last.staff_id);
      }
      await until('lessons fit', async () => (await unfit()) === 0, 5);
    });

    it('know a message as read that was read in two mailboxes at the same instant', async () => {
      const shared: { message_id: number; one: number; two: number }[] = await firm
        .db('message_copy')
        .join('folder', 'folder.id', 'shown_in')
        .groupBy('message_id')
        .havingRaw('COUNT(DISTINCT mailbox_id) = 2')
        .limit(40)
        .select('message_id', firm.db.raw('MIN(mailbox_id) AS one'), firm.db.raw('MAX(mailbox_id) AS two'));
      expect(shared.length).to.be.greaterThan(3);
      for (let round = 0; round < 4; round++) {
        const ids = shared.map(({ message_id }) => message_id);
        await firm.db('message_copy').whereIn('message_id', ids).update({ seen: 0 });
        await firm.db('message').whereIn('id', ids).update({ unread: 1 });
        const read = (context: AppContext, id: number, box: number) =>
          actOnMail(context, 1, { messageIds: [id], boxes: [box], act: { kind: 'read', on: true } });
        await until(
          'both sides see them unread',
          async () =>
            (await countOf(offices[1].db('message_copy').whereIn('message_id', ids).where({ seen: 1 }))) ===
            0,
        );
        for (const { message_id, one, two } of shared)
          await Promise.all([read(offices[0], message_id, one), read(offices[1], message_id, two)]);
        // What was done at the one node is known at the other a moment later.
        const unread = () => firm.db('message').whereIn('id', ids).where({ unread: 1 }).pluck('id');
        await until('none is unread', async () => (await unread()).length === 0, 5);
      }
    });

    it('give out each file number once', async () => {
      for (let round = 0; round < 12; round++)
        await Promise.all(
          offices.map((context, index) =>
            makeClient(context, MANAGER.id, {
              clientId: null,
              name: `New ${round} ${index}`,
              kind: 'person',
              status: 'prospect',
              place: '',
              firstName: 'Ada',
              lastName: `Fell ${round} ${index}`,
              email: `ada-${round}-${index}@new.example`,
              role: '',
            }),
          ),
        );
    });

    it('tell what changed without a refusal, however many tell it', async () => {
      const now = () => countOf(firm.db('change_event').where({ topic: 'records' }));
      // What was told at the other node before is known here a moment later.
      const state = ({ db }: AppContext) => stateOf(db, 'records');
      await until('both know the same', async () => (await state(offices[0])) === (await state(offices[1])));
      const before = await now();
      const four = [offices[0], offices[0], offices[1], offices[1]];
      await Promise.all(
        four.map(async (context) => {
          for (let n = 0; n < 50; n++) await transact(context.db, (trx) => noteChange(trx, 'records'));
        }),
      );
      await until('all are counted', async () => (await now()) === before + 200);
    });

    it('know a session that was opened at the other', async () => {
      for (let round = 0; round < 5; round++) {
        const token = await openSession(offices[0].db, MANAGER.id);
        await until('it is known', async () => Boolean(await sessionStaff(offices[1].db, token ?? '')), 5);
      }
    });
  });
}

/** What is held of what was learned, comparable. */
function plain(value: unknown): unknown {
  if (value instanceof Map)
    return [...value]
      .map(([key, each]) => [String(key), plain(each)])
      .sort((a, b) => (String(a[0]) < String(b[0]) ? -1 : 1));
  if (value instanceof Set) return [...value].map(String).sort();
  if (Array.isArray(value)) return value.map(plain);
  if (value && typeof value === 'object')
    return Object.entries(value).map(([key, each]) => [key, plain(each)]);
  return value;
}

describe('several database nodes that are written to at once', () => {
  let dir: string;
  let cluster: GaleraCluster;
  before(async function () {
    this.timeout(120_000);
    const { missing } = clusterPackages();
    if (missing.length) {
      process.stdout.write(`    passed over: ${missing.join(', ')} not here\n`);
      this.skip();
    }
    dir = mkdtempSync(join(tmpdir(), 'patient-clerk-cluster-'));
    chmodSync(dir, 0o755);
    cluster = await GaleraCluster.start(join(dir, 'nodes'), MANY ? 3 : 2, 'of the trial');
  });
  after(async () => {
    await cluster?.stop();
    if (dir) rmSync(dir, { recursive: true, force: true });
  });
  const node = (index: number) => cluster.nodes[index]?.url('mysql') ?? '';

  atOnce('two acts at once through one node', () => ({ server: node(0), second: node(0) }));
  atOnce('two acts at once through two nodes', () => ({ server: node(0), second: node(1) }));

  it('send nothing twice, lose nothing and leave nothing uncertain while one of them is killed', async () => {
    const firm = await openFirm({
      clients: Math.round(ROWS * 1.15),
      files: Math.round(ROWS * 1.5),
      conversationsPerClient: 0.05,
      server: node(0),
    });
    const workers: ChildProcess[] = [];
    try {
      await firm.sync();
      firm.config.sendGap = MANY ? 400 : 200;
      const id = await releaseToAll(firm, ROWS);
      for (const index of [0, 1]) workers.push((await serverProcess(firm, node(index))).child);
      const count = async (states: string[]) =>
        await countOf(firm.db('dispatch').where({ mailing_id: id }).whereIn('state', states));
      const all = await count(['waiting', 'going', 'delayed', 'sent', 'returned', 'uncertain']);
      const waits = () => count(['waiting', 'going', 'delayed']);
      let kills = 0;
      while (kills < NODE_KILLS) {
        const gone = await count(['sent', 'returned']);
        const enough = async () =>
          (await count(['sent', 'returned'])) > gone + all / (3 * NODE_KILLS + 1) || !(await waits());
        await until('some more have left', enough, 150);
        if (!(await waits())) break;
        await cluster.nodes[1]?.kill();
        kills++;
        await new Promise((resolve) => setTimeout(resolve, 3000));
        await cluster.nodes[1]?.start();
      }
      expect(kills, 'killed while there was something to send').to.be.at.least(NODE_KILLS / 2);
      await until('all have left', async () => (await waits()) === 0, 180);
      await untilSettled(firm, id);
      expect(await count(['uncertain'])).to.equal(0);
      await expectOnceEach(firm, id);
    } finally {
      await Promise.all(workers.map(ended));
      await firm.close();
    }
  }).timeout(MANY ? 900_000 : 300_000);
});
