import { AT_ONCE, type MailingDraft } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { checkMailing } from '../../server/mailing/checking.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { releaseMailing } from '../../server/mailing/release.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { outgoing } from '../../server/parts.ts';
import { MANAGER, until, type TestFirm } from './helpers.ts';

/** A text of one paragraph. */
export const words = (text: string): MailingDraft['body'] => ({
  type: 'doc',
  content: [{ type: 'paragraph', content: [{ type: 'text', text }] }],
});

/** A mailing to everybody, at once; with what is given instead. */
export const mailingDraft = (instead: Partial<MailingDraft> = {}): MailingDraft => ({
  name: 'To all',
  selection: selectionOf(),
  topicId: null,
  subject: words('A word'),
  body: words('One copy each.'),
  plain: null,
  framed: false,
  channel: 'email',
  laidOut: false,
  waitDays: null,
  senderId: null,
  answersId: null,
  eachOf: 'client',
  roles: [],
  colleagues: null,
  fileChoice: 'general',
  timing: AT_ONCE,
  optOut: true,
  counted: true,
  ...instead,
});

/** Writes a mailing and releases it to all whom it reaches. @param most to the first so many of them alone */
export async function releaseDraft(
  firm: Pick<TestFirm, 'db' | 'context'>,
  draft: MailingDraft,
  most = Infinity,
): Promise<{ id: number; recipients: number }> {
  const id = await createMailing(firm.db, MANAGER, { copyOf: null });
  await saveMailing(firm.db, id, draft, 1);
  const { order } = await checkMailing(firm.db, id);
  // Named by client and person.
  const removed = order.slice(most).map((key) => Number(key.split('-')[0]));
  const selection = { ...draft.selection, removed: [...draft.selection.removed, ...removed] };
  await saveMailing(firm.db, id, { ...draft, selection }, 2);
  const recipients = order.length - removed.length;
  await releaseMailing(firm.context, MANAGER, id, { version: 3, recipients, untestedWhy: 'a trial' });
  return { id, recipients };
}

type Firm = Pick<TestFirm, 'db' | 'context'>;

/** Begins a mailing and writes it, with what is given instead. */
export async function begunMailing(
  firm: Firm,
  instead: Partial<MailingDraft> = {},
): Promise<{ id: number; draft: MailingDraft }> {
  const id = await createMailing(firm.db, MANAGER, { copyOf: null });
  const draft = mailingDraft(instead);
  await saveMailing(firm.db, id, draft, 1);
  return { id, draft };
}

/** Releases a mailing to all whom its checks name. @returns how many @throws when the checks find what must be settled */
export async function releaseAsChecked(firm: Firm, id: number): Promise<number> {
  const { order, problems } = await checkMailing(firm.db, id);
  if (problems.length) throw new Error(problems.join(' '));
  const { version } = await viewMailing(firm.db, id);
  const recipients = order.length;
  await releaseMailing(firm.context, MANAGER, id, { version, recipients, untestedWhy: 'a trial' });
  return recipients;
}

/** Lets all of a mailing leave. @returns the copies that were sent */
export async function letGo(firm: Firm, id: number) {
  const worker = new DispatchWorker(firm.context, outgoing(firm.context));
  const copies = () => firm.db('dispatch').where({ mailing_id: id });
  await until('all have gone', async () => {
    await worker.work();
    return !(await copies().whereIn('state', ['waiting', 'going', 'delayed']).first('id'));
  });
  await worker.work();
  await worker.stop();
  return copies().where({ state: 'sent' }).orderBy('id');
}
