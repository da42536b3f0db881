import { linksOf, type Counting } from '../../core/merge/links.ts';
import type { Happening } from '../../core/orders/happening.ts';
import { noteHappenings } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';
import { readFirm, webBase, type Firm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { selectFirst } from '../foundation/rows.ts';
import { readLink, signLink } from '../security/links.ts';

/** No more than so often is one link counted for one reader. */
const MOST_TIMES = 9999;

/** What counts: a copy of its recipient's; or one that was looked at before release, which opens links and counts nothing. */
type CountedCopy = { dispatchId: number } | { mailingId: number };

/**
 * How a copy tells that it was opened and which links were followed.
 * @returns null where the office does not count, or has not said under which address it is reached
 */
export function countingOf(key: Buffer, firm: Firm, copy: CountedCopy): Counting | null {
  const base = webBase(firm);
  if (!firm.counting || !base) return null;
  const counts = 'dispatchId' in copy;
  const id = counts ? copy.dispatchId : copy.mailingId;
  return {
    // One that counts nothing looks the same.
    mark: `${base}/opened/${signLink(key, counts ? 'opened' : 'trial 0', id)}`,
    link: (position) =>
      `${base}/link/${position}/${signLink(key, `${counts ? 'link' : 'trial'} ${position}`, id)}`,
  };
}

/** A copy, and whether it counts: not where the firm, the client or the mailing wants none. @returns null when there is none */
async function countedCopy({ db }: AppContext, id: number) {
  const row = await selectFirst(
    db('dispatch')
      .join('mailing', 'mailing.id', 'dispatch.mailing_id')
      .leftJoin('client', 'client.id', 'dispatch.client_id')
      .where('dispatch.id', id),
    {
      mailingId: 'mailing.id',
      body: 'mailing.body',
      counted: 'mailing.counted',
      client: 'client.counted?',
    },
  );
  if (!row) return null;
  const counts = row.counted === 1 && row.client !== 0 && (await readFirm(db)).counting;
  return { mailingId: row.mailingId, body: row.body, counts };
}

const opened = (id: number): Happening => ({
  ...{ kind: 'mailing opened', subject: 'dispatch', id },
  ...{ fact: null, value: null },
});

/** Notes that a copy was opened, once; what is not of ours is passed over. */
export async function noteOpened(context: AppContext, token: string): Promise<void> {
  const id = readLink(context.config.key, 'opened', token);
  const copy = id === null ? null : await countedCopy(context, id);
  if (id === null || !copy?.counts) return;
  await transact(context.db, async (trx) => {
    const first = await trx('dispatch')
      .where({ id })
      .whereNull('opened_at')
      .update({ opened_at: new Date() });
    if (!first) return;
    await noteHappenings(trx, [opened(id)]);
    await noteChange(trx, 'mailings', 'mailing', [copy.mailingId]);
  });
}

/**
 * Notes that a link was followed, and says where it leads: only where the mailing's own text leads, never where the
 * address asked for says.
 * @param note whether to count it
 * @returns null when the link was not made here, or its mailing is gone
 */
export async function followLink(
  context: AppContext,
  position: number,
  token: string,
  note: boolean,
): Promise<string | null> {
  const { db, config } = context;
  const id = readLink(config.key, `link ${position}`, token);
  if (id === null) {
    const mailingId = readLink(config.key, `trial ${position}`, token);
    const row = mailingId === null ? null : await db('mailing').where({ id: mailingId }).first('body');
    return row ? hrefAt(row.body, position) : null;
  }
  const copy = await countedCopy(context, id);
  const href = copy ? hrefAt(copy.body, position) : null;
  if (!copy?.counts || href === null || !note) return href;
  await transact(db, async (trx) => {
    const now = new Date();
    if (await trx('dispatch').where({ id }).whereNull('opened_at').first('id'))
      await noteHappenings(trx, [opened(id)]);
    const first = await trx('dispatch')
      .where({ id })
      .whereNull('followed_at')
      .update({ followed_at: now, opened_at: trx.raw('COALESCE(opened_at, ?)', [now]) });
    await trx('link_followed')
      .insert({ dispatch_id: id, position, first_at: now, times: 1 })
      .onConflict(['dispatch_id', 'position'])
      .merge({ times: trx.raw(`LEAST(link_followed.times + 1, ${MOST_TIMES})`) });
    if (first) await noteChange(trx, 'mailings', 'mailing', [copy.mailingId]);
  });
  return href;
}

function hrefAt(body: string, position: number): string | null {
  return linksOf(fromJson('mailing.body', body))[position]?.href ?? null;
}
