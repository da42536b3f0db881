import { inject, provide, ref, type InjectionKey, type Ref } from 'vue';
import type { Line } from '../../core/selection/tree.ts';

/** What is being worked on in one column: the line that is open, the one that is dragged. */
export interface Editing {
  /** The line whose fields show; every other one is read as words. */
  open: Ref<Line | null>;
  dragged: Ref<{ from: Line[]; line: Line; about: string } | null>;
}

const KEY: InjectionKey<Editing> = Symbol('editing');

export function provideEditing(): Editing {
  const editing: Editing = { open: ref(null), dragged: ref(null) };
  provide(KEY, editing);
  return editing;
}

export function useEditing(): Editing {
  const editing = inject(KEY);
  if (!editing) throw new Error('lines stand in a column');
  return editing;
}

/** Moves a line to another place, in its own list or another one about the same. */
export function moveLine(from: Line[], line: Line, to: Line[], at: number): void {
  const was = from.indexOf(line);
  if (was < 0) return;
  from.splice(was, 1);
  to.splice(from === to && was < at ? at - 1 : at, 0, line);
}
