import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { StaffMember } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { subjectFor } from '../../core/merge/letter.ts';
import { dayWords } from '../../core/office/day.ts';
import { shifted } from '../../core/orders/days.ts';
import { occasionOf, type Act, type Who } from '../../core/orders/order.ts';
import type { AppContext } from '../foundation/context.ts';
import type { Transaction } from '../foundation/database.ts';
import { fromJson } from '../foundation/json.ts';
import { holdTurn } from '../foundation/locks.ts';
import { Refusal } from '../foundation/refusal.ts';
import { select, selectFirst } from '../foundation/rows.ts';
import { readRaw } from '../foundation/sources.ts';
import type { Rows } from '../foundation/tables.ts';
import { joinMailing } from '../mailing/join.ts';
import { orderLetter } from '../paperwork/ordered.ts';
import { orderText } from '../textmessage/write.ts';
import { changeOne } from '../records/many/changes.ts';
import { insertTask } from '../tasks/tasks.ts';
import { addWithin } from '../timeline/entries.ts';
import { begunBy, insertDraft } from '../writing/begin.ts';
import { enclosuresWith, wordingsFor } from '../writing/cupboard.ts';
import { filledTemplate } from '../writing/facts.ts';
import { storeEnclosure } from '../writing/enclosures.ts';
import { keptEnclosures } from '../writing/keptEnclosures.ts';
import { noteDraft } from '../writing/drafts.ts';
import { keeperOf, type Order } from './keep.ts';
import type { Scene } from './scene.ts';

export type Course = Rows['order_course'];

/** What an act is done with. */
export interface Doing {
  context: AppContext;
  /** What is shared with other steps of one transaction. */
  scene: Scene;
  trx: Transaction;
  order: Order;
  course: Course;
  step: number;
  /** In the office's zone. */
  now: DateTime;
}

/** What came of an act. */
export type Done = Pick<Rows['order_act'], 'words'> &
  Partial<Pick<Rows['order_act'], 'draft_id' | 'run_id' | 'task_id' | 'wording_id' | 'email_key' | 'sends'>>;

/**
 * Does one step for one of those an order is about: all it writes, in the transaction.
 * @throws Refusal where it cannot be done for them, and why
 */
export function perform(doing: Doing, act: Act): Promise<Done> {
  switch (act.do) {
    case 'message':
      return prepareMessage(doing, act);
    case 'letter':
      return prepareLetter(doing, act);
    case 'mailing':
      return sendMailing(doing, act);
    case 'text':
      return writeText(doing, act.words);
    case 'note':
      return writeNote(doing, act.words, null);
    case 'tell':
      return tellColleague(doing, act);
    case 'task':
      return leaveTask(doing, act);
    case 'change':
      return changeField(doing, act);
  }
}

function clientOf({ course }: Doing): number {
  if (course.client_id === null) throw new Refusal(409, 'The client is not in the records any more.');
  return course.client_id;
}

/** Whoever is meant; where a client has no adviser, or they have left, whoever keeps the order. */
async function whoIs(
  { scene, trx, order, course }: Doing,
  who: Who,
): Promise<Pick<StaffMember, 'id' | 'name'>> {
  const wanted = who === 'owner' ? order.owner_id : who === 'adviser' ? await adviserOf(trx, course) : who;
  return (await scene.colleague(wanted ?? order.owner_id)) ?? keeperOf(trx, order);
}

async function adviserOf(trx: Knex, { client_id, file_id }: Course): Promise<number | null> {
  const file = file_id === null ? null : await trx('file').where({ id: file_id }).first('adviser_id');
  const client = await trx('client').where('id', client_id).first('adviser_id');
  return file?.adviser_id ?? client?.adviser_id ?? null;
}

/** The file it lies on: the one it is about, else the client's General file. */
async function fileOf({ trx, course }: Doing): Promise<number> {
  if (course.file_id !== null) return course.file_id;
  const general = await trx('file')
    .where({ client_id: course.client_id ?? 0, general: 1 })
    .orderBy('id')
    .first('id');
  if (!general) throw new Refusal(409, 'The client has no file of General correspondence.');
  return general.id;
}

/** The template that is meant. @throws Refusal when there is none */
async function templateOf({ trx, order }: Doing, wordingId: number | null): Promise<Rows['wording']> {
  const occasion = occasionOf(order.told.when);
  const row = (await wordingsFor(trx, order.owner_id)
    .where({ kind: 'template', own: 0 })
    .where(wordingId === null ? { occasion: occasion ?? '' } : { id: wordingId })
    .first()) as Rows['wording'] | undefined;
  if (!row) throw new Refusal(409, 'Its template is not in the cupboard any more.');
  return row;
}

interface Addressed {
  personId: number;
  name: string;
  email: string;
}

/** Whom a client is written to as: the person it is about, else who is written to first. @throws Refusal where nobody can be */
async function addresseeOf(doing: Doing): Promise<Addressed> {
  const { trx, course } = doing;
  const clientId = clientOf(doing);
  const wish = await trx('delivery')
    .where({ client_id: clientId, kind: 'letters' })
    .first('way', 'person_id');
  if (wish?.way === 'none') throw new Refusal(409, 'This client wants no letters.');
  if (wish?.way === 'post')
    throw new Refusal(409, 'This client wants letters by post: let the order prepare a letter.');
  const rows = await select(
    trx('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .join('address', 'address.person_id', 'person.id')
      .where('client_person.client_id', clientId)
      .where('address.current', 1)
      .orderByRaw(
        'person.id <=> ? DESC, person.id <=> ? DESC, client_person.writes DESC, client_person.position, address.position',
        [course.person_id, wish?.person_id ?? null],
      ),
    {
      ...{ personId: 'person.id', first: 'person.first_name', last: 'person.last_name' },
      ...{ email: 'address.email', returned: 'address.returned_at' },
    },
  );
  const [first] = rows;
  if (!first) throw new Refusal(409, 'Nobody of this client has an email address.');
  const found = rows.find((row) => row.personId === first.personId && row.returned === null);
  if (!found) throw new Refusal(409, `Mail to ${first.email} came back.`);
  return { personId: found.personId, name: `${found.first} ${found.last}`.trim(), email: found.email };
}

/** Nobody is told the same twice: not by any order, nor by two processes at once. */
async function refuseSaid({ trx, order, now }: Doing, wordingId: number, key: string): Promise<void> {
  await holdTurn(trx, 'orders');
  if (!order.again_after) return;
  const last = await selectFirst(
    trx('order_act')
      .leftJoin('draft', 'draft.id', 'order_act.draft_id')
      .where('order_act.email_key', key)
      .where('order_act.wording_id', wordingId)
      .where('order_act.at', '>', now.minus({ days: order.again_after }).toJSDate())
      // What was thrown away was not said.
      .whereRaw("NOT draft.state <=> 'thrown'")
      .orderBy('order_act.at', 'desc'),
    { at: 'order_act.at' },
  );
  if (last)
    throw new Refusal(409, `They were written the same on ${dayWords(last.at.toISOString().slice(0, 10))}.`);
}

/** Messages that are answered, rather than written about. */
const ANSWERED: readonly string[] = ['message comes', 'answer owed'];

async function prepareMessage(doing: Doing, act: Extract<Act, { do: 'message' }>): Promise<Done> {
  const { context, trx, order, course } = doing;
  const [template, to, fileId, writer] = await Promise.all([
    templateOf(doing, act.wordingId),
    addresseeOf(doing),
    fileOf(doing),
    whoIs(doing, act.by),
  ]);
  const key = addressKey(to.email);
  await refuseSaid(doing, template.id, key);
  const messageId = ANSWERED.includes(order.told.when.on) ? course.message_id : null;
  const begun = await begunBy(context, writer.id, {
    ...{ how: messageId === null ? 'new' : 'reply', messageId, fileId },
    ...{ personId: messageId === null ? to.personId : null, clientId: null, documentId: null },
  });
  const filled = await filledTemplate(trx, template, fileId);
  const draftId = await insertDraft(
    trx,
    writer.id,
    { messageId, documentId: null },
    {
      ...begun,
      people:
        messageId === null ? { to: [{ name: to.name, email: to.email }], cc: [], bcc: [] } : begun.people,
      subject: messageId === null ? filled.subject : subjectFor('reply', begun.subject),
      body: filled.body,
      fileIds: [fileId],
    },
    course.id,
  );
  const going = await enclosuresWith(trx, order.owner_id, [template.id]);
  const kept = await keptEnclosures(
    trx,
    await keeperOf(trx, order),
    going.map(({ id }) => id),
  );
  for (const { filename, mimeType, hash } of kept)
    await storeEnclosure(trx, draftId, filename, mimeType, await readRaw(trx, hash));
  const gaps = filled.missing.length ? `Not known: ${filled.missing.join(', ')}.` : '';
  if (gaps)
    await trx('draft')
      .where({ id: draftId })
      .update({ waits: gaps.slice(0, 300) });
  await noteDraft(trx, draftId);
  return {
    words: `“${template.name}” to ${to.name || to.email}, for ${writer.name}`,
    ...{ draft_id: draftId, wording_id: template.id, email_key: key },
    sends: Number(order.sends_by !== null && !gaps),
  };
}

async function prepareLetter(doing: Doing, act: Extract<Act, { do: 'letter' }>): Promise<Done> {
  const { trx, order, course, step } = doing;
  const template = await templateOf(doing, act.wordingId);
  const clientId = clientOf(doing);
  // Of a letter on paper the client is the addressee.
  const key = `client ${clientId}`;
  await refuseSaid(doing, template.id, key);
  const subject = fromJson('paper_run.subject', template.subject);
  const runId = await orderLetter(trx, await keeperOf(trx, order), {
    ...{ orderId: order.id, step, clientId, fileId: course.file_id },
    words: {
      name: `${order.name}: ${template.name}`.slice(0, 200),
      subject,
      body: fromJson('paper_run.body', template.body),
      mailSubject: fromJson('paper_run.mail_subject', template.subject),
    },
    releasedFor: order.sends_by,
  });
  return {
    words: `The letter “${template.name}” lies in Paperwork`,
    run_id: runId,
    wording_id: template.id,
    email_key: key,
  };
}

async function sendMailing(doing: Doing, { mailingId }: Extract<Act, { do: 'mailing' }>): Promise<Done> {
  const { context, trx, order } = doing;
  if (order.sends_by === null) throw new Refusal(409, 'No office manager lets this order send any more.');
  const to = await joinMailing(context, trx, mailingId, clientOf(doing));
  const mailing = await trx('mailing').where({ id: mailingId }).first('name');
  return { words: `“${mailing?.name ?? ''}” goes to ${to.join(', ')}` };
}

async function writeText(doing: Doing, words: string): Promise<Done> {
  const { trx, order, course, now } = doing;
  const [clientId, fileId] = [clientOf(doing), await fileOf(doing)];
  const goes = order.sends_by !== null;
  const to = await orderText(trx, {
    ...{ clientId, fileId, personId: course.person_id, text: words, courseId: course.id, goes },
  });
  const told = `Text message to ${to.name}: “${words}”`;
  await holdTurn(trx, 'orders');
  const same = await trx('order_act')
    .where({ email_key: to.key, words: told.slice(0, 300), skipped: 0 })
    .where('at', '>', now.minus({ days: order.again_after }).toJSDate())
    .first('at');
  if (same && order.again_after)
    throw new Refusal(409, `They were written the same on ${dayWords(same.at.toISOString().slice(0, 10))}.`);
  return { words: told, email_key: to.key };
}

/** @param remind somebody to be reminded of it at once */
async function writeNote(doing: Doing, words: string, remind: 'keeper' | null): Promise<Done> {
  const { trx, order, now } = doing;
  const at = now.toUTC().toISO() ?? '';
  await addWithin(
    trx,
    order.owner_id,
    {
      ...{ kind: 'note', fileId: await fileOf(doing), at, endsAt: null, state: 'done', place: '' },
      words: `${words}\n(By the standing order “${order.name}”.)`,
      ...{ outcome: '', personIds: [], staffIds: [], remindAt: remind ? at : null },
    },
    null,
  );
  return { words: `Written down: “${words}”` };
}

async function tellColleague(doing: Doing, { who, words }: Extract<Act, { do: 'tell' }>): Promise<Done> {
  const to = await whoIs(doing, who);
  // Whoever writes is not called by their own words: they are reminded.
  const own = to.id === doing.order.owner_id;
  await writeNote(doing, own ? words : `@${to.name} ${words}`, own ? 'keeper' : null);
  return { words: `${to.name} was told: “${words}”` };
}

async function leaveTask(doing: Doing, act: Extract<Act, { do: 'task' }>): Promise<Done> {
  const { scene, trx, course, now } = doing;
  const to = await whoIs(doing, act.for);
  const today = now.toISODate() ?? '';
  const id = await insertTask(
    trx,
    { courseId: course.id },
    {
      ...{ words: act.words, forId: to.id, dueOn: shifted(today, act.days) },
      ...{ clientId: course.client_id, fileId: course.file_id, messageId: course.message_id },
    },
  );
  scene.noteTask(to.id, course.client_id);
  return { words: `${to.name} has the task “${act.words}”`, task_id: id };
}

async function changeField(doing: Doing, { of, change }: Extract<Act, { do: 'change' }>): Promise<Done> {
  const { trx, order, course } = doing;
  const id = of === 'client' ? clientOf(doing) : course.file_id;
  if (id === null) throw new Refusal(409, 'Which file is meant is not known.');
  const fresh = await changeOne(trx, { staffId: order.owner_id, courseId: course.id }, of, id, change);
  return { words: fresh ? 'The field was set' : 'It stood there already' };
}
