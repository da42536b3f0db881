import { ROWS, type Facts, type Known, type RowsOf } from '../facts/catalogue.ts';
import { MERGE_FIELD, PASSAGE, REPEATED, type DocNode } from './document.ts';
import { formatted } from './format.ts';

/** A merge field that had neither a value nor a fallback, and the words around it. */
export interface MissingValue {
  field: string;
  place: string;
}

/** A text with one record's facts in the place of its fields. */
export interface Filled {
  doc: DocNode;
  missing: MissingValue[];
}

/**
 * Puts facts in the place of merge fields, leaves out passages whose condition does not hold, and repeats what stands
 * for each of several things.
 * @param nothing what a field is replaced by that has neither value nor fallback; it is reported all the same
 */
export function fill(doc: DocNode, known: Known, nothing: (field: string) => string = () => ''): Filled {
  const missing: MissingValue[] = [];
  const [filled] = nodes([doc], known, missing, nothing);
  return { doc: filled ?? { type: 'doc' }, missing };
}

/** What a text is repeated for anywhere in it. */
export function rowsWanted(doc: DocNode): RowsOf[] {
  const found = new Set<RowsOf>();
  const visit = (node: DocNode) => {
    const of = repeatedFor(node);
    if (of) found.add(of);
    node.content?.forEach(visit);
  };
  visit(doc);
  return [...found];
}

/** What a block, or a row of a table, is repeated for. */
function repeatedFor(node: DocNode): RowsOf | null {
  if (node.type !== REPEATED && node.type !== 'tableRow') return null;
  return ROWS.find((each) => each === node.attrs?.of) ?? null;
}

function nodes(
  siblings: readonly DocNode[],
  known: Known,
  missing: MissingValue[],
  nothing: (field: string) => string,
): DocNode[] {
  return siblings.flatMap((node): DocNode[] => {
    const within = (of: Known) => nodes(node.content ?? [], of, missing, nothing);
    if (node.type === MERGE_FIELD) return value(node, known, missing, siblings, nothing);
    if (node.type === PASSAGE) return stands(node, known) ? within(known) : [];
    const of = repeatedFor(node);
    if (of)
      return (known.rows?.[of] ?? []).flatMap((row) => {
        const content = within(joined(known, row));
        return node.type === REPEATED ? content : [{ ...node, content }];
      });
    // What is put in for nothing is no block of its own.
    if (node.type === REPEATED) return within(known);
    return [node.content ? { ...node, content: within(known) } : node];
  });
}

function joined(known: Known, row: Known): Known {
  return {
    words: { ...known.words, ...row.words },
    values: { ...known.values, ...row.values },
    ...(known.rows ? { rows: known.rows } : {}),
  };
}

/** Lines of a value, such as an address, stay lines. */
function value(
  node: DocNode,
  { words, values }: Known,
  missing: MissingValue[],
  siblings: readonly DocNode[],
  nothing: (field: string) => string,
): DocNode[] {
  const field = String(node.attrs?.field ?? '');
  const own = words[field]?.trim();
  const text = own
    ? formatted(own, values?.[field], String(node.attrs?.format ?? ''))
    : String(node.attrs?.fallback ?? '').trim();
  if (!text) missing.push({ field, place: around(siblings, node) });
  const lines = (text || nothing(field)).split(/\r\n|\r|\n/);
  return lines.flatMap((line, at): DocNode[] => [
    ...(at ? [{ type: 'hardBreak' }] : []),
    ...(line || lines.length === 1
      ? [{ type: 'text', text: line, ...(node.marks ? { marks: node.marks } : {}) }]
      : []),
  ]);
}

function around(siblings: readonly DocNode[], node: DocNode): string {
  const words = siblings.map((sibling) => (sibling === node ? '…' : (sibling.text ?? ''))).join('');
  return words.trim().slice(0, 60);
}

/** Whether a passage stands; one whose condition says nothing always does. */
function stands({ attrs }: DocNode, { words, values }: Known): boolean {
  const field = String(attrs?.field ?? '');
  const wanted = String(attrs?.value ?? '').trim();
  const own = (words[field] ?? '').trim();
  const same = own.toLocaleLowerCase('en-GB') === wanted.toLocaleLowerCase('en-GB');
  switch (attrs?.test) {
    case 'is known':
      return own !== '';
    case 'is not known':
      return own === '';
    case 'is':
      return same;
    case 'is not':
      return !same;
    case 'is at least':
      return compared(values, field, wanted, (difference) => difference >= 0);
    case 'is at most':
      return compared(values, field, wanted, (difference) => difference <= 0);
    default:
      return true;
  }
}

/** What is not known is neither more nor less than anything. */
function compared(
  values: Facts | undefined,
  field: string,
  wanted: string,
  holds: (difference: number) => boolean,
): boolean {
  const number = (text: string) => (/^\d{4}-\d{2}-\d{2}$/.test(text) ? Date.parse(text) : Number(text));
  const [own, other] = [number(values?.[field] ?? 'none'), number(wanted.replaceAll(',', '') || 'none')];
  return Number.isFinite(own) && Number.isFinite(other) && holds(own - other);
}
