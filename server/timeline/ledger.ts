import { likePattern } from '../foundation/rows.ts';
import { TimelineKind } from '../../contract/index.ts';
import type { LedgerKind } from '../correspondence/ledger/port.ts';
import { readEntries } from './entries.ts';

/** Notes, calls and meetings on the client's files. */
export const timelineEntries: LedgerKind<'timeline'> = {
  kind: 'timeline',
  parts: TimelineKind.options,

  find(db, { clientId, fileId, words, only }) {
    const found = db('timeline').where('timeline.client_id', clientId).whereNull('timeline.gone_at');
    if (fileId) found.where('timeline.file_id', fileId);
    if (only) found.where('timeline.kind', only);
    if (words) {
      const pattern = likePattern(words);
      found.where((any) =>
        any
          .where('timeline.words', 'like', pattern)
          .orWhere('timeline.outcome', 'like', pattern)
          .orWhere('timeline.place', 'like', pattern),
      );
    }
    return found.select({ id: 'timeline.id', at: 'timeline.at' });
  },

  async read(db, ids) {
    const entries = await readEntries(db, (query) => query.whereIn('timeline.id', ids));
    return new Map(entries.map((entry) => [entry.id, { entry }]));
  },
};
