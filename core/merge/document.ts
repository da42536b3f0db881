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

/** A merge field within a text: the field's key, and what to say when the record has no value. */
export interface MergeFieldAttrs {
  field: string;
  fallback: string;
}

export const MERGE_FIELD = 'mergeField';
