import type { OwnPage } from '../../contract/index.ts';
import type { AppContext } from '../foundation/context.ts';
import { readFirm } from '../foundation/firm.ts';
import { select } from '../foundation/rows.ts';
import { lying } from './items.ts';
import { todayOf, type Opened } from './pages.ts';

/** So much of what was is shown to a client: their last words, and what they put there. */
const SHOWN = 30;

/** What a client finds on their page, but for what they hear from us. */
export async function ownPage(
  { db }: AppContext,
  { page, name, email }: Opened,
): Promise<Omit<OwnPage, 'hears'>> {
  const firm = await readFirm(db);
  const own = { page_id: page.id };
  const about = (number: string, title: string, general: number) => (general ? '' : `${title} (${number})`);
  const file = { number: 'file.number', title: 'file.title', general: 'file.general' } as const;
  const [items, wanted, uploads, lines] = await Promise.all([
    select(
      lying(db('collection_item').where(own), todayOf(firm))
        .join('file', 'file.id', 'collection_item.file_id')
        .orderBy('collection_item.laid_at', 'desc')
        .limit(500),
      {
        ...file,
        ...{ id: 'collection_item.id', filename: 'collection_item.filename', size: 'collection_item.size' },
        ...{ version: 'collection_item.version', laidAt: 'collection_item.laid_at' },
        until: 'collection_item.until',
        collectedAt: db.raw<Date | null>(
          '(SELECT MIN(taken.at) FROM collection_taken taken WHERE taken.item_id = collection_item.id)',
        ),
      },
    ),
    select(
      db('collection_wanted')
        .join('file', 'file.id', 'collection_wanted.file_id')
        .where(own)
        .whereNull('closed_at')
        .orderByRaw('came_at IS NOT NULL, collection_wanted.id')
        .limit(200),
      {
        ...file,
        ...{ id: 'collection_wanted.id', name: 'collection_wanted.name', note: 'collection_wanted.note' },
        ...{ byDay: 'collection_wanted.by_day', came: 'collection_wanted.came_at' },
      },
    ),
    db('collection_upload')
      .where(own)
      .whereNot({ state: 'taken back' })
      .orderBy('id', 'desc')
      .limit(SHOWN)
      .select('id', 'filename', 'size', 'at', 'state', 'why', 'wanted_id'),
    db('collection_entry')
      .where({ ...own, kind: 'line' })
      .orderBy('id', 'desc')
      .limit(SHOWN)
      .select('at', 'words'),
  ]);
  const looked = new Set(uploads.flatMap(({ state, wanted_id }) => (state === 'waiting' ? wanted_id : [])));
  return {
    ...{ firm: firm.name, phone: firm.phone, zone: firm.zone, name, email },
    items: items.map(({ number, title, general, laidAt, collectedAt, ...item }) => ({
      ...item,
      about: about(number, title, general),
      laidAt: laidAt.toISOString(),
      collectedAt: collectedAt?.toISOString() ?? null,
    })),
    wanted: wanted.map(({ number, title, general, came, ...each }) => ({
      ...each,
      about: about(number, title, general),
      state: came ? 'came' : looked.has(each.id) ? 'to look at' : 'wanted',
    })),
    uploads: uploads.map(({ wanted_id: _wanted, at, ...upload }) => ({ ...upload, at: at.toISOString() })),
    lines: lines.map(({ at, words }) => ({ at: at.toISOString(), words })),
  };
}
