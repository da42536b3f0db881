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
  ...props.shown.map((fact) => ({
    words: fact.unit && isRight(fact) ? `${fact.label}, ${fact.unit}` : fact.label,
    sort: fact.key,
    right: isRight(fact),
  })),
  ...(props.picking ? [{ words: 'Out', width: 44 }] : []),
]);
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
    <template #empty><slot name="empty" /></template>
  </PagedTable>
</template>

<style scoped>
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
