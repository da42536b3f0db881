<script setup lang="ts">
import { nextTick, ref } from 'vue';
import type { Among } from '../../core/selection/catalogue.ts';
import type { Problem } from '../../core/selection/explain.ts';
import { isGroup, type Line } from '../../core/selection/tree.ts';
import AddLine from './AddLine.vue';
import { moveLine, useEditing } from './editing.ts';
import SelectionLine, { type Move } from './SelectionLine.vue';

/** How one line stands in the account. */
export interface LineAccount {
  /** Carried into it; null where nothing is carried. */
  before: number | null;
  /** Left after it, or of a group's line for how many it holds; null while it is not known. */
  left: number | null;
  inner: (number | null)[];
}

/** Lines under each other, moved by dragging or keys. */
const lines = defineModel<Line[]>({ required: true });
const props = defineProps<{
  among: Among;
  through?: string | undefined;
  accounts: LineAccount[];
  problems: Problem[];
  path: number[];
  /** How deep it stands; groups within groups go so far. */
  depth: number;
  label: string;
  /** The line whose list this is; none of the outermost. */
  owner?: Line | undefined;
}>();
const emit = defineEmits<{ out: [line: Line] }>();
const DEEPEST = 5;
const editing = useEditing();
const root = ref<HTMLElement | null>(null);
const about = () => `${props.among} ${props.through ?? ''}`;

function add(line: Line) {
  lines.value.push(line);
  const last = lines.value.at(-1);
  // The one in the list, which is watched; not the one that came.
  editing.open.value = last ?? null;
}
function remove(line: Line) {
  lines.value.splice(lines.value.indexOf(line), 1);
  if (editing.open.value === line) editing.open.value = null;
}
/** Up, down, into the group above, or out of this one. */
function move(line: Line, where: Move) {
  if (where === 'out') return emit('out', line);
  const at = lines.value.indexOf(line);
  const above = lines.value[at - 1];
  if (where === 'up' && at > 0) moveLine(lines.value, line, lines.value, at - 1);
  if (where === 'down' && at < lines.value.length - 1) moveLine(lines.value, line, lines.value, at + 2);
  if (where === 'in' && above && isGroup(above)) moveLine(lines.value, line, above.of, above.of.length);
  void nextTick(() => root.value?.querySelectorAll<HTMLElement>('.read')[lines.value.indexOf(line)]?.focus());
}
/** A line leaves the group at this place, and stands below it. */
function takeOut(at: number, inner: Line) {
  const group = lines.value[at];
  if (group && isGroup(group)) moveLine(group.of, inner, lines.value, at + 1);
}
function drop(at: number) {
  const dragged = editing.dragged.value;
  editing.dragged.value = null;
  if (!dragged || dragged.about !== about()) return;
  moveLine(dragged.from, dragged.line, lines.value, at);
}
const over = ref<number | null>(null);
/** Whether what is dragged may be let go here: never a group within itself. */
function takes(): boolean {
  const dragged = editing.dragged.value;
  const holds = (line: Line): boolean => 'of' in line && (line.of === lines.value || line.of.some(holds));
  return Boolean(dragged && dragged.about === about() && !holds(dragged.line));
}
</script>

<template>
  <div ref="root" class="lines">
    <div
      v-for="(_, index) in lines"
      :key="index"
      class="place"
      :class="{ over: over === index }"
      @dragover="takes() && ((over = index), $event.preventDefault(), $event.stopPropagation())"
      @dragleave="over = null"
      @drop.prevent.stop="((over = null), drop(index))"
    >
      <SelectionLine
        v-model="lines[index]!"
        :among="among"
        :through="through"
        :account="accounts[index] ?? { before: null, left: null, inner: [] }"
        :problems="problems"
        :path="[...path, index]"
        :depth="depth"
        :owner="owner"
        @remove="remove(lines[index]!)"
        @move="move(lines[index]!, $event)"
        @drag="editing.dragged.value = { from: lines, line: lines[index]!, about: about() }"
        @out="takeOut(index, $event)"
      />
    </div>
    <div
      class="place end"
      :class="{ over: over === lines.length }"
      @dragover="takes() && ((over = lines.length), $event.preventDefault(), $event.stopPropagation())"
      @dragleave="over = null"
      @drop.prevent.stop="((over = null), drop(lines.length))"
    >
      <AddLine :among="among" :through="through" :label="label" :groups="depth < DEEPEST" @add="add" />
    </div>
  </div>
</template>

<style scoped>
.place {
  border-bottom: 1px solid var(--hairline);
}
.place.over {
  box-shadow: inset 0 2px 0 var(--spruce);
}
.end {
  padding-left: 26px;
}
</style>
