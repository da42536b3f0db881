<script setup lang="ts">
import { computed, nextTick, ref } from 'vue';
import { z } from 'zod';
import { Selection, SelectionPage } from '../../contract/index.ts';
import { cellWords } from '../../core/selection/cells.ts';
import { explain } from '../../core/selection/explain.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { many, useTimes } from '../words.ts';
import { useCatalogue } from './catalogue.ts';

/** A selection on paper: all of it, in its columns, with what it asks for at its head. */
const AT_ONCE = 200;
/** Nobody reads more on paper. */
const MOST = 5000;
const Wanted = z.object({
  title: z.string(),
  selection: Selection,
  columns: z.array(z.string()),
  sort: z.string(),
  order: z.enum(['asc', 'desc']),
});
const { day, today } = useTimes();
const catalogue = useCatalogue();
const problem = ref('');
const rows = ref<SelectionPage['rows']>([]);
const total = ref<number | null>(null);
const wanted = ref<z.output<typeof Wanted> | null>(null);
const shown = computed(() =>
  (wanted.value?.columns ?? []).flatMap((key) => catalogue.facts.find((fact) => fact.key === key) ?? []),
);

async function load() {
  problem.value = '';
  rows.value = [];
  try {
    const kept = sessionStorage.getItem('print');
    if (!kept) {
      problem.value = 'There is nothing to print here. Open a selection and print it from there.';
      return;
    }
    wanted.value = Wanted.parse(JSON.parse(kept));
    await catalogue.read();
    const { selection, sort, order } = wanted.value;
    const columns = shown.value.map(({ key }) => key);
    do {
      const page = await send('POST', SelectionPage, '/selections/rows', {
        ...{ selection, columns, sort, order, offset: rows.value.length, limit: AT_ONCE },
      });
      total.value = page.total;
      rows.value.push(...page.rows);
      if (!page.rows.length) break;
    } while (rows.value.length < Math.min(total.value, MOST));
    await nextTick();
    window.print();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
void load();
</script>

<template>
  <div class="screen paper">
    <Trouble :words="problem" :retry="load" />
    <template v-if="wanted">
      <h1>{{ wanted.title }}</h1>
      <p>{{ explain(wanted.selection, catalogue.facts) }}</p>
      <p class="quiet" role="status">
        {{ today() }}; {{ total === null ? 'reading …' : many(total, 'record')
        }}{{ (total ?? 0) > MOST ? `, of which the first ${MOST.toLocaleString('en-GB')}` : '' }}
      </p>
      <table class="ledger-table">
        <thead>
          <tr>
            <th v-for="fact in shown" :key="fact.key" scope="col">{{ fact.label }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.id">
            <td v-for="(fact, at) in shown" :key="fact.key">
              {{ cellWords(row.cells[at] ?? null, fact, day) }}
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.paper p {
  margin-bottom: 8px;
}
</style>
