<script setup lang="ts" generic="Row">
import Pager from '../parts/Pager.vue';

/** A column: what it is headed by, and how the server calls it where rows can be in its order. */
export interface Column {
  words: string;
  sort?: string;
  /** Figures stand at the right. */
  right?: boolean;
  /** In pixels, where it is fixed. */
  width?: number;
}

/** One page of a list that the server pages and orders: headed columns, a row each, and the pages before and after. */
const offset = defineModel<number>('offset', { required: true });
const props = defineProps<{
  columns: readonly Column[];
  rows: readonly Row[];
  /** Tells rows apart. */
  rowKey: (row: Row) => string | number;
  total: number;
  limit: number;
  /** What the rows are, for the pager: `clients`. */
  what: string;
  /** What the rows are in the order of, as the server calls it. */
  sort?: string;
  order?: 'asc' | 'desc';
  rowClass?: (row: Row) => Record<string, boolean>;
  /** Within a sheet already. */
  bare?: boolean;
}>();
const emit = defineEmits<{ sort: [by: string, order: 'asc' | 'desc'] }>();
const isSorted = (column: Column) => column.sort !== undefined && column.sort === props.sort;
function sortBy(column: Column) {
  if (column.sort) emit('sort', column.sort, isSorted(column) && props.order === 'asc' ? 'desc' : 'asc');
}
</script>

<template>
  <div class="paged">
    <div class="scroll" :class="{ sheet: !bare }" tabindex="0" role="region" :aria-label="what">
      <table class="ledger-table">
        <thead>
          <tr>
            <th
              v-for="column in columns"
              :key="column.words"
              scope="col"
              :class="{ right: column.right }"
              :style="column.width ? { width: `${column.width}px` } : {}"
              :aria-sort="isSorted(column) ? (order === 'asc' ? 'ascending' : 'descending') : undefined"
            >
              <button v-if="column.sort" type="button" class="plain" @click="sortBy(column)">
                {{ column.words }}{{ isSorted(column) ? (order === 'asc' ? ' ↑' : ' ↓') : '' }}
              </button>
              <template v-else>{{ column.words }}</template>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="rowKey(row)" :class="rowClass?.(row)">
            <slot name="row" :row="row" />
          </tr>
        </tbody>
      </table>
      <slot v-if="!rows.length" name="empty" />
    </div>
    <slot v-if="total" name="pager" />
    <Pager
      v-if="total"
      :offset="offset"
      :limit="limit"
      :total="total"
      :what="what"
      @move="(to: number) => (offset = to)"
    />
  </div>
</template>

<style scoped>
.paged {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
</style>
