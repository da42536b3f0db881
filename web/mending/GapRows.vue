<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { GapPage, type GapRow } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useChoices } from '../register/register.ts';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import MendRow from './MendRow.vue';
import type { GapInfo } from './mending.ts';

/** One list to work through: each row is mended where it stands, said to be right, or opened. */
const props = defineProps<{ info: GapInfo }>();
const emit = defineEmits<{ changed: [] }>();
const LIMIT = 50;
const session = useSession();
const may = computed(() => session.may('change the records'));
const { choices } = useChoices();
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(
  GapPage,
  () => ({ path: '/upkeep/rows', query: { gap: props.info.gap, offset: offset.value, limit: LIMIT } }),
  { concerns: { records: true, doubles: true }, unless: () => mending.value !== null },
);
const mending = ref<number | null>(null);
watch(
  () => props.info.gap,
  () => {
    offset.value = 0;
    mending.value = null;
    said.value = null;
  },
);
/** Who was said to be right just now. */
const said = ref<GapRow | null>(null);
const trouble = ref('');
async function sayRight(row: GapRow, right: boolean) {
  try {
    await act('PUT', '/upkeep/right', { gap: props.info.gap, id: row.id, mark: row.mark, right });
    said.value = right ? row : null;
    trouble.value = '';
    await again();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
async function again() {
  mending.value = null;
  await load();
  if (page.value && !page.value.rows.length && offset.value) offset.value = 0;
  emit('changed');
}
const COLUMNS = computed(() => [
  { words: { client: 'Client', person: 'Person', file: 'File' }[page.value?.rows[0]?.subject ?? 'client'] },
  { words: 'What stands there', width: 200 },
  { words: '', right: true, width: 120 },
]);
const shown = (mark: string) => (mark.startsWith('[') ? mark.slice(1, -1).replace(/"/g, '') : mark);
</script>

<template>
  <div>
    <p class="quiet mb-2">{{ info.why }}</p>
    <Trouble :words="problem || trouble" :retry="load" />
    <p v-if="said" class="said" role="status">
      {{ said.name }} is right as it stands.
      <button type="button" class="link" @click="sayRight(said, false)">Take it back</button>
    </p>
    <p v-if="page && !page.total" class="quiet none">Nothing here: all of it is in order.</p>
    <PagedTable
      v-else
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="page?.rows ?? []"
      :row-key="(row) => row.id"
      :total="page?.total ?? 0"
      :limit="LIMIT"
      what="records"
    >
      <template #row="{ row }">
        <td :colspan="mending === row.id ? COLUMNS.length : 1">
          <router-link v-if="row.clientId" :to="`/clients/${row.clientId}/record`"
            ><strong>{{ row.name }}</strong></router-link
          >
          <strong v-else>{{ row.name }}</strong>
          <br /><span class="quiet">{{ row.more }}</span>
          <MendRow
            v-if="mending === row.id"
            :row="row"
            :info="info"
            :choices="choices"
            @mended="again"
            @close="mending = null"
          />
        </td>
        <template v-if="mending !== row.id">
          <td class="mark">{{ shown(row.mark) || 'nothing' }}</td>
          <td class="right">
            <template v-if="may && mending === null">
              <button
                v-if="info.fields.length || info.gap === 'of no client'"
                type="button"
                class="link"
                :aria-label="`Mend ${row.name}`"
                @click="mending = row.id"
              >
                mend
              </button>
              <router-link v-else-if="row.clientId" :to="`/clients/${row.clientId}/record`">open</router-link>
              <button
                v-if="info.mayBeRight"
                type="button"
                class="link right-as-it-is"
                :aria-label="`${row.name} is right as it is`"
                @click="sayRight(row, true)"
              >
                right as it is
              </button>
            </template>
          </td>
        </template>
      </template>
    </PagedTable>
  </div>
</template>

<style scoped>
.mark {
  overflow-wrap: anywhere;
  vertical-align: top;
}
td {
  vertical-align: top;
}
.right-as-it-is {
  display: block;
  margin: 4px 0 0 auto;
}
.said {
  padding: 4px 0;
  font-size: 13px;
}
.none {
  padding: 24px 0;
}
</style>
