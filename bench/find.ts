import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { addressKey } from '../core/address/address.ts';
import { FilingRegister } from '../core/filing/register.ts';
import { pick, seeded } from '../outside/random.ts';
import { startMariaDB } from '../scripts/mariadb.ts';
import { ensureDatabase, openDatabase, type Database } from '../server/foundation/database.ts';
import { search } from '../server/records/search.ts';
import { bigFirm, type Firm } from './bigFirm.ts';
import { quantile, result, row } from './ground.ts';
import { insertAll } from '../server/foundation/rows.ts';
import { migrate } from '../server/foundation/migrate.ts';

const SEARCHES = 400;

/** How long it takes to find a file or client from the keyboard in a large firm, beside one look-up by key. */
export async function benchFind(searches = SEARCHES): Promise<void> {
  const random = seeded('find');
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-bench-'));
  const mariadb = await startMariaDB(join(dir, 'mariadb'));
  try {
    const url = mariadb.url('bench');
    await ensureDatabase(url);
    const db = openDatabase(url);
    await migrate(db);
    const data = bigFirm(random);
    console.log(
      `Loading ${data.clients.length} clients, ${data.people.length} people, ${data.files.length} files …`,
    );
    await load(db, data);
    const register = new FilingRegister(data);
    const whole = Array.from({ length: searches }, () => wanted(random, data));
    // As it is typed: three letters, then more, then all.
    const typed = whole.flatMap((words) => [words.slice(0, 3), words.slice(0, 6), words]);
    const limit: number[] = [];
    const ours: number[] = [];
    let empty = 0;
    for (const words of typed) {
      const at = performance.now();
      await db('file')
        .where({ number: pick(random, data.files).number })
        .first();
      const looked = performance.now();
      const hits = await search(db, register, words);
      ours.push(performance.now() - looked);
      limit.push(looked - at);
      if (words.length > 6 && !hits.files.length && !hits.clients.length) empty++;
    }
    row('limit: one file read by its number', limit);
    row('ours: files and clients for words as typed', ours);
    console.log(
      `${(quantile(ours, 0.5) / quantile(limit, 0.5)).toFixed(1)} look-ups’ worth (medians); ${empty} of ${searches} whole searches found nothing`,
    );
    result('find', {
      limit: quantile(limit, 0.5),
      ours: quantile(ours, 0.5),
      slowest: quantile(ours, 0.99),
      ratio: quantile(ours, 0.5) / quantile(limit, 0.5),
      empty,
    });
    await db.destroy();
  } finally {
    await mariadb.stop();
    rmSync(dir, { recursive: true, force: true });
  }
}

function wanted(random: () => number, data: Firm): string {
  const dice = random();
  const file = pick(random, data.files);
  if (dice < 0.25) return file.number;
  if (dice < 0.5) return pick(random, data.clients).name;
  if (dice < 0.75) return pick(random, data.people).name;
  return file.title.replace(/[^\p{L} ]/gu, '');
}

async function load(db: Database, data: Firm): Promise<void> {
  await insertAll(
    db,
    'client',
    data.clients.map(({ id, name }) => ({ id, name, kind: 'estate', status: 'active' })),
    { chunk: 1000 },
  );
  await insertAll(
    db,
    'person',
    data.people.map(({ id, name }) => ({
      id,
      first_name: name.split(' ')[0],
      last_name: name.split(' ')[1],
    })),
    { chunk: 1000 },
  );
  await insertAll(
    db,
    'address',
    data.people.flatMap(({ id, addresses }) =>
      addresses.map((email) => ({ person_id: id, email, email_key: addressKey(email) })),
    ),
    { chunk: 1000 },
  );
  await insertAll(
    db,
    'client_person',
    data.people.flatMap(({ id, clientIds }) =>
      clientIds.map((clientId) => ({ client_id: clientId, person_id: id, role: 'x' })),
    ),
    { chunk: 1000 },
  );
  await insertAll(
    db,
    'file',
    data.files.map(({ id, number, title, clientId, general, closed }) => ({
      id,
      number,
      title,
      client_id: clientId,
      general,
      opened: '2024-01-01',
      closed: closed ? '2025-01-01' : null,
    })),
    { chunk: 1000 },
  );
}
