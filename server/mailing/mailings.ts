import { mailings } from './outgoing.ts';
import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import {
  DispatchState,
  MailingDraft,
  type Checks,
  type DispatchPage,
  type MailingProgress,
  type MailingRow,
  type MailingView,
  type Preview,
  type StaffMember,
} from '../../contract/index.ts';
import { domainOf } from '../../core/address/address.ts';
import { BUILT_IN_FIELDS } from '../../core/merge/document.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { transact } from '../foundation/database.ts';
import { beat } from '../foundation/pulse.ts';
import { may } from '../../contract/rights.ts';
import { noteAudit } from '../foundation/audit.ts';
import type { Office } from '../foundation/office.ts';
import { withConnection } from '../mailserver/smtp.ts';
import { composeMessage, type Composed } from './compose.ts';
import { findRecipients, type Recipient } from './recipients.ts';
import { insertAll, groupBy } from '../foundation/rows.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { accessOf, type MailboxRow } from '../mailserver/access.ts';

interface MailingRecord {
  id: number;
  name: string;
  state: MailingRow['state'];
  owner: string;
  owner_id: number;
  selection: string;
  unticked: string;
  subject: string;
  body: string;
  file_choice: 'general' | 'latest';
  version: number;
  saved_at: Date;
  tested_at: Date | null;
  released_at: Date | null;
}

const NOTHING_WRITTEN: MailingDraft = {
  name: 'New mailing',
  selection: { all: [{ field: 'status', values: ['active'] }] },
  unticked: [],
  subject: { type: 'doc', content: [{ type: 'paragraph' }] },
  body: {
    type: 'doc',
    content: [
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'Dear ' },
          { type: 'mergeField', attrs: { field: 'greeting', fallback: '' } },
          { type: 'text', text: ',' },
        ],
      },
      { type: 'paragraph' },
      {
        type: 'paragraph',
        content: [
          { type: 'mergeField', attrs: { field: 'adviser.name', fallback: '' } },
          { type: 'hardBreak' },
          { type: 'mergeField', attrs: { field: 'firm.name', fallback: '' } },
        ],
      },
    ],
  },
  fileChoice: 'general',
};

function records(db: Knex) {
  return db('mailing')
    .join('staff', 'staff.id', 'mailing.owner_id')
    .select<MailingRecord[]>('mailing.*', 'staff.name as owner');
}

export async function listMailings(db: Knex, offset: number, limit: number): Promise<MailingRow[]> {
  const rows = await records(db)
    .orderByRaw("FIELD(mailing.state, 'leaving', 'preparing', 'paused', 'draft', 'finished', 'cancelled')")
    .orderBy('saved_at', 'desc')
    .offset(offset)
    .limit(limit);
  const progress = await progressOf(
    db,
    rows.map((row) => row.id),
  );
  return rows.map((row) => asRow(row, progress.get(row.id)));
}

function asRow(row: MailingRecord, progress: MailingProgress | undefined): MailingRow {
  return {
    id: row.id,
    name: row.name,
    state: row.state,
    owner: row.owner,
    savedAt: row.saved_at.toISOString(),
    releasedAt: row.released_at?.toISOString() ?? null,
    progress: progress ?? emptyProgress(),
  };
}

function emptyProgress(): MailingProgress {
  return {
    total: 0,
    byState: Object.fromEntries(
      DispatchState.options.map((state) => [state, 0]),
    ) as MailingProgress['byState'],
    answered: 0,
    endsAt: null,
  };
}

async function progressOf(db: Knex, ids: readonly number[]): Promise<Map<number, MailingProgress>> {
  const rows: {
    mailing_id: number;
    state: DispatchState;
    count: number;
    answered: number;
    last_at: Date | null;
  }[] = ids.length
    ? await db('dispatch')
        .whereIn('mailing_id', ids)
        .groupBy('mailing_id', 'state')
        .select('mailing_id', 'state')
        .count('* as count')
        .count('answered_message_id as answered')
        .select(db.raw("MAX(CASE WHEN state IN ('waiting', 'delayed') THEN next_at END) AS last_at"))
    : [];
  return new Map(
    [...groupBy(rows, (row) => row.mailing_id)].map(([id, own]) => {
      const progress = emptyProgress();
      for (const row of own) {
        progress.byState[row.state] = Number(row.count);
        progress.total += Number(row.count);
        progress.answered += Number(row.answered);
        if (row.last_at && (!progress.endsAt || row.last_at.toISOString() > progress.endsAt))
          progress.endsAt = row.last_at.toISOString();
      }
      return [id, progress];
    }),
  );
}

async function readRecord(db: Knex, id: number): Promise<MailingRecord> {
  const row = await records(db).where('mailing.id', id).first();
  if (!row) throw notFound('That mailing');
  return row;
}

function draftOf(row: MailingRecord): MailingDraft {
  return MailingDraft.parse({
    name: row.name,
    selection: JSON.parse(row.selection),
    unticked: JSON.parse(row.unticked),
    subject: JSON.parse(row.subject),
    body: JSON.parse(row.body),
    fileChoice: row.file_choice,
  });
}

export async function viewMailing(db: Knex, id: number): Promise<MailingView> {
  const row = await readRecord(db, id);
  const progress = await progressOf(db, [id]);
  return {
    ...asRow(row, progress.get(id)),
    draft: draftOf(row),
    version: row.version,
    testedAt: row.tested_at?.toISOString() ?? null,
  };
}

function columns(draft: MailingDraft) {
  return {
    name: draft.name,
    selection: JSON.stringify(draft.selection),
    unticked: JSON.stringify(draft.unticked),
    subject: JSON.stringify(draft.subject),
    body: JSON.stringify(draft.body),
    file_choice: draft.fileChoice,
    saved_at: new Date(),
  };
}

/** Begins a mailing, empty or as a copy of another. */
export async function createMailing(db: Knex, staff: StaffMember, copyOf: number | null): Promise<number> {
  const original = copyOf === null ? null : draftOf(await readRecord(db, copyOf));
  const draft = original ? { ...original, name: `Copy of ${original.name}`.slice(0, 200) } : NOTHING_WRITTEN;
  const [id = 0] = await db('mailing').insert({ ...columns(draft), owner_id: staff.id });
  await noteAudit(db, staff.id, 'begun', 'mailing', id, null, { name: draft.name });
  await beat(db, 'mailings');
  return id;
}

/** Saves a draft. @throws when somebody else saved it since, or it has been released */
export async function saveMailing(
  db: Knex,
  id: number,
  draft: MailingDraft,
  version: number,
): Promise<number> {
  const saved = await db('mailing')
    .where({ id, version, state: 'draft' })
    .update({ ...columns(draft), version: version + 1 });
  if (!saved) {
    const row = await readRecord(db, id);
    throw new Refusal(
      409,
      row.state === 'draft'
        ? 'A colleague has changed this mailing meanwhile. Copy your words, then load it again.'
        : 'This mailing has been released and cannot be changed any more.',
    );
  }
  await beat(db, 'mailings');
  return version + 1;
}

export async function deleteMailing(db: Knex, staff: StaffMember, id: number): Promise<void> {
  const row = await readRecord(db, id);
  if (row.owner_id !== staff.id && !may(staff.role, 'drop mailings'))
    throw new Refusal(403, `Only ${row.owner} or an office manager can throw this mailing away.`);
  if (!(await db('mailing').where({ id, state: 'draft' }).delete()))
    throw new Refusal(409, 'Only a draft can be thrown away.');
  await noteAudit(db, staff.id, 'thrown away', 'mailing', id, { name: row.name }, null);
  await beat(db, 'mailings');
}

async function tickedRecipients(db: Knex, draft: MailingDraft): Promise<Recipient[]> {
  const { recipients } = await findRecipients(db, draft.selection, draft.fileChoice);
  const unticked = new Set(draft.unticked);
  return recipients.filter((row) => !unticked.has(row.clientId));
}

async function labels(db: Knex): Promise<Map<string, string>> {
  const own: { id: number; label: string }[] = await db('field').select('id', 'label');
  return new Map([
    ...BUILT_IN_FIELDS.map(({ key, label }) => [key, label] as const),
    ...own.map((field) => [`field:${field.id}`, field.label] as const),
  ]);
}

/** Goes through every recipient's message and says what is missing in it. */
export async function checkMailing(db: Knex, id: number): Promise<Checks> {
  const draft = draftOf(await readRecord(db, id));
  const [recipients, names] = await Promise.all([tickedRecipients(db, draft), labels(db)]);
  const missing: Checks['missing'] = [];
  const subjects = new Set<string>();
  let empty = false;
  for (const recipient of recipients) {
    const rendered = renderMessage(draft.subject, draft.body, recipient.facts);
    subjects.add(rendered.subject);
    empty ||= !rendered.text.trim();
    for (const field of new Set(rendered.missing.map((each) => each.field))) {
      missing.push({
        clientId: recipient.clientId,
        client: recipient.client,
        label: names.get(field) ?? field,
      });
    }
  }
  const problems = [
    ...(recipients.length ? [] : ['Nobody would receive this. Choose recipients first.']),
    ...(subjects.has('') ? ['The subject is empty.'] : []),
    ...(empty ? ['Nothing is written yet.'] : []),
  ];
  return {
    recipients: recipients.length,
    order: recipients.map((recipient) => recipient.clientId),
    missing,
    problems,
  };
}

function senderDomain(recipient: Recipient): string {
  return domainOf(recipient.senderEmail) || 'localhost';
}

function composeFor(
  draft: MailingDraft,
  recipient: Recipient,
  to: { name: string; address: string },
): Promise<Composed> {
  return composeMessage(draft.subject, draft.body, recipient.facts, {
    from: { name: recipient.senderName, address: recipient.senderEmail },
    to,
    messageId: `${randomUUID()}@${senderDomain(recipient)}`,
    date: new Date(),
  });
}

/** The message as one recipient will read it. */
export async function previewMailing(db: Knex, id: number, clientId: number): Promise<Preview> {
  const draft = draftOf(await readRecord(db, id));
  const recipient = (await tickedRecipients(db, draft)).find((row) => row.clientId === clientId);
  if (!recipient) throw notFound('That recipient');
  const composed = await composeFor(draft, recipient, { name: recipient.name, address: recipient.email });
  const names = await labels(db);
  return {
    clientId,
    client: recipient.client,
    from: `${recipient.senderName} <${recipient.senderEmail}>`,
    to: `${recipient.name} <${recipient.email}>`.trim(),
    subject: composed.subject,
    html: composed.html,
    text: composed.text,
    size: composed.raw.length,
    missing: composed.missing.map(({ field, place }) => ({ field, label: names.get(field) ?? field, place })),
  };
}

/** Sends one recipient's message to the person at the desk instead. */
export async function sendTest(
  office: Office,
  staff: StaffMember,
  id: number,
  clientId: number,
): Promise<void> {
  const { db } = office;
  const draft = draftOf(await readRecord(db, id));
  const recipient = (await tickedRecipients(db, draft)).find((row) => row.clientId === clientId);
  if (!recipient) throw notFound('That recipient');
  const mailbox: MailboxRow = await db('mailbox').where({ id: recipient.mailboxId }).first();
  const composed = await composeFor(draft, recipient, { name: staff.name, address: staff.email });
  try {
    await withConnection(accessOf(mailbox, office.config), (connection) =>
      connection.send({ from: recipient.senderEmail, to: [staff.email] }, composed.raw),
    );
  } catch (error) {
    throw new Refusal(502, `The test copy could not leave: ${(error as Error).message}`);
  }
  await db('mailing').where({ id }).update({ tested_at: new Date() });
  await beat(db, 'mailings');
}

/**
 * Releases a mailing: fixes who gets it, each Message-ID and each recipient's facts, and lets dispatch begin.
 * All or nothing; releasing twice is refused.
 */
export async function releaseMailing(
  office: Office,
  staff: StaffMember,
  id: number,
  version: number,
  expected: number,
): Promise<void> {
  const { db, config } = office;
  const checks = await checkMailing(db, id);
  if (checks.problems[0]) throw new Refusal(400, checks.problems[0]);
  const gap = checks.missing[0];
  if (gap)
    throw new Refusal(
      400,
      `“${gap.label}” is missing for ${gap.client}${checks.missing.length > 1 ? ` and ${checks.missing.length - 1} more` : ''}. Settle that first, or give the field other words to use.`,
    );
  await transact(db, async (trx) => {
    const row = await trx('mailing').where({ id }).forUpdate().first('state', 'version');
    if (row?.state !== 'draft') throw new Refusal(409, 'This mailing has been released already.');
    if (row.version !== version)
      throw new Refusal(409, 'This mailing was changed meanwhile. Look at it again before you release it.');
    const draft = draftOf(await readRecord(trx, id));
    const recipients = await tickedRecipients(trx, draft);
    if (recipients.length !== expected)
      throw new Refusal(
        409,
        `There are now ${recipients.length} recipients, not ${expected}. Look at the list again.`,
      );
    const start = Date.now();
    const sentBy = new Map<number, number>();
    const rows = recipients.map((recipient) => {
      const before = sentBy.get(recipient.mailboxId) ?? 0;
      sentBy.set(recipient.mailboxId, before + 1);
      return {
        kind: mailings.name,
        mailing_id: id,
        client_id: recipient.clientId,
        person_id: recipient.personId,
        mailbox_id: recipient.mailboxId,
        file_id: recipient.file.id,
        to_name: recipient.name,
        to_address: recipient.email,
        message_id: `${randomUUID()}@${senderDomain(recipient)}`,
        facts: JSON.stringify(recipient.facts),
        // The provider's limit holds whichever process sends: each message of a mailbox has its own time.
        next_at: new Date(start + before * config.sendGap),
      };
    });
    await insertAll(trx, 'dispatch', rows);
    await trx('mailing')
      .where({ id })
      .update({ state: 'leaving', released_at: new Date(), released_by: staff.id });
    await noteAudit(trx, staff.id, 'released', 'mailing', id, null, { recipients: rows.length });
  });
  await beat(db, 'mailings');
}

/** Pauses, resumes or cancels what has not left yet. */
export async function steerMailing(
  db: Knex,
  staff: StaffMember,
  id: number,
  to: 'paused' | 'leaving' | 'cancelled',
): Promise<void> {
  const from = { paused: ['leaving'], leaving: ['paused'], cancelled: ['leaving', 'paused'] }[to];
  await transact(db, async (trx) => {
    const changed = await trx('mailing').where({ id }).whereIn('state', from).update({ state: to });
    if (!changed) throw new Refusal(409, 'The mailing is not in a state for that any more.');
    if (to === 'cancelled')
      await trx('dispatch')
        .where({ mailing_id: id })
        .whereIn('state', ['waiting', 'delayed'])
        .update({ state: 'cancelled' });
    await noteAudit(trx, staff.id, to, 'mailing', id, null, null);
  });
  await beat(db, 'mailings');
}

/** One page of a mailing's recipients and how each fared; those that need a person come first. */
export async function listDispatch(
  db: Knex,
  id: number,
  offset: number,
  limit: number,
): Promise<DispatchPage> {
  const total = await db('dispatch').where({ mailing_id: id }).count('* as count').first();
  const rows = await db('dispatch')
    .join('client', 'client.id', 'dispatch.client_id')
    .join('mailbox', 'mailbox.id', 'dispatch.mailbox_id')
    .join('staff', 'staff.id', 'mailbox.staff_id')
    .where({ mailing_id: id })
    .orderByRaw(
      "FIELD(dispatch.state, 'uncertain', 'returned', 'delayed', 'leaving', 'waiting', 'left', 'cancelled'), dispatch.answered_message_id IS NULL, client.name, dispatch.id",
    )
    .offset(offset)
    .limit(limit)
    .select('dispatch.*', 'client.name as client', 'staff.name as sender');
  return {
    total: Number(total?.count ?? 0),
    rows: rows.map((row) => ({
      id: row.id,
      clientId: row.client_id,
      client: row.client,
      address: row.to_address,
      from: row.sender,
      state: row.state,
      at: (row.left_at ?? (row.state === 'cancelled' ? null : row.next_at))?.toISOString() ?? null,
      answer: row.answer,
      answered: row.answered_message_id !== null,
      messageId: row.logged_message_id,
    })),
  };
}

/** A person settles an uncertain message: it did leave, or it is to be sent again. */
export async function settleUncertain(
  db: Knex,
  staff: StaffMember,
  dispatchId: number,
  outcome: 'left' | 'send again',
): Promise<void> {
  const now = new Date();
  const change =
    outcome === 'left'
      ? { state: 'left', left_at: now, answer: `settled by ${staff.name}` }
      : { state: 'waiting', next_at: now, handed_at: null, lease_owner: null, lease_until: null };
  const row = await db('dispatch').where({ id: dispatchId }).first('mailing_id');
  if (!row || !(await db('dispatch').where({ id: dispatchId, state: 'uncertain' }).update(change)))
    throw new Refusal(409, 'That message has been settled already.');
  if (outcome === 'send again' && row.mailing_id)
    await db('mailing')
      .where({ id: row.mailing_id, state: 'finished' })
      .update({ state: 'leaving', finished_at: null });
  await noteAudit(db, staff.id, `settled as ${outcome}`, 'dispatch', dispatchId, null, null);
  await beat(db, 'mailings');
}
