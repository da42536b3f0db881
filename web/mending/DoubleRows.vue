<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { DoublePage, type DoublePair, type DoubleSubject } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { list } from '../words.ts';

/** Records that are probably the same: looked at side by side, or said to be two. */
const props = defineProps<{ subject: DoubleSubject }>();
const emit = defineEmits<{ changed: [] }>();
const LIMIT = 50;
const session = useSession();
const may = computed(() => session.may('merge records'));
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(
  DoublePage,
  () => ({ path: '/doubles', query: { subject: props.subject, offset: offset.value, limit: LIMIT } }),
  { concerns: { doubles: true, records: true } },
);
const said = ref<DoublePair | null>(null);
const trouble = ref('');
watch(
  () => props.subject,
  () => {
    offset.value = 0;
    said.value = null;
  },
);
async function sayTwo(pair: DoublePair, two: boolean) {
  try {
    await act(two ? 'POST' : 'DELETE', `/doubles/${pair.id}/two`);
    said.value = two ? pair : null;
    trouble.value = '';
    await load();
    emit('changed');
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
const COLUMNS = [
  { words: 'One' },
  { words: 'The other' },
  { words: 'Why' },
  { words: '', right: true, width: 120 },
];
</script>

<template>
  <div>
    <p class="quiet mb-2">
      Told by names, addresses, telephone numbers and where they are.
      {{ page && !page.settled ? 'Records changed just now; they are being looked through again.' : '' }}
    </p>
    <Trouble :words="problem || trouble" :retry="load" />
    <p v-if="said" class="said" role="status">
      {{ said.a.name }} and {{ said.b.name }} are two.
      <button type="button" class="link" @click="sayTwo(said, false)">Take it back</button>
    </p>
    <p v-if="page && !page.total" class="quiet none">
      {{ page.settled ? 'None found: nobody seems to be here twice.' : 'None found yet.' }}
    </p>
    <PagedTable
      v-else
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="page?.rows ?? []"
      :row-key="(row) => row.id"
      :total="page?.total ?? 0"
      :limit="LIMIT"
      what="pairs"
    >
      <template #row="{ row }">
        <td v-for="side in [row.a, row.b]" :key="side.id">
          <strong>{{ side.name }}</strong><br /><span class="quiet">{{ side.more }}</span>
        </td>
        <td>
          <span :class="{ certain: row.certain }">{{
            row.certain ? 'nearly certain' : 'likely'
          }}</span><br /><span class="quiet">{{ list(row.reasons) }}</span>
        </td>
        <td class="right">
          <router-link :to="`/mending/${subject}/${row.a.id}/${row.b.id}`">side by side</router-link>
          <button
            v-if="may"
            type="button"
            class="link two"
            :aria-label="`${row.a.name} and ${row.b.name} are two`"
            @click="sayTwo(row, true)"
          >
            they are two
          </button>
        </td>
      </template>
    </PagedTable>
  </div>
</template>

<style scoped>
td {
  vertical-align: top;
  overflow-wrap: anywhere;
}
.certain {
  color: var(--spruce);
  font-weight: 700;
}
.two {
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
