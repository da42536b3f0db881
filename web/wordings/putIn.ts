import type { WordingKind } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { asArticle } from '../../core/merge/frame.ts';

/** What of a wording goes into a text: its blocks, or an article as one. */
export function putIn({ kind, body }: { kind: WordingKind; body: DocNode }): DocNode[] {
  return kind === 'article' ? [asArticle(body)] : (body.content ?? []);
}
