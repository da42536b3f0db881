import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import { hashOf, packRaw, storeRaw } from '../server/foundation/sources.ts';
import { photograph, plan } from './papers.ts';
import type { DemoClient, DemoFile, DemoRegister } from './register.ts';

/** A small register has no pages: whoever tries them there makes them. */
const GROWN = 100;

const WANTED = [
  { name: 'Holding number', note: 'It stands on every letter from the ministry.', ago: 12, came: 9 },
  { name: 'Map of the wood', note: '', ago: 12, came: null },
  { name: 'The old planting list', note: 'A photograph of it is enough.', ago: 4, came: null },
];
const LINES = [
  'We are away until the 9th; the gate to the lower wood is not locked.',
  'Could the walk be a week later? The track is under water.',
];

/** Loads what lies on the pages of some of the demo firm's clients, what is asked for there, and what came. */
export async function loadPages(trx: Knex, register: DemoRegister, now: Date): Promise<void> {
  if (register.clients.length < GROWN) return;
  const clients = register.clients
    .filter(({ people, files }) => people[0] && files.some(isWork))
    .slice(0, 60)
    .filter((_, index) => index % 12 === 3);
  for (const [index, client] of clients.entries()) await loadPage(trx, client, index, now);
}

const isWork = ({ general, closed }: DemoFile) => !general && !closed;
const before = (now: Date, days: number) => DateTime.fromJSDate(now).minus({ days }).toJSDate();

async function loadPage(trx: Knex, client: DemoClient, index: number, now: Date): Promise<void> {
  const [person] = client.people;
  const file = client.files.find(isWork);
  const general = client.files.find((each) => each.general);
  if (!person || !file || !general) return;
  const [pageId = 0] = await trx('collection_page').insert({
    ...{ client_id: client.id, person_id: person.id, opened_at: before(now, 1 + index) },
  });
  await layOut(trx, { pageId, clientId: client.id, fileId: file.id }, index, now);
  const asked = WANTED.slice(0, 1 + (index % 3));
  for (const { name, note, ago, came } of asked)
    await trx('collection_wanted').insert({
      ...{ page_id: pageId, file_id: file.id, name, note, asked_by: 1 + (index % 3) },
      ...{ asked_at: before(now, ago), came_at: came === null ? null : before(now, came) },
      by_day: DateTime.fromJSDate(now)
        .plus({ days: 10 - ago })
        .toISODate(),
    });
  if (index < 2) await putThere(trx, pageId, file.id, index, now);
  if (index > 2)
    await trx('collection_entry').insert({
      ...{ page_id: pageId, client_id: client.id, file_id: general.id, at: before(now, index - 2) },
      ...{ kind: 'line', words: LINES[index % 2] ?? '', waits: 1 },
    });
}

async function layOut(
  trx: Knex,
  { pageId, clientId, fileId }: { pageId: number; clientId: number; fileId: number },
  index: number,
  now: Date,
): Promise<void> {
  const packed = await packRaw(plan(index % 8));
  await storeRaw(trx, [packed]);
  const [id = 0] = await trx('collection_item').insert({
    ...{ page_id: pageId, file_id: fileId, filename: 'Plan of the new rides.png', mime_type: 'image/png' },
    ...{ size: packed.size, hash: packed.hash, laid_at: before(now, 6 + index), laid_by: 1 + (index % 3) },
    until:
      DateTime.fromJSDate(now)
        .plus({ days: 84 - index })
        .toISODate() ?? '',
  });
  await trx('collection_entry').insert({
    ...{ page_id: pageId, client_id: clientId, file_id: fileId, at: before(now, 6 + index) },
    ...{ kind: 'laid out', words: 'Plan of the new rides.png', item_id: id },
  });
  if (index % 2 === 0) await trx('collection_taken').insert({ item_id: id, at: before(now, 2 + index) });
}

/** What a client put there, to be looked at. */
async function putThere(trx: Knex, pageId: number, fileId: number, index: number, now: Date): Promise<void> {
  const bytes = photograph(index + 3);
  const [id = 0] = await trx('collection_upload').insert({
    ...{ page_id: pageId, file_id: fileId, at: before(now, 0), hash: hashOf(bytes), size: bytes.length },
    ...{ filename: index ? 'lower wood.png' : 'old planting list.png', mime_type: 'image/png' },
  });
  await trx('collection_apart').insert({ upload_id: id, position: 0, bytes });
}
