import { countOf } from '../../server/foundation/rows.ts';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { startMariaDB, type PrivateMariaDB } from '../../scripts/mariadb.ts';
import { openDatabase, perhapsDone, transact } from '../../server/foundation/database.ts';
import { LEASE_SECONDS } from '../../server/dispatch/claims.ts';
import { ended, expectOnceEach, releaseToAll, serverProcess, untilSettled } from './processes.ts';
import { Way } from './way.ts';
import { deliver, openFirm, until, type TestFirm } from './helpers.ts';

const INES = 'ines.calder@quillhurst.example';

describe('a database that goes away', () => {
  let dir: string;
  let mariadb: PrivateMariaDB;
  let way: Way;
  let firm: TestFirm;
  let server: string;
  before(async () => {
    dir = mkdtempSync(join(tmpdir(), 'patient-clerk-away-'));
    mariadb = await startMariaDB(dir);
    const direct = new URL(mariadb.url('mysql'));
    way = new Way(Number(direct.port));
    await way.listen();
    const through = new URL(direct);
    through.port = String(way.port);
    server = through.toString();
    firm = await openFirm({ clients: 60, files: 80, conversationsPerClient: 0.2, server: direct.toString() });
    await firm.sync();
  });
  after(async () => {
    await firm.close();
    await way.close();
    await mariadb.stop();
    rmSync(dir, { recursive: true, force: true });
  });
  const throughTheWay = () => {
    const url = new URL(server);
    url.pathname = new URL(firm.url).pathname;
    return url.toString();
  };

  it('ends no process: mail comes in and goes out as before when it is back, and nothing goes out twice', async () => {
    const { child, port } = await serverProcess(firm, server);
    firm.config.sendGap = 150;
    const id = await releaseToAll(firm);
    const open = async () =>
      await countOf(
        firm.db('dispatch').where({ mailing_id: id }).whereIn('state', ['waiting', 'going', 'delayed']),
      );
    const all = await open();
    for (let outage = 1; outage <= 3; outage++) {
      await until('some more have left', async () => (await open()) < all - outage * 8, 60);
      way.away = true;
      way.cut();
      await new Promise((resolve) => setTimeout(resolve, 2500));
      const answer = await fetch(`http://127.0.0.1:${port}/api/session`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ email: 'maren.okell@quillhurst.example', password: 'open the gate' }),
        signal: AbortSignal.timeout(40_000),
      });
      expect(answer.status).to.equal(503);
      deliver(firm, INES, `while-away${outage}@x.example`);
      way.away = false;
    }
    // What was claimed in that instant may have to wait until its lease ends.
    await until('all have left', async () => (await open()) === 0, LEASE_SECONDS + 40);
    for (let outage = 1; outage <= 3; outage++)
      await until(
        'mail came in',
        async () =>
          Boolean(
            await firm
              .db('message')
              .where({ message_id: `while-away${outage}@x.example` })
              .first('id'),
          ),
        30,
      );
    await untilSettled(firm, id);
    expect(await firm.db('dispatch').where({ mailing_id: id, state: 'uncertain' }).pluck('id')).to.deep.equal(
      [],
    );
    await expectOnceEach(firm, id);
    await ended(child);
  }).timeout(300_000);

  it('is waited for while nothing was kept yet, and not asked twice when it may have been', async () => {
    const db = openDatabase(throughTheWay(), { pool: 2 });
    let tries = 0;
    await transact(db, async (trx) => {
      await trx('turn').where({ name: 'numbers' }).increment('taken', 1);
      if (++tries === 1) way.cut();
      await trx('turn').where({ name: 'numbers' }).increment('taken', 1);
    });
    expect(tries).to.equal(2);
    tries = 0;
    const error: unknown = await transact(db, async (trx) => {
      tries++;
      await trx('turn').where({ name: 'numbers' }).increment('taken', 1);
      // Lost on the way to being kept.
      way.hanging = true;
      setTimeout(() => {
        way.hanging = false;
        way.cut();
      }, 100);
    }).then(
      () => null,
      (failed: unknown) => failed,
    );
    expect([tries, perhapsDone(error)]).to.deep.equal([1, true]);
    await db.destroy();
  });

  it('does not hold whoever asks it when it hangs', async () => {
    const db = openDatabase(throughTheWay(), { pool: 1, patience: 400 });
    await db('turn').first();
    way.hanging = true;
    const began = Date.now();
    const failed = await db('turn')
      .first()
      .then(
        () => null,
        (error: { code?: string }) => error.code,
      );
    expect(failed).to.equal('PROTOCOL_SEQUENCE_TIMEOUT');
    expect(Date.now() - began).to.be.lessThan(3000);
    way.hanging = false;
    expect(await db('turn').first()).to.be.an('object');
    await db.destroy();
  });
});
