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

/** The facts of one recipient, by field key. A missing or empty value is reported, never printed as a blank. */
export type Facts = Readonly<Record<string, string>>;

export interface MergeFieldInfo {
  key: string;
  label: string;
}

/** The built-in fields; the firm's own fields join them under `field:ID`. */
export const BUILT_IN_FIELDS: readonly MergeFieldInfo[] = [
  { key: 'greeting', label: 'Greeting' },
  { key: 'client.name', label: 'Client name' },
  { key: 'client.place', label: 'Place' },
  { key: 'client.service', label: 'Service' },
  { key: 'person.firstName', label: 'First name' },
  { key: 'person.lastName', label: 'Last name' },
  { key: 'file.number', label: 'File number' },
  { key: 'file.title', label: 'File title' },
  { key: 'adviser.name', label: 'Adviser' },
  { key: 'adviser.email', label: 'Adviser’s email' },
  { key: 'adviser.phone', label: 'Adviser’s telephone' },
  { key: 'firm.name', label: 'Firm' },
];
