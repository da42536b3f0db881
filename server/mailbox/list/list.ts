import { DateTime } from 'luxon';
import type { Knex } from 'knex';
import type { MailPage, MailQuery, MailRow } from '../../../contract/index.ts';
import { searchExpression } from '../../foundation/fullText.ts';
import { readFirm } from '../../foundation/firm.ts';
import { messageRows } from '../../correspondence/rows.ts';
import type { AppContext } from '../../foundation/context.ts';
import { filesByIds } from '../../records/files.ts';
import { boxIds } from '../../correspondence/boxes.ts';
import { Refusal } from '../../foundation/refusal.ts';
import { groupBy, idsOf, select } from '../../foundation/rows.ts';
import type { Rows } from '../../foundation/tables.ts';
import { filingRegister } from '../../records/filingRegister.ts';
import { OUT_OF_SIGHT } from './shown.ts';
import { fromJson } from '../../foundation/json.ts';

/**
 * One page of the mail a person may see, newest first. Pages follow one another by the last row shown, so
 * that the hundred-thousandth row costs no more than the first.
 */
export async function listMail(context: AppContext, staffId: number, query: MailQuery): Promise<MailPage> {
  const { db } = context;
  const boxes = await boxIds(db, staffId, query.boxes);
  if (!boxes.length) return { rows: [], next: null };
  const ids = await pageIds(context, staffId, boxes, query);
  const shown = ids.slice(0, query.limit);
  const rows = await mailRows(db, shown, boxes);
  const last = rows.at(-1);
  const next = ids.length > query.limit && last ? `${Date.parse(last.at)} ${last.id}` : null;
  return { rows, next };
}

/** Numbers of the messages of one page, and one more if there is another page. */
async function pageIds(
  context: AppContext,
  staffId: number,
  boxes: readonly number[],
  query: MailQuery,
): Promise<number[]> {
  const { db } = context;
  const one = query.folder ? await folderWithin(db, query.folder, boxes) : null;
  const found: Knex.QueryBuilder = one
    ? db('message_copy as place')
        .join('message', 'message.id', 'place.message_id')
        .where('place.shown_in', one)
        .groupBy('place.at', 'message.id')
        .orderByRaw('place.at DESC, message.id DESC')
    : db('message').orderByRaw('message.at DESC, message.id DESC');
  const at = one ? 'place.at' : 'message.at';
  if (query.after) {
    const [time = 0, id = 0] = query.after.split(' ').map(Number);
    const when = new Date(time);
    found.where(at, '<=', when).where((before) => before.where(at, '<', when).orWhere('message.id', '<', id));
  }
  if (!one) some(found, copyIn(db, boxes, query));
  notPrivate(db, found, staffId);
  narrow(found, query, one !== null);
  await dates(context, found, at, query);
  if (query.q && !(await search(context, found, query.q))) return [];
  if (query.file)
    some(
      found,
      db('filing')
        .whereRaw('filing.message_id = message.id')
        .where({ file_id: query.file })
        .select(db.raw('1')),
    );
  return idsOf(found.limit(query.limit + 1), 'message.id');
}

/**
 * Asks for rows for which a subquery finds something, looked up row by row: EXISTS would be turned around
 * by the optimiser, which then gathers every copy there is before the first row is shown.
 */
function some(found: Knex.QueryBuilder, subquery: Knex.QueryBuilder): Knex.QueryBuilder {
  return found.whereRaw('(?) IS NOT NULL', [subquery.limit(1)]);
}

async function folderWithin(db: Knex, id: number, boxes: readonly number[]): Promise<number> {
  const row = await db('folder').where({ id }).whereIn('mailbox_id', boxes).first('id');
  if (!row) throw new Refusal(404, 'That folder is not there, or its mailbox is switched off.', 'folder');
  return row.id;
}

function copyIn(db: Knex, boxes: readonly number[], query: MailQuery): Knex.QueryBuilder {
  const copy = db('message_copy')
    .join('folder', 'folder.id', 'message_copy.shown_in')
    .whereRaw('message_copy.message_id = message.id')
    .whereIn('folder.mailbox_id', boxes)
    .select(db.raw('1'));
  if (query.thrown) copy.where('folder.role', 'trash');
  else copy.whereNotIn('folder.role', OUT_OF_SIGHT);
  if (query.view === 'unread') copy.where('message_copy.seen', 0);
  if (query.view === 'starred') copy.where('message_copy.flagged', 1);
  return copy;
}

/** A private message is shown to nobody but those in whose own mailbox it lies. */
function notPrivate(db: Knex, found: Knex.QueryBuilder, staffId: number): void {
  const own = db('message_copy as own')
    .join('folder', 'folder.id', 'own.folder_id')
    .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
    .whereRaw('own.message_id = message.id')
    .where('mailbox.staff_id', staffId)
    .select(db.raw('1'));
  found.where((any) => any.whereNot('message.state', 'private').orWhere((within) => void some(within, own)));
}

function narrow(found: Knex.QueryBuilder, { view }: MailQuery, byFolder: boolean): void {
  if (view === 'client') found.whereIn('message.state', ['logged', 'suggested']);
  if (view === 'unread') found.where('message.unread', 1);
  if (view === 'starred') found.where('message.starred', 1);
  if (view === 'enclosures') found.where('message.enclosures', '>', 0);
  if (view === 'owed')
    found.whereIn('message.waits', ['we', 'they']).whereIn('message.state', ['logged', 'suggested']);
  if (byFolder && view === 'unread') found.where('place.seen', 0);
  if (byFolder && view === 'starred') found.where('place.flagged', 1);
}

/** Days are the firm's. */
async function dates(
  context: AppContext,
  found: Knex.QueryBuilder,
  at: string,
  query: MailQuery,
): Promise<void> {
  if (!query.from && !query.until) return;
  const { zone } = await readFirm(context.db);
  if (query.from) found.where(at, '>=', DateTime.fromISO(query.from, { zone }).toJSDate());
  if (query.until) found.where(at, '<', DateTime.fromISO(query.until, { zone }).plus({ days: 1 }).toJSDate());
}

/**
 * Words in the text, a person's name or address, or a file number: a number finds everything on that file.
 * @returns whether anything searchable was asked for
 */
async function search(context: AppContext, found: Knex.QueryBuilder, typed: string): Promise<boolean> {
  const register = await filingRegister(context);
  const fileIds = register.numbers.in(typed);
  const expression = searchExpression(typed);
  if (!expression && !fileIds.length) return false;
  const { db } = context;
  found.where((any) => {
    if (expression)
      any.whereIn(
        'message.raw_hash',
        db('raw_words').whereRaw('MATCH (words) AGAINST (? IN BOOLEAN MODE)', [expression]).select('hash'),
      );
    if (fileIds.length)
      any.orWhereIn('message.id', db('filing').whereIn('file_id', fileIds).select('message_id'));
  });
  return true;
}

/** Messages as the Mail screen lists them, in the order given. */
async function mailRows(db: Knex, ids: readonly number[], boxes: readonly number[]): Promise<MailRow[]> {
  if (!ids.length) return [];
  const [messages, copies, staff] = await Promise.all([
    db('message').whereIn('id', ids).select(),
    copiesWithin(db, ids, boxes),
    db('staff').select('id', 'name'),
  ]);
  const byId = new Map(messages.map((message) => [message.id, message]));
  const [sizeOf, suggestionOf, rows] = await Promise.all([
    conversationSizes(db, messages),
    suggestions(db, messages),
    messageRows(
      db,
      ids.flatMap((id) => byId.get(id) ?? []),
    ),
  ]);
  const copiesOf = groupBy(copies, (copy) => copy.message_id);
  const nameOf = new Map(staff.map(({ id, name }) => [id, name]));
  return rows.flatMap((row) => {
    const message = byId.get(row.id);
    if (!message) return [];
    const own = copiesOf.get(row.id) ?? [];
    return [
      {
        ...row,
        unread: own.some((copy) => !copy.seen),
        starred: own.some((copy) => copy.flagged),
        enclosures: message.enclosures,
        waits: row.state === 'logged' || row.state === 'suggested' ? message.waits : null,
        conversationId: message.conversation_id,
        conversationSize: sizeOf.get(message.conversation_id) ?? 1,
        suggestion: suggestionOf.get(row.id) ?? null,
        boxes: [...new Set(own.map((copy) => copy.mailbox_id))],
        copies: Math.max(
          1,
          ...[...groupBy(own, (copy) => copy.mailbox_id).values()].map((each) => each.length),
        ),
        handler: nameOf.get(message.handler_id ?? 0) ?? null,
        differs: message.differs,
      },
    ];
  });
}

/** The copies of messages in some mailboxes, with their marks. */
function copiesWithin(db: Knex, ids: readonly number[], boxes: readonly number[]) {
  const copies = db('message_copy')
    .join('folder', 'folder.id', 'message_copy.shown_in')
    .whereIn('message_id', ids)
    .whereIn('folder.mailbox_id', boxes);
  return select(copies, {
    message_id: 'message_copy.message_id',
    mailbox_id: 'folder.mailbox_id',
    seen: 'message_copy.seen',
    flagged: 'message_copy.flagged',
  });
}

/** How many messages the conversations of these have, private ones left out. */
async function conversationSizes(
  db: Knex,
  messages: readonly { conversation_id: number }[],
): Promise<Map<number, number>> {
  const conversations = db('message')
    .whereIn('conversation_id', [...new Set(messages.map((message) => message.conversation_id))])
    .whereNot({ state: 'private' })
    .groupBy('conversation_id');
  const sizes = await select(conversations, {
    conversation_id: 'message.conversation_id',
    size: db.raw<number>('COUNT(*)'),
  });
  return new Map(sizes.map((row) => [row.conversation_id, row.size]));
}

/** The file suggested first for each message that waits in Sorting. */
async function suggestions(
  db: Knex,
  messages: readonly Pick<Rows['message'], 'id' | 'state' | 'candidates'>[],
): Promise<Map<number, NonNullable<MailRow['suggestion']>>> {
  const firsts = messages.flatMap(({ id, state, candidates }) => {
    const first = state === 'suggested' ? fromJson('message.candidates', candidates)[0] : undefined;
    return first ? [{ id, ...first }] : [];
  });
  const files = await filesByIds(db, [...new Set(firsts.map(({ fileId }) => fileId))]);
  return new Map(
    firsts.map(({ id, fileId, likelihood }) => [id, { number: files.get(fileId)?.number ?? '', likelihood }]),
  );
}
