import type { SelectionFields } from '../../contract/index.ts';
import { isGroup, type Group } from '../../core/selection/tree.ts';
import { editorOf } from './editors.ts';

const HEADS = { all: 'all of', any: 'any of', none: 'none of' };

/** What a group asks for, folded: `any of Status, Adviser`. */
export function groupWords({ match, of }: Group, fields: SelectionFields | null): string {
  const lines = of.map((line) =>
    isGroup(line) ? groupWords(line, fields) : editorOf(line).name(line, fields),
  );
  return `${HEADS[match]} ${lines.join(', ')}`;
}
