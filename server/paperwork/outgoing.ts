import type { Knex } from 'knex';
import type { Mailbox } from '../../core/address/address.ts';
import { renderMessage } from '../../core/merge/render.ts';
import type { ClaimedRow, Outgoing, OutgoingKind } from '../dispatch/port.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { select } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import { noteChange } from '../foundation/changes.ts';
import { enclosedWith } from './enclosures.ts';
import { listSenders } from '../mailing/senders.ts';
import { buildBeside } from '../reading/pool.ts';
import { picturesFor } from '../writing/pictures.ts';
import { stopReminders } from './stopReminders.ts';

/** As it stands in `dispatch.kind`. */
export const PAPERWORK = 'paperwork';

/** What waits is looked at this often, in milliseconds. */
const LOOK_EVERY = 3_000;

/** Pieces of paperwork on their way by email: all of a client's people whom they are for on one envelope. */
export function outgoingPaperwork(): OutgoingKind {
  let lookedAt = 0;
  return {
    name: PAPERWORK,
    priority: 2,
    limited: true,

    async ready(db) {
      // Not at every round: of what waits for its time some may have been paid, or answered.
      if (Date.now() - lookedAt > LOOK_EVERY) {
        lookedAt = Date.now();
        await stopReminders(db);
      }
      return () => undefined;
    },

    async load(db, rows) {
      const pieces = await select(
        db('paper_piece')
          .join('paper_run', 'paper_run.id', 'paper_piece.run_id')
          .leftJoin('document', 'document.piece_id', 'paper_piece.id')
          .whereIn('paper_piece.id', idsOf(rows)),
        {
          id: 'paper_piece.id',
          people: 'paper_piece.people',
          hash: 'document.raw_hash?',
          mimeType: 'document.mime_type?',
          releasedAt: 'paper_piece.released_at',
          subject: 'paper_run.mail_subject',
          body: 'paper_run.mail_body',
          runId: 'paper_run.id',
          answersId: 'paper_run.answers_id',
          hiddenCopy: 'paper_run.hidden_copy',
          filename: 'document.filename?',
        },
      );
      const around = await readAround(db, [...new Set(pieces.map(({ runId }) => runId))]);
      const pieceOf = new Map(pieces.map((piece) => [piece.id, piece]));
      return new Map(
        rows.flatMap((row): [number, Outgoing][] => {
          const piece = pieceOf.get(row.piece_id ?? 0);
          const { hash } = piece ?? {};
          if (!piece || !hash) return [];
          const people = fromJson('paper_piece.people', piece.people);
          const to = people.map(({ name, email }) => ({ name, address: email }));
          const outgoing: Outgoing = {
            envelope: [...new Set([...people.map(({ email }) => email), piece.hiddenCopy].filter(Boolean))],
            since: piece.releasedAt ?? new Date(),
            compose: (from) => compose(db, around, { ...piece, hash }, row, from, to),
          };
          return [[row.id, outgoing]];
        }),
      );
    },

    recorded: async (trx) => noteChange(trx, 'paperwork'),
    finish: async () => 0,
  };
}

const idsOf = (rows: readonly Pick<ClaimedRow, 'piece_id'>[]) =>
  rows.flatMap(({ piece_id }) => piece_id ?? []);

async function readAround(db: Knex, runIds: readonly number[]) {
  const [firm, senders, shared, enclosed] = await Promise.all([
    readFirm(db),
    listSenders(db),
    db('mailbox').where({ shared: 1 }).pluck('id') as Promise<number[]>,
    enclosedWith(db, runIds),
  ]);
  return { firm, senders, enclosed, shared: new Set(shared) };
}
async function compose(
  db: Knex,
  { firm, senders, shared, enclosed }: Awaited<ReturnType<typeof readAround>>,
  piece: {
    runId: number;
    subject: string;
    body: string;
    answersId: number | null;
    filename: string | null;
    mimeType: string | null;
    hash: Buffer;
  },
  row: ClaimedRow,
  from: Mailbox,
  to: { name: string; address: string }[],
) {
  const body = fromJson('paper_run.mail_body', piece.body);
  const known = fromJson('dispatch.facts', row.facts);
  const { subject, text, html } = renderMessage(
    fromJson('paper_run.mail_subject', piece.subject),
    body,
    known,
  );
  const answers = senders.find(({ id }) => id === piece.answersId);
  const [pictures, content] = await Promise.all([picturesFor(db, body), readRaw(db, piece.hash)]);
  return buildBeside({
    ...{ to, subject, text, html },
    from: shared.has(row.mailbox_id) ? { ...from, name: firm.name } : from,
    ...(answers ? { replyTo: { name: answers.name, address: answers.address } } : {}),
    attachments: [
      ...pictures,
      { filename: piece.filename ?? 'Letter.pdf', contentType: piece.mimeType ?? 'application/pdf', content },
      ...(enclosed.get(piece.runId) ?? []),
    ],
    date: new Date(),
    messageId: row.message_id,
    boundary: row.message_id.replace(/[^\w]/g, '').slice(0, 40),
  });
}
