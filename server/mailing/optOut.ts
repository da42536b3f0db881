import type { Knex } from 'knex';
import { addressKey } from '../../core/address/address.ts';
import type { OptOutFooter } from '../../core/merge/render.ts';
import { escapeHtml } from '../../core/merge/html.ts';
import type { AppContext } from '../foundation/context.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm, webBase, type Firm } from '../foundation/firm.ts';
import { select, selectFirst } from '../foundation/rows.ts';
import { signLink, readLink } from '../security/links.ts';

/** The way of a mailing's recipients to have no more of its kind. */
export interface OptOutWay {
  footer: OptOutFooter;
  /** RFC 2369 and, with a page of ours, RFC 8058. */
  headers: Record<string, string>;
}

/** So much is kept of how we know of it. */
const HOW = 120;

/** Of copies that go to colleagues: their link opens a page that changes nothing. */
export const NOBODY = 0;

/**
 * How the recipient of one message opts out: by our own page where the office has said under which address it is
 * reached, else by a line to whoever wrote.
 * @param dispatchId of the message; {@link NOBODY} for a test copy
 */
export function optOutWay(
  key: Buffer,
  firm: Firm,
  topic: string | null,
  sender: string,
  dispatchId: number,
): OptOutWay {
  const about = topic ?? 'mailings';
  const subject = `No more ${about}, please`;
  const mail = `mailto:${sender}?subject=${encodeURIComponent(subject)}`;
  const base = webBase(firm);
  const page = base ? `${base}/out/${signLink(key, 'opt out', dispatchId)}` : null;
  const lines = [firm.name, ...firm.postal].filter(Boolean);
  return {
    footer: {
      words: `If you would rather have no more ${about === 'mailings' ? 'of these mailings' : `mail about ${about}`}`,
      link: page ?? mail,
      lines,
    },
    headers: page
      ? {
          'List-Unsubscribe': `<${page}>, <${mail}>`,
          'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
        }
      : { 'List-Unsubscribe': `<${mail}>` },
  };
}

/** Whom a link is about: the address, and what its mailing was about. */
interface Asked {
  /** The copy that the link stood in. */
  id: number;
  email: string;
  topicId: number | null;
  mailing: string;
}

/** @returns null when the link was not made here, or what it names is gone; `test` for one of a test copy */
async function askedBy({ db, config }: AppContext, token: string): Promise<Asked | 'test' | null> {
  const id = readLink(config.key, 'opt out', token);
  if (id === null) return null;
  if (id === NOBODY) return 'test';
  const found = await selectFirst(
    db('dispatch').join('mailing', 'mailing.id', 'dispatch.mailing_id').where('dispatch.id', id),
    { id: 'dispatch.id', email: 'dispatch.to_address', topicId: 'mailing.topic_id', mailing: 'mailing.name' },
  );
  return found ?? null;
}

/**
 * Cancels copies that wait for addresses which have opted out since the mailing was released, of its topic or of all.
 * @returns how many
 */
export async function cancelOptedOut(db: Knex): Promise<number> {
  const [result] = (await db.raw(
    `UPDATE dispatch
      JOIN mailing ON mailing.id = dispatch.mailing_id
      JOIN address ON address.person_id = dispatch.person_id AND address.email = dispatch.to_address
      LEFT JOIN opt_out ON opt_out.email_key = address.email_key
      LEFT JOIN topic_opt_out ON topic_opt_out.email_key = address.email_key AND topic_opt_out.topic_id = mailing.topic_id
      SET dispatch.state = 'cancelled', dispatch.answer = 'opted out before it went'
      WHERE dispatch.state IN ('waiting', 'delayed')
        AND (opt_out.email_key IS NOT NULL OR topic_opt_out.email_key IS NOT NULL)`,
  )) as [{ affectedRows: number }];
  return result.affectedRows;
}

/** What an address has opted out of: of everything, and of which topics. */
export async function standing(db: Database, email: string) {
  const key = addressKey(email);
  const [all, topics, out] = await Promise.all([
    db('opt_out').where({ email_key: key }).first('email_key'),
    select(db('topic').orderBy('name'), { id: 'topic.id', name: 'topic.name' }),
    db('topic_opt_out').where({ email_key: key }).pluck('topic_id') as Promise<number[]>,
  ]);
  return { all: all !== undefined, topics, out: new Set(out) };
}

/** What a person chose on the page: what they want, by topic; or none at all. */
export interface OptOutChoice {
  none: boolean;
  topicIds: readonly number[];
}

/**
 * One click in the reader's own mail program (RFC 8058 section 3.2): no more of what the message was about; of
 * everything where it was about nothing in particular.
 * @returns whether the link was good
 */
export async function optOutByOneClick(context: AppContext, token: string): Promise<boolean> {
  const asked = await askedBy(context, token);
  if (asked === null || asked === 'test') return asked === 'test';
  const now = await standing(context.db, asked.email);
  const wanted = now.topics.filter(({ id }) => !now.out.has(id) && id !== asked.topicId).map(({ id }) => id);
  await writeChoice(context.db, chooserOf(asked), now, {
    none: now.all || asked.topicId === null,
    topicIds: wanted,
  });
  return true;
}

/** Keeps what a person chose on the page. @returns whether the link was good */
export async function chooseByPage(
  context: AppContext,
  token: string,
  choice: OptOutChoice,
): Promise<boolean> {
  const asked = await askedBy(context, token);
  if (asked === null || asked === 'test') return asked === 'test';
  await writeChoice(context.db, chooserOf(asked), await standing(context.db, asked.email), choice);
  return true;
}

/** Whose choice it is, and how we know of it. */
interface Chooser {
  email: string;
  how: string;
  /** The copy of a mailing by which they came to it. */
  dispatchId: number | null;
}

const chooserOf = ({ email, mailing, id }: Asked): Chooser => ({
  email,
  how: `by the link in “${mailing}”`,
  dispatchId: id,
});

/** Keeps what an address wants to hear about, and cancels what waits for it and is wanted no more. */
export async function writeChoice(
  db: Database,
  chooser: Chooser,
  now: Awaited<ReturnType<typeof standing>>,
  { none, topicIds }: OptOutChoice,
): Promise<void> {
  const { email, dispatchId } = chooser;
  const key = addressKey(email);
  const how = chooser.how.slice(0, HOW);
  const own = { email_key: key, at: new Date(), how };
  const out = now.topics.filter(({ id }) => !topicIds.includes(id)).map(({ id }) => id);
  await transact(db, async (trx) => {
    if (none !== now.all) {
      await trx('opt_out').where({ email_key: key }).delete();
      if (none) await trx('opt_out').insert(own);
    }
    // Whoever wants none at all has said nothing of the single topics.
    if (!none) {
      const fresh = out.filter((id) => !now.out.has(id));
      await trx('topic_opt_out').where({ email_key: key }).whereNotIn('topic_id', out).delete();
      if (fresh.length)
        await trx('topic_opt_out')
          .insert(fresh.map((topic_id) => ({ ...own, topic_id })))
          .onConflict()
          .ignore();
    }
    const wantsLess = (none && !now.all) || out.some((id) => !now.out.has(id));
    if (wantsLess && dispatchId !== null)
      await trx('dispatch')
        .where({ id: dispatchId })
        .whereNull('opted_out_at')
        .update({ opted_out_at: new Date() });
    if (await cancelOptedOut(trx)) await noteChange(trx, 'mailings');
    const people: number[] = await trx('address').where({ email_key: key }).pluck('person_id');
    for (const id of people)
      await noteAudit(trx, {
        staffId: null,
        action: none ? 'opted out' : 'chose what to hear about',
        subject: 'person',
        id,
        before: { none: now.all, out: [...now.out] },
        after: { email, none, out: none ? [...now.out] : out, how },
      });
    const clients: number[] = await trx('client_person').whereIn('person_id', people).pluck('client_id');
    await noteChange(trx, 'records', 'client', clients);
  });
}

/**
 * The page behind a link, as HTML without a script. Opening it changes nothing: programs that look at links before
 * people do would else opt everybody out.
 * @param said what was just done, if anything
 */
export async function optOutPage(
  context: AppContext,
  token: string,
  said: string,
): Promise<{ status: number; html: string }> {
  const [asked, firm] = await Promise.all([askedBy(context, token), readFirm(context.db)]);
  if (asked === null)
    return {
      status: 404,
      html: page(
        firm,
        `<h1>This link is not whole</h1><p>Please open it from the message once more, or write to us: a line is enough.</p>`,
      ),
    };
  if (asked === 'test')
    return {
      status: 200,
      html: page(
        firm,
        '<h1>This was a test copy</h1><p>In the real message this link opens the page on which its reader chooses what to hear about. Here it changes nothing.</p>',
      ),
    };
  const { all, topics, out } = await standing(context.db, asked.email);
  const box = (id: number, name: string) =>
    `<label><input type="checkbox" name="topic" value="${id}"${out.has(id) || all || id === asked.topicId ? '' : ' checked'}> ${escapeHtml(name)}</label>`;
  const chosen = all || out.size > 0;
  const topic = topics.find(({ id }) => id === asked.topicId);
  const standingWords = all
    ? 'We send you no mailings at all.'
    : out.size
      ? `We send you nothing about ${topics
          .filter(({ id }) => out.has(id))
          .map(({ name }) => escapeHtml(name))
          .join(', ')}.`
      : 'So far you have asked us to leave nothing out.';
  return {
    status: 200,
    html: page(
      firm,
      `<h1>What ${escapeHtml(firm.name)} may write to you about</h1>
<p>For <strong>${escapeHtml(asked.email)}</strong>. ${standingWords}</p>
${said ? `<p class="done" role="status">${escapeHtml(said)}</p>` : ''}
<form method="post">
${topics.length ? `<fieldset><legend>Mailings about</legend>${topics.map(({ id, name }) => box(id, name)).join('\n')}</fieldset>` : ''}
<p><button name="want" value="some">${chosen || topic === undefined ? 'Keep what is ticked' : `No more about ${escapeHtml(topic.name)}`}</button></p>
<p class="or">or</p>
<p><button name="want" value="none" class="quiet">No mailings at all</button></p>
</form>
<p class="small">Letters about work we do for you come as before. You can change this at any time by the link in any of our mailings.</p>`,
    ),
  };
}

function page(firm: Firm, content: string): string {
  return `<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex"><title>${escapeHtml(firm.name)}</title><style>
body{margin:0;background:#F7F4EC;color:#1F2B28;font:17px/1.55 Georgia,'Times New Roman',serif}
main{max-width:34em;margin:6vh auto;padding:28px 32px;background:#FFFEFB;border:1px solid #DAD3C2;border-left:4px double #B9B09A}
h1{font-size:24px;line-height:1.3;margin:0 0 12px}fieldset{border:0;border-top:1px solid #DAD3C2;padding:10px 0;margin:0}
legend{font-weight:bold;padding:0 8px 0 0}label{display:block;padding:6px 0}input{width:18px;height:18px;vertical-align:-3px;accent-color:#1F5547}
button{font:inherit;padding:8px 16px;border:1px solid #1F5547;border-radius:3px;background:#1F5547;color:#fff;cursor:pointer;min-height:40px}
button.quiet{background:#FFFEFB;color:#1F2B28;border-color:#B9B09A}button:focus-visible,input:focus-visible{outline:3px solid #94650F;outline-offset:2px}
.or,.small,footer{color:#55625D}.small,footer{font-size:15px}.or{margin:0}.done{border-left:4px solid #1F5547;padding-left:12px;font-weight:bold}
footer{max-width:34em;margin:0 auto 6vh;padding:0 32px}</style></head>
<body><main>${content}</main><footer>${[firm.name, ...firm.postal].filter(Boolean).map(escapeHtml).join(', ')}</footer></body></html>`;
}
