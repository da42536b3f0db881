import type { Knex } from 'knex';
import type { Addressees } from '../../contract/index.ts';
import { htmlWithPage, withPage } from '../../core/collection/link.ts';
import { referencesFor, renderLetter } from '../../core/merge/letter.ts';
import type { Rows } from '../foundation/tables.ts';
import { readRaw } from '../foundation/sources.ts';
import { frameOf, readFirm } from '../foundation/firm.ts';
import { picturesFor } from './pictures.ts';
import { signatureOf } from './signatures.ts';
import { buildMessage } from '../reading/build.ts';
import { readingOf } from '../reading/kept.ts';
import { fromJson } from '../foundation/json.ts';
import type { ReadersPage } from './ownPage.ts';

export type DraftRecord = Rows['draft'];

/**
 * Composes the bytes of a written message as they leave. Those with a hidden copy stand on the envelope only.
 * @param date what its Date header says
 * @param page of whoever it is to, where the text leads there
 */
export async function composeDraft(
  db: Knex,
  draft: DraftRecord,
  date: Date,
  page: ReadersPage | null = null,
): Promise<Buffer> {
  const people = fromJson('draft.people', draft.people);
  const firm = await readFirm(db);
  const frame = frameOf(firm);
  const logo = firm.frame.signatures && !draft.plain ? frame.logo : null;
  const body = fromJson('draft.body', draft.body);
  const signature = await signatureOf(db, draft.staff_id);
  const whole = { ...body, content: [...(body.content ?? []), ...signature] };
  const [mailbox, staff, about, enclosures, pictures] = await Promise.all([
    db('mailbox').where('id', draft.mailbox_id).first('address', 'name', 'shared'),
    db('staff').where({ id: draft.staff_id }).first('name'),
    draft.about_id && draft.how !== 'forward' ? parentOf(db, draft.about_id) : null,
    enclosuresOf(db, draft.id),
    draft.plain ? [] : picturesFor(db, whole, logo && frame),
  ]);
  const made = renderLetter({
    body,
    signature,
    logo: logo && { ...logo, alt: firm.name },
    quoted: draft.quoted,
    plain: Boolean(draft.plain),
  });
  const text = page ? withPage(made.text, page.mark, page.address) : made.text;
  const html = page && made.html !== null ? htmlWithPage(made.html, page.mark, page.address) : made.html;
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
    // RFC 3834: so that no program answers what nobody wrote.
    ...(draft.unread ? { headers: { 'Auto-Submitted': 'auto-generated' } } : {}),
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
