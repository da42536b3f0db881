import { PAGE_FACT } from '../../core/collection/link.ts';
import { noteDraft } from './drafts.ts';
import { pageOf, type Whose } from '../collection/pages.ts';
import type { AppContext } from '../foundation/context.ts';
import { transact } from '../foundation/database.ts';
import { toJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import type { Rows } from '../foundation/tables.ts';
import { begunBy, insertDraft } from './begin.ts';
import { wordingsFor } from './cupboard.ts';
import { filledTemplate } from './facts.ts';

/** What is written where the cupboard has no wording for the occasion. */
const USUAL: Pick<Rows['wording'], 'subject' | 'body'> = {
  subject: toJson('wording.subject', {
    type: 'doc',
    content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Your page with us' }] }],
  }),
  body: toJson('wording.body', {
    type: 'doc',
    content: [
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'Dear ' },
          { type: 'mergeField', attrs: { field: 'greeting', fallback: 'client' } },
          { type: 'text', text: ',' },
        ],
      },
      {
        type: 'paragraph',
        content: [
          {
            type: 'text',
            text: 'What we have laid out for you, and what we ask you for, stands on your own page: ',
          },
          { type: 'mergeField', attrs: { field: PAGE_FACT, fallback: '' } },
        ],
      },
      {
        type: 'paragraph',
        content: [
          {
            type: 'text',
            text: 'The page asks for a code, which comes to this address at once. There is nothing to sign up for.',
          },
        ],
      },
    ],
  }),
};

/**
 * Begins a message to somebody that leads to their page, by the cupboard's wording for a document that is shared where
 * there is one. @returns the draft's number @throws Refusal when the page is withdrawn
 */
export async function writeOfPage(context: AppContext, staffId: number, whose: Whose): Promise<number> {
  const { db } = context;
  if ((await pageOf(db, whose)).withdrawn_at)
    throw new Refusal(409, 'Their page is withdrawn. Open it again first.');
  const begun = await begunBy(context, staffId, {
    ...{ how: 'new', messageId: null, documentId: null, fileId: null },
    ...whose,
  });
  const template = (await wordingsFor(db, staffId)
    .where({ kind: 'template', own: 0, occasion: 'document shared' })
    .first()) as Rows['wording'] | undefined;
  const filled = await filledTemplate(db, template ?? USUAL, begun.fileIds[0] ?? 0);
  return transact(db, async (trx) => {
    const about = { messageId: null, documentId: null };
    const id = await insertDraft(trx, staffId, about, {
      ...begun,
      subject: filled.subject,
      body: filled.body,
    });
    await noteDraft(trx, id);
    return id;
  });
}
