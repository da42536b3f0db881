import type { Knex } from 'knex';
import type { Addressees } from '../../contract/index.ts';
import { referencesFor, renderLetter } from '../../core/merge/letter.ts';
import type { Rows } from '../foundation/tables.ts';
import { readRaw } from '../foundation/sources.ts';
import { frameOf, readFirm } from '../foundation/firm.ts';
import { usualSignature } from '../office/own.ts';
import { picturesFor } from './pictures.ts';
import { buildMessage } from '../reading/build.ts';
import { readingOf } from '../reading/kept.ts';
import { fromJson } from '../foundation/json.ts';

export type DraftRecord = Rows['draft'];

/** The lines below everything a member of staff writes: their own, or who they are; then the firm's notice. */
export async function signatureOf(db: Knex, staffId: number): Promise<string> {
  const [firm, staff] = await Promise.all([
    readFirm(db),
    db('staff').where({ id: staffId }).first('name', 'title', 'phone', 'signature'),
  ]);
  return [staff?.signature || usualSignature(firm, staff), firm.notice].filter(Boolean).join('\n');
}

/**
 * Composes the bytes of a written message as they leave. Those with a hidden copy stand on the envelope only.
 * @param date what its Date header says
 */
export async function composeDraft(db: Knex, draft: DraftRecord, date: Date): Promise<Buffer> {
  const people = fromJson('draft.people', draft.people);
  const firm = await readFirm(db);
  const frame = frameOf(firm);
  const logo = firm.frame.signatures && !draft.plain ? frame.logo : null;
  const [mailbox, staff, signature, about, enclosures, pictures] = await Promise.all([
    db('mailbox').where('id', draft.mailbox_id).first('address', 'name', 'shared'),
    db('staff').where({ id: draft.staff_id }).first('name'),
    signatureOf(db, draft.staff_id),
    draft.about_id && draft.how !== 'forward' ? parentOf(db, draft.about_id) : null,
    enclosuresOf(db, draft.id),
    draft.plain ? [] : picturesFor(db, fromJson('draft.body', draft.body), logo && frame),
  ]);
  const { text, html } = renderLetter({
    body: fromJson('draft.body', draft.body),
    signature,
    logo: logo && { ...logo, alt: firm.name },
    quoted: draft.quoted,
    plain: Boolean(draft.plain),
  });
  const addressed = (list: Addressees['to']) =>
    list.map(({ name, email }) => ({ name: name.replace(/[\r\n]+/g, ' '), address: email }));
  return buildMessage({
    from: { name: mailbox?.shared ? firm.name : (staff?.name ?? ''), address: mailbox?.address ?? '' },
    to: addressed(people.to),
    cc: addressed(people.cc),
    subject: draft.subject,
    text,
    ...(html === null ? {} : { html }),
    attachments: [...pictures, ...enclosures],
    date,
    messageId: draft.message_id,
    ...(about?.messageId ? { inReplyTo: about.messageId } : {}),
    references: about ? referencesFor(about) : [],
  });
}

async function parentOf(db: Knex, id: number) {
  const row = await db('message').where({ id }).first('raw_hash');
  return row ? (await readingOf(db, row.raw_hash)).read : null;
}

async function enclosuresOf(db: Knex, draftId: number) {
  const rows = await db('draft_enclosure').where({ draft_id: draftId }).orderBy('id');
  return Promise.all(
    rows.map(async (row) => ({
      filename: row.filename,
      contentType: row.mime_type,
      content: await readRaw(db, row.hash),
    })),
  );
}
