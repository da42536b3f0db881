import { isGroup, isRelated, type Line, type Selection, type Subject } from './tree.ts';

/**
 * A selection in which one record stands for another: in hand picks, and where a field names it.
 * @param links facts that name a record of that kind
 * @returns the very same selection where it names it nowhere
 */
export function renumbered(
  selection: Selection,
  subject: Subject,
  { from, to }: { from: number; to: number },
  links: ReadonlySet<string>,
): Selection {
  let met = false;
  const one = <V extends string | number>(value: V): V | number => {
    if (value !== from) return value;
    met = true;
    return to;
  };
  const each = (line: Line): Line => {
    if (isGroup(line) || isRelated(line)) return { ...line, of: line.of.map(each) };
    if (!links.has(line.fact) || !('values' in line.test)) return line;
    return { ...line, test: { ...line.test, values: [...new Set(line.test.values.map(one))] } };
  };
  const picks = (ids: number[]) => (selection.subject === subject ? [...new Set(ids.map(one))] : ids);
  const made = {
    ...selection,
    of: selection.of.map(each),
    added: picks(selection.added),
    removed: picks(selection.removed),
    ...(selection.only ? { only: picks(selection.only) } : {}),
  };
  return met ? made : selection;
}
