import { AT_ONCE, type MailingDraft } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { checkMailing } from '../../server/mailing/checking.ts';
import { createMailing, saveMailing } from '../../server/mailing/mailings.ts';
import { releaseMailing } from '../../server/mailing/release.ts';
import { MANAGER, type TestFirm } from './helpers.ts';

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
  waitDays: null,
  senderId: null,
  answersId: null,
  eachOf: 'client',
  roles: [],
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
