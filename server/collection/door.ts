import { createHash, randomBytes } from 'node:crypto';
import type { AppContext } from '../foundation/context.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { sendNotice } from '../mailserver/notice.ts';
import { noteAttempt, refuseTooMany } from '../security/attempts.ts';
import { freshPageSecret, isCode, pageCode } from '../security/pageCodes.ts';
import { openLink, type Opened } from './pages.ts';

/** A code serves so long, and bears so many wrong tries. */
const CODE_MINUTES = 15;
const CODE_TRIES = 5;
/** Whoever has shown link and code may look so long before they show another. */
const VISIT_MINUTES = 60;

const hashToken = (token: string) => createHash('sha256').update(token).digest();

/** The one answer to every link that opens nothing: it tells a stranger no more than that. */
const NOTHING = 'This link does not open anything, or not any more. Write to us, and we send you another.';
const WRONG = 'That code does not fit, or has ended. Ask for another one.';

/** The page behind a link. @param from the network address of whoever asks @throws Refusal (404) when it opens nothing; (429) */
export async function behind(context: AppContext, token: string, from: string): Promise<Opened> {
  // A good link is never held up by what others try from the same place.
  const opened = await openLink(context, token);
  if (opened) return opened;
  await refuseTooMany(
    context.db,
    'open a page from',
    from,
    'Too many links were tried from here. Please wait',
  );
  await noteAttempt(context.db, 'open a page from', from);
  throw new Refusal(404, NOTHING);
}

/**
 * Sends a fresh code to the address of whoever the page is for; the one before serves no more.
 * @throws Refusal when the link opens nothing, it was asked for too often, or no server takes the message
 */
export async function sendCode(context: AppContext, token: string, from: string): Promise<void> {
  const { db, config } = context;
  const { page, name, email } = await behind(context, token, from);
  const words = 'Codes have been asked for too often. Please wait';
  await refuseTooMany(db, 'page code for', String(page.id), words);
  await noteAttempt(db, 'page code for', String(page.id));
  const code = await transact(db, async (trx) => {
    const row = await trx('collection_page').where({ id: page.id }).forUpdate().first('secret', 'code_count');
    const secret = row?.secret ?? freshPageSecret(config.key);
    const count = (row?.code_count ?? 0) + 1;
    await trx('collection_page')
      .where({ id: page.id })
      .update({
        ...{ secret, code_count: count, code_tries: 0 },
        code_until: new Date(Date.now() + CODE_MINUTES * 60_000),
      });
    return pageCode(config.key, secret, count);
  });
  const firm = await readFirm(db);
  const sent = await sendNotice(context, {
    to: { name, address: email },
    subject: `Your code for your page at ${firm.name}`,
    paragraphs: [
      `Your code is ${code}. It opens your page at ${firm.name}, once, within ${CODE_MINUTES} minutes.`,
      'Somebody, most likely you, has opened the link to that page and asked for it. If it was not you, do nothing: without this code nobody sees anything.',
      'We never ask for this code by telephone or in a message.',
    ],
  });
  if (!sent) throw new Refusal(503, 'The code could not be sent just now. Try again in a few minutes.');
}

/**
 * Opens a page with its code, which is used up by it.
 * @returns the token of the visit, of which only a hash is kept
 * @throws Refusal when the code is not right, has ended, or was guessed at too often
 */
export async function enter(
  context: AppContext,
  token: string,
  typed: string,
  from: string,
): Promise<string> {
  const { db, config } = context;
  const { page } = await behind(context, token, from);
  const words = 'Wrong codes were given too often. Please wait';
  await refuseTooMany(db, 'page code wrong for', String(page.id), words, undefined, 'code');
  const right = await transact(db, async (trx) => {
    const row = await trx('collection_page').where({ id: page.id }).forUpdate().first();
    if (!row?.secret || !row.code_until || row.code_until < new Date() || row.code_tries >= CODE_TRIES)
      return false;
    const fits = isCode(typed, pageCode(config.key, row.secret, row.code_count));
    await trx('collection_page')
      .where({ id: page.id })
      .update(fits ? { code_until: null, opened_at: new Date() } : { code_tries: row.code_tries + 1 });
    return fits;
  });
  if (!right) {
    await noteAttempt(db, 'page code wrong for', String(page.id));
    throw new Refusal(403, WRONG, 'code');
  }
  const visit = randomBytes(32).toString('base64url');
  const now = new Date();
  await db('collection_visit').where('until', '<', now).limit(500).delete();
  await db('collection_visit').insert({
    token_hash: hashToken(visit),
    ...{ page_id: page.id, serial: page.serial },
    until: new Date(now.getTime() + VISIT_MINUTES * 60_000),
  });
  return visit;
}

/**
 * The page that a link and a visit open together.
 * @param visit as the cookie says it
 * @throws Refusal (404) when the link opens nothing; (401) when no code was shown for this very page
 */
export async function within(
  context: AppContext,
  token: string,
  visit: string | null,
  from: string,
): Promise<Opened> {
  const opened = await behind(context, token, from);
  const row = visit
    ? await context
        .db('collection_visit')
        .where({ token_hash: hashToken(visit) })
        .where('until', '>', new Date())
        .first('page_id', 'serial')
    : undefined;
  if (row?.page_id !== opened.page.id || row.serial !== opened.page.serial)
    throw new Refusal(401, 'Please give a code first.');
  return opened;
}

/** Ends a visit before its time. */
export async function leave(db: Database, visit: string | null): Promise<void> {
  if (visit)
    await db('collection_visit')
      .where({ token_hash: hashToken(visit) })
      .delete();
}
