import type { OutgoingKind } from '../dispatch/port.ts';
import { composeMessage } from './compose.ts';
import { fromJson } from '../foundation/json.ts';

interface LeavingMailing {
  id: number;
  subject: string;
  body: string;
  released_at: Date | null;
}

/** Mailings on their way: each recipient alone on the envelope. */
export const mailings: OutgoingKind = {
  name: 'mailing',
  priority: 2,

  async ready(db) {
    const leaving: number[] = await db('mailing').where({ state: 'leaving' }).pluck('id');
    return (rows) => void rows.whereIn('mailing_id', leaving);
  },

  async load(db, rows) {
    const ids = [...new Set(rows.flatMap(({ mailing_id }) => mailing_id ?? []))];
    const found: LeavingMailing[] = await db('mailing')
      .whereIn('id', ids)
      .select('id', 'subject', 'body', 'released_at');
    const mailingOf = new Map(found.map((mailing) => [mailing.id, mailing]));
    return new Map(
      rows.flatMap((row) => {
        const mailing = mailingOf.get(row.mailing_id ?? 0);
        if (!mailing) return [];
        const outgoing = {
          envelope: [row.to_address],
          since: mailing.released_at ?? new Date(),
          compose: async (from: { name: string; address: string }) => {
            const { raw } = await composeMessage(
              fromJson('mailing.subject', mailing.subject),
              fromJson('mailing.body', mailing.body),
              fromJson('dispatch.facts', row.facts),
              {
                from,
                to: { name: row.to_name, address: row.to_address },
                messageId: row.message_id,
                date: new Date(),
              },
            );
            return raw;
          },
        };
        return [[row.id, outgoing]];
      }),
    );
  },

  recorded: async () => undefined,

  async finish(db) {
    return db('mailing')
      .where({ state: 'leaving' })
      .whereNotExists(
        db('dispatch')
          .whereRaw('dispatch.mailing_id = mailing.id')
          .whereIn('state', ['waiting', 'leaving', 'delayed'])
          .select(db.raw('1')),
      )
      .update({ state: 'finished', finished_at: new Date() });
  },
};
