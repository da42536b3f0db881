/**
 * The editor's document tree (ProseMirror JSON), as far as a letter needs it. Unknown nodes render
 * their content; unknown marks are dropped.
 */
export interface DocNode {
  type: string;
  attrs?: Record<string, unknown>;
  content?: DocNode[];
  marks?: { type: string; attrs?: Record<string, unknown> }[];
  text?: string;
}

/** A merge field within a text: the field's key, what to say when the record has no value, and how it is written. */
export interface MergeFieldAttrs {
  field: string;
  fallback: string;
  format: string;
}

export const MERGE_FIELD = 'mergeField';

/** A passage that stands only if something holds: blocks under {@link PassageAttrs}. */
export const PASSAGE = 'passage';

/** What a fact must be for a passage to stand. */
export const PASSAGE_TESTS = [
  'is known',
  'is not known',
  'is',
  'is not',
  'is at least',
  'is at most',
] as const;
export type PassageTest = (typeof PASSAGE_TESTS)[number];

export interface PassageAttrs {
  field: string;
  test: PassageTest;
  value: string;
}

/** Blocks that stand once for each of something; a row of a table bears the same attribute, `of`. */
export const REPEATED = 'repeated';

/** An article of a newsletter: blocks under a line; `beside`: its first picture stands beside the words. */
export const ARTICLE = 'article';

/** A picture within the text: its bytes are kept under their hash and travel with the message. */
export const PICTURE = 'picture';

export interface PictureAttrs {
  /** SHA-256 in hexadecimal. */
  hash: string;
  alt: string;
  /** In pixels; as it is when null. */
  width: number | null;
}

/** The pictures in a text, each once. */
export function picturesOf(doc: DocNode): string[] {
  const found = new Set<string>();
  const visit = (node: DocNode) => {
    const hash = node.type === PICTURE ? String(node.attrs?.hash ?? '') : '';
    if (isPictureHash(hash)) found.add(hash);
    node.content?.forEach(visit);
  };
  visit(doc);
  return [...found];
}

export function isPictureHash(hash: string): boolean {
  return /^[0-9a-f]{64}$/.test(hash);
}

/** Whether nothing is written in a text. */
export function isEmptyText(node: DocNode): boolean {
  if (node.text?.trim() || node.type === MERGE_FIELD || node.type === PICTURE) return false;
  return (node.content ?? []).every(isEmptyText);
}
