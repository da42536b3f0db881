import { SIGNED_FACT } from '../facts/catalogue.ts';
import { MERGE_FIELD, PICTURE, type DocNode } from '../merge/document.ts';

/** As wide as a signature is written, in pixels. */
const WIDTH = 190;

/**
 * A text with the picture of a signature where its field stands: below what else is in that paragraph.
 * @param hash of the picture; null: there is none, and nothing stands there
 */
export function signed(doc: DocNode, hash: string | null): DocNode {
  return { ...doc, ...(doc.content ? { content: doc.content.flatMap((node) => blocks(node, hash)) } : {}) };
}

/** Whether a text has a place for it. */
export function isSigned(node: DocNode): boolean {
  return isField(node) || (node.content ?? []).some(isSigned);
}

const isField = ({ type, attrs }: DocNode) => type === MERGE_FIELD && attrs?.field === SIGNED_FACT.key;

function blocks(node: DocNode, hash: string | null): DocNode[] {
  const content = node.content ?? [];
  if (!content.some(isField)) return [node.content ? signed(node, hash) : node];
  const rest = content.filter((each) => !isField(each));
  const left = rest.some(({ type, text }) => type !== 'hardBreak' && text?.trim() !== '');
  return [
    ...(left ? [{ ...node, content: rest }] : []),
    ...(hash ? [{ type: PICTURE, attrs: { hash, width: WIDTH, alt: '' } }] : []),
  ];
}
