import { noteChange } from '../foundation/changes.ts';
import { addressKey } from '../../core/address/address.ts';
import type { OutgoingKind } from '../dispatch/port.ts';
import { packRaw } from '../foundation/sources.ts';
import { insertAll } from '../foundation/rows.ts';
import type { AppContext } from '../foundation/context.ts';
import { composeDraft } from './compose.ts';
import { readersPage } from './ownPage.ts';
import { fromJson } from '../foundation/json.ts';

/** As it stands in `dispatch.kind`. */
export const LETTER = 'letter';

/** Single letters on their way: all their addressees on one envelope. */
export const outgoingLetters = ({ config }: AppContext): OutgoingKind => ({
  name: LETTER,
  // What somebody has just written does not queue behind a mailing.
  priority: 1,
  limited: false,

  ready: async () => () => undefined,

  async load(db, rows) {
    const drafts = await db('draft').whereIn('id', idsOf(rows));
    const draftOf = new Map(drafts.map((draft) => [draft.id, draft]));
    return new Map(
      rows.flatMap((row) => {
        const draft = draftOf.get(row.draft_id ?? 0);
        if (!draft) return [];
        const { to, cc, bcc } = fromJson('draft.people', draft.people);
        const outgoing = {
          envelope: [...new Set([...to, ...cc, ...bcc].map(({ email }) => email))],
          since: draft.send_at ?? new Date(),
          compose: async () => {
            const raw = await composeDraft(db, draft, new Date(), await readersPage(config.key, db, draft));
            return { raw, packed: await packRaw(raw) };
          },
        };
        return [[row.id, outgoing]];
      }),
    );
  },

  /** A written message is no draft any more; who had a hidden copy is known to us alone, and who wrote it. */
  async recorded(trx, rows) {
    const drafts = await trx('draft').whereIn('id', idsOf(rows));
    const draftOf = new Map(drafts.map((draft) => [draft.id, draft]));
    for (const { recordId, draft_id, sent_at } of rows) {
      const draft = draftOf.get(draft_id ?? 0);
      if (!draft || !recordId) continue;
      await trx('draft').where({ id: draft.id }).update({ state: 'sent', saved_at: sent_at });
      await noteChange(trx, 'drafts', 'staff', [draft.staff_id]);
      // Whoever wrote it chose its file, too.
      await trx('message').where({ id: recordId }).update({ handler_id: draft.staff_id });
      await trx('message').where({ id: recordId, state: 'logged' }).update({ decided_by: draft.staff_id });
      const { bcc } = fromJson('draft.people', draft.people);
      const hidden = bcc.map(({ name, email }) => ({
        message_id: recordId,
        role: 'bcc',
        email_key: addressKey(email),
        email,
        name,
      }));
      await insertAll(trx, 'message_party', hidden, { ignore: true });
    }
  },

  finish: async () => 0,
});

function idsOf(rows: readonly { draft_id: number | null }[]): number[] {
  return rows.flatMap(({ draft_id }) => draft_id ?? []);
}
