import { transact } from '../foundation/database.ts';
import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type { Checks, MailingDraft, Preview, StaffMember, TestAsk } from '../../contract/index.ts';
import { messageRemarks } from '../../core/checks/message.ts';
import { renderMessage } from '../../core/merge/render.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteChange } from '../foundation/changes.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { fromJson } from '../foundation/json.ts';
import { select } from '../foundation/rows.ts';
import { accessOf, readMailbox } from '../mailserver/access.ts';
import { withConnection } from '../mailserver/smtp.ts';
import { factCatalogue } from '../facts/gather.ts';
import { readFirm } from '../foundation/firm.ts';
import { wordsOf } from '../documents/words.ts';
import { hashOf } from '../foundation/sources.ts';
import { withPictures } from '../writing/pictures.ts';
import { listEnclosures } from './enclosures.ts';
import { carriedBy, composeMessage, type Composed, type Envelope } from './compose.ts';
import { countingOf } from './counting.ts';
import { NOBODY, optOutWay } from './optOut.ts';
import { checkOwn, ownFor } from './ownEnclosures.ts';
import { ownCopiesOf, wordsFor } from './ownCopies.ts';
import { findRecipient, senderDomain, tickedRecipients, type Recipient } from './recipients.ts';
import { seriesOf } from './series.ts';
import { checkShort, isText, shortCopy, shortOf, testText } from './texts.ts';
import { readGateway } from '../textmessage/settings.ts';
import { framePage, plainAsHtml } from '../security/html.ts';
import { draftOf, readRecord, type MailingRecord } from './mailings.ts';

async function labels(db: Knex): Promise<Map<string, string>> {
  return new Map((await factCatalogue(db)).map(({ key, label }) => [key, label]));
}

/** Goes through every recipient's message and says what is missing in it. */
export async function checkMailing(db: Knex, id: number): Promise<Checks> {
  const record = await readRecord(db, id);
  const draft = draftOf(record);
  const [recipients, names, copies] = await Promise.all([
    tickedRecipients(db, draft, record.owner_id),
    labels(db),
    ownCopiesOf(db, id),
  ]);
  const short = isText(draft);
  const gateway = short ? await readGateway(db) : undefined;
  const texts: ReturnType<typeof shortCopy>[] = [];
  const missing: Checks['missing'] = [];
  const subjects = new Set<string>();
  let empty = false;
  for (const recipient of recipients) {
    const { subject, body, plain } = wordsFor(draft, copies.get(recipient.key));
    const rendered = short
      ? { ...shortCopy(body, recipient.known, gateway), subject: '-' }
      : renderMessage(subject, body, recipient.known, { plain });
    if ('length' in rendered) texts.push(rendered);
    subjects.add(rendered.subject);
    empty ||= !rendered.text.trim();
    for (const field of new Set(rendered.missing.map((each) => each.field))) {
      missing.push({
        key: recipient.key,
        clientId: recipient.clientId,
        personId: recipient.personId,
        picks: recipient.picks,
        client: recipient.client,
        field,
        label: names.get(field) ?? field,
      });
    }
  }
  const ownDocuments = short
    ? { missing: [], problems: [], remarks: [] }
    : await checkOwn(db, id, recipients);
  for (const { recipient, kind } of ownDocuments.missing)
    missing.push({
      key: recipient.key,
      clientId: recipient.clientId,
      personId: recipient.personId,
      picks: recipient.picks,
      client: recipient.client,
      field: `document:${kind.kindId}`,
      label: kind.name,
    });
  const problems = [
    ...ownDocuments.problems,
    ...(recipients.length ? [] : ['Nobody would receive this. Choose recipients first.']),
    ...(subjects.has('') ? ['The subject is empty.'] : []),
    ...(empty ? ['Nothing is written yet.'] : []),
  ];
  const told = short ? await checkShort(db, texts) : null;
  problems.push(...(told?.problems ?? []));
  if (short && (await seriesOf(db, record)).length)
    problems.push('A series goes by email. Write a mailing of text messages of its own.');
  if (draft.colleagues && (await seriesOf(db, record)).length)
    problems.push('A series goes to clients. Write to colleagues with a mailing of its own.');
  if (record.head_id === null) problems.push(...(await problemsOfSeries(db, record)));
  const [first] = recipients;
  const remarks = told?.remarks ?? (first ? await remarksOn(db, id, draft, first, recipients) : []);
  remarks.push(...ownDocuments.remarks);
  return {
    recipients: recipients.length,
    order: recipients.map(({ key }) => key),
    missing,
    own: recipients.flatMap(({ key, client }) => (copies.has(key) ? [{ key, client }] : [])),
    problems,
    remarks,
  };
}

/** What stands in the way of the messages that follow the first of a series: it cannot go without them. */
async function problemsOfSeries(db: Knex, head: MailingRecord): Promise<string[]> {
  const [, ...following] = await seriesOf(db, head);
  const found: string[] = [];
  for (const { id, name } of following) {
    const { problems, missing } = await checkMailing(db, id);
    found.push(...problems.map((words) => `“${name}”: ${words}`));
    const copies = new Set(missing.map(({ key }) => key)).size;
    if (copies)
      found.push(`“${name}”: something is missing in ${copies === 1 ? 'one copy' : `${copies} copies`}.`);
  }
  return found;
}

/** Whoever had a mailing within so many days is told of. */
const LATELY_DAYS = 7;
/** A subject is compared with those of so many mailings. */
const EARLIER = 20;
/** So many bytes of a message's source are shown. */
const MOST_SOURCE = 60_000;
/** Clients are asked about so many at a time. */
const CHUNK = 1000;

/** What is odd in a mailing as its first recipient reads it, and whom it comes to again within days. */
async function remarksOn(
  db: Knex,
  id: number,
  draft: MailingDraft,
  first: Recipient,
  recipients: readonly Recipient[],
): Promise<string[]> {
  const { attachments = [], frame } = await carriedBy(db, id, draft);
  const { subject, text, html } = renderMessage(draft.subject, draft.body, first.known, {
    plain: draft.plain,
    frame,
  });
  const earlier = await db('mailing')
    .whereNot({ id })
    .whereNotNull('released_at')
    .orderBy('released_at', 'desc')
    .limit(EARLIER)
    .pluck('subject');
  const earlierSubjects = earlier.map(
    (kept: string) => renderMessage(fromJson('mailing.subject', kept), draft.body, first.known).subject,
  );
  const carried = attachments.reduce((sum, { content }) => sum + content.length, 0);
  const toClients = draft.colleagues === null;
  const found = messageRemarks({
    subject,
    text,
    body: draft.body,
    earlierSubjects,
    enclosures: attachments.filter(({ cid }) => !cid).length,
    // Bytes travel as letters: three as four (RFC 2045, 6.8).
    bytes: html.length + text.length + Math.ceil((carried * 4) / 3),
    copies: recipients.length,
    topic: toClients && draft.topicId !== null,
    optOut: toClients && draft.optOut,
  });
  const newer = (await listEnclosures(db, id)).filter((each) => each.newer);
  found.push(...newer.map(({ filename }) => `A newer “${filename}” lies in the cupboard.`));
  const enclosed = await Promise.all(
    attachments
      .filter(({ cid }) => !cid)
      .map(async ({ filename, contentType, content }) => {
        const named = { hash: hashOf(content), filename, mimeType: contentType };
        const text = await wordsOf(db, named, async () => content);
        return `${filename} ${text.slice(0, MOST_TEXT)}`;
      }),
  );
  found.push(...(await strangersFiles(db, draft, enclosed, recipients)));
  const ids = recipients.map(({ clientId }) => clientId);
  let lately = 0;
  for (let at = 0; at < ids.length; at += CHUNK) {
    const [row] = await select(
      db('dispatch')
        .whereIn('client_id', ids.slice(at, at + CHUNK))
        .whereNotNull('mailing_id')
        .whereNot('mailing_id', id)
        .where('sent_at', '>', new Date(Date.now() - LATELY_DAYS * 24 * 3600_000)),
      { clients: db.raw<number>('COUNT(DISTINCT client_id)') },
    );
    lately += Number(row?.clients ?? 0);
  }
  if (lately)
    found.push(
      `${lately === 1 ? 'One of them has' : `${lately} of them have`} had another mailing within the last ${LATELY_DAYS} days.`,
    );
  if (toClients && draft.optOut && !(await readFirm(db)).webAddress)
    found.push(
      'Who opts out has to write to you: the office’s address on the web stands in no setting yet, so there is no page for it.',
    );
  return found;
}

/** So much of an enclosure's text is looked through. */
const MOST_TEXT = 20_000;
/** Words that could be a file's number: so many at most are looked up. */
const NUMBER_LIKE = /[\p{L}\p{N}][\p{L}\p{N}./-]{2,30}/gu;
const MOST_WORDS = 500;

/**
 * Files of one client that the words for all, or an enclosure by its name or text, speak of: a commoner slip than a wrong
 * address, since a mailing is often begun from what was written to one.
 */
async function strangersFiles(
  db: Knex,
  draft: MailingDraft,
  enclosures: readonly string[],
  recipients: readonly Recipient[],
): Promise<string[]> {
  const same = renderMessage(draft.subject, draft.body, { words: {} });
  const words = [same.subject, same.text, ...enclosures].join(' ').match(NUMBER_LIKE) ?? [];
  // Behind a number may stand a full stop, or the kind of a file.
  const like = [
    ...new Set(
      words.flatMap((word) => (/\d/.test(word) ? [word, word.slice(0, word.lastIndexOf('.'))] : [])),
    ),
  ];
  if (!like.length) return [];
  const files = await select(
    db('file')
      .join('client', 'client.id', 'file.client_id')
      .whereIn('file.number', like.slice(0, MOST_WORDS)),
    { number: 'file.number', clientId: 'client.id', client: 'client.name' },
  );
  return files.flatMap(({ number, clientId, client }) => {
    const others = recipients.filter((recipient) => recipient.clientId !== clientId).length;
    return others
      ? [
          `${number} is a file of ${client}, and ${others === 1 ? 'one other client reads' : `${others.toLocaleString('en-GB')} others read`} of it too.`,
        ]
      : [];
  });
}

/** What stands in a message before its words are decoded, as far as it is text: enclosures are cut short. */
function sourceOf(raw: Buffer): string {
  return raw.subarray(0, MOST_SOURCE).toString('latin1') + (raw.length > MOST_SOURCE ? '\r\n[…]\r\n' : '');
}

async function composeFor(
  { db, config }: AppContext,
  id: number,
  draft: MailingDraft,
  recipient: Recipient,
  to: { name: string; address: string },
): Promise<Composed & Pick<Envelope, 'attachments'> & { own: boolean }> {
  const topic = draft.topicId ? await db('topic').where({ id: draft.topicId }).first('name') : undefined;
  const firm = await readFirm(db);
  const optOut =
    draft.optOut && recipient.staffId === null
      ? optOutWay(config.key, firm, topic?.name ?? null, recipient.senderEmail, NOBODY)
      : null;
  const own = (await ownCopiesOf(db, id)).get(recipient.key);
  const words = wordsFor(draft, own);
  const forAll = await carriedBy(db, id, { ...draft, body: words.body });
  const laidOut = draft.laidOut && recipient.staffId === null;
  const ownDocuments = recipient.staffId === null && !laidOut ? await ownFor(db, id, recipient.clientId) : [];
  const carried = { ...forAll, attachments: [...(forAll.attachments ?? []), ...ownDocuments] };
  const composed = await composeMessage(words.subject, words.body, recipient.known, {
    from: { name: recipient.senderName, address: recipient.senderEmail },
    to,
    messageId: `${randomUUID()}@${senderDomain(recipient)}`,
    date: new Date(),
    optOut,
    ...carried,
    plain: words.plain,
    laidOut,
    links: draft.body,
    counting: draft.counted ? countingOf(config.key, firm, { mailingId: id }) : null,
  });
  return { ...composed, attachments: carried.attachments, own: own !== undefined };
}

/**
 * The message as one recipient will read it.
 * @throws Refusal when the mailing is not here, or does not reach that client
 */
export async function previewMailing(context: AppContext, id: number, key: string): Promise<Preview> {
  const { db } = context;
  const record = await readRecord(db, id);
  const draft = draftOf(record);
  const recipient = await findRecipient(db, draft, record.owner_id, key);
  if (isText(draft)) return previewText(db, id, draft, recipient);
  const composed = await composeFor(context, id, draft, recipient, {
    name: recipient.name,
    address: recipient.email,
  });
  const names = await labels(db);
  return {
    key,
    clientId: recipient.clientId,
    client: recipient.client,
    from: `${recipient.senderName} <${recipient.senderEmail}>`,
    to: `${recipient.name} <${recipient.email}>`.trim(),
    subject: composed.subject,
    html: withPictures(composed.html, composed.attachments ?? []),
    text: composed.text,
    size: composed.raw.length,
    own: composed.own,
    source: sourceOf(composed.raw),
    missing: composed.missing.map(({ field, place }) => ({ field, label: names.get(field) ?? field, place })),
    short: null,
  };
}

async function previewText(
  db: Knex,
  id: number,
  draft: MailingDraft,
  recipient: Recipient,
): Promise<Preview> {
  const [own, names, gateway] = await Promise.all([
    ownCopiesOf(db, id).then((copies) => copies.get(recipient.key)),
    labels(db),
    readGateway(db),
  ]);
  const { text, missing } = shortCopy(wordsFor(draft, own).body, recipient.known, gateway);
  return {
    ...{ key: recipient.key, clientId: recipient.clientId, client: recipient.client, subject: '' },
    from: gateway?.sender ?? '',
    to: `${recipient.name}, ${recipient.email}`,
    ...{ text, source: text, html: framePage(plainAsHtml(text)), size: Buffer.byteLength(text) },
    own: own !== undefined,
    missing: missing.map(({ field, place }) => ({ field, label: names.get(field) ?? field, place })),
    short: shortOf(gateway, text),
  };
}

/**
 * Sends one recipient's message to the person at the desk, or to a colleague, instead.
 * @throws Refusal when the mailing does not reach that client, or the copy cannot leave
 */
export async function sendTest(
  context: AppContext,
  staff: StaffMember,
  id: number,
  { key, staffId }: z.output<typeof TestAsk>,
): Promise<void> {
  const { db } = context;
  const record = await readRecord(db, id);
  const draft = draftOf(record);
  const recipient = await findRecipient(db, draft, record.owner_id, key);
  const reader = await db('staff')
    .where({ id: staffId ?? staff.id, active: 1 })
    .first('id', 'name', 'email', 'phone');
  if (!reader) throw notFound('That colleague');
  if (isText(draft)) {
    const { body } = wordsFor(draft, (await ownCopiesOf(db, id)).get(recipient.key));
    const { text } = shortCopy(body, recipient.known, undefined);
    return transact(db, async (trx) => {
      await testText(db, trx, reader, text);
      await trx('mailing').where({ id }).update({ tested_at: new Date() });
      await noteChange(trx, 'mailings', 'mailing', [id]);
    });
  }
  const mailbox = await readMailbox(db, recipient.mailboxId);
  const to = { name: reader.name, address: reader.email };
  const composed = await composeFor(context, id, draft, recipient, to);
  try {
    await withConnection(accessOf(mailbox, context.config), (connection) =>
      connection.send({ from: recipient.senderEmail, to: [reader.email] }, composed.raw),
    );
  } catch (error) {
    throw new Refusal(502, `The test copy could not leave: ${(error as Error).message}`);
  }
  await transact(db, async (trx) => {
    await trx('mailing').where({ id }).update({ tested_at: new Date() });
    await noteChange(trx, 'mailings', 'mailing', [id]);
  });
}
