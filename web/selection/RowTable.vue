<script setup lang="ts">
import { computed, toRef } from 'vue';
import type { SelectionRows } from '../../contract/index.ts';
import { cellWords } from '../../core/selection/cells.ts';
import type { SelectableFact } from '../../core/selection/catalogue.ts';
import type { Subject } from '../../core/selection/tree.ts';
import PagedTable, { type Column } from '../ui/PagedTable.vue';
import { useTimes } from '../words.ts';
import { NAMING } from './columns.ts';

type Row = SelectionRows['rows'][number];
/** Records in the columns somebody chose; the naming one leads to the record. */
const offset = defineModel<number>('offset', { required: true });
/** Ticked rows, on this page and others, where rows can be ticked. */
const ticked = defineModel<number[]>('ticked');
const props = defineProps<{
  subject: Subject;
  shown: SelectableFact[];
  rows: Row[];
  total: number;
  limit: number;
  sort?: string;
  order?: 'asc' | 'desc';
  /** Whether a row can be taken out by hand. */
  picking?: boolean;
}>();
const emit = defineEmits<{ sort: [by: string, order: 'asc' | 'desc']; take: [row: Row] }>();
const { day } = useTimes();
const subject = toRef(props, 'subject');
const WHAT = { client: 'clients', person: 'people', file: 'files' };
const isRight = ({ kind }: SelectableFact) => kind === 'number' || kind === 'money';
const columns = computed((): Column[] => [
  ...(ticked.value ? [{ words: '', width: 34 }] : []),
  ...props.shown.map((fact) => ({
    words: fact.unit && isRight(fact) ? `${fact.label}, ${fact.unit}` : fact.label,
    sort: fact.key,
    right: isRight(fact),
  })),
  ...(props.picking ? [{ words: 'Out', width: 44 }] : []),
]);
function tick(ids: readonly number[], on: boolean) {
  const others = (ticked.value ?? []).filter((id) => !ids.includes(id));
  ticked.value = on ? [...others, ...ids] : others;
}
const pageTicked = computed(
  () => props.rows.length > 0 && props.rows.every(({ id }) => ticked.value?.includes(id)),
);
/** The unit stands at the head of its column. */
const cell = (row: Row, at: number) => {
  const fact = props.shown[at];
  return fact ? cellWords(row.cells[at] ?? null, isRight(fact) ? { ...fact, unit: '' } : fact, day) : '';
};
</script>

<template>
  <PagedTable
    v-model:offset="offset"
    bare
    :columns="columns"
    :rows="rows"
    :row-key="(row) => row.id"
    :total="total"
    :limit="limit"
    :sort="sort"
    :order="order"
    :what="WHAT[subject]"
    @sort="(by, way) => emit('sort', by, way)"
  >
    <template #row="{ row }">
      <td v-if="ticked" class="tick">
        <input
          type="checkbox"
          :checked="ticked.includes(row.id)"
          :aria-label="`Tick ${cell(row, 0) || 'this row'}`"
          @change="tick([row.id], ($event.target as HTMLInputElement).checked)"
        />
      </td>
      <td v-for="(fact, at) in shown" :key="fact.key" :class="{ 'right figures': isRight(fact) }">
        <router-link
          v-if="fact.key === NAMING[subject] && row.clientId"
          :to="`/clients/${row.clientId}`"
          class="name"
          >{{ cell(row, at) || '(no name)' }}</router-link
        >
        <span v-else class="words" :title="cell(row, at)">{{ cell(row, at) }}</span>
      </td>
      <td v-if="picking" class="right">
        <button
          type="button"
          class="plain"
          :aria-label="`Take ${cell(row, 0)} out by hand`"
          title="Take out by hand"
          @click="emit('take', row)"
        >
          ×
        </button>
      </td>
    </template>
    <template v-if="ticked" #pager>
      <button
        type="button"
        class="link"
        @click="
          tick(
            rows.map(({ id }) => id),
            !pageTicked,
          )
        "
      >
        {{ pageTicked ? 'untick this page' : 'tick this page' }}
      </button>
    </template>
    <template #empty><slot name="empty" /></template>
  </PagedTable>
</template>

<style scoped>
.tick input {
  width: 16px;
  height: 16px;
  accent-color: var(--spruce);
  margin: 3px 0;
}
.name {
  display: block;
  min-width: 110px;
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
}
.words {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  overflow: hidden;
  overflow-wrap: break-word;
  min-width: 62px;
}
</style>
