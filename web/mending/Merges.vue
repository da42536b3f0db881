<script setup lang="ts">
import { computed, ref } from 'vue';
import { MergePage, MergeUndone } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, useTimes } from '../words.ts';

/** What was merged lately; each can be parted again. */
const emit = defineEmits<{ changed: [] }>();
const LIMIT = 20;
const session = useSession();
const may = computed(() => session.may('merge records'));
const { full } = useTimes();
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(MergePage, () => ({ path: '/merges', query: { offset: offset.value, limit: LIMIT } }), {
  concerns: { doubles: true },
});
const trouble = ref('');
const said = ref('');
async function part(id: number) {
  trouble.value = said.value = '';
  try {
    const { left } = await send('POST', MergeUndone, `/merges/${id}/undo`, {});
    said.value = left
      ? `Parted again. ${many(left, 'field')} stayed as somebody has made it since.`
      : 'Parted again: both are as they were.';
    await load();
    emit('changed');
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
const COLUMNS = [
  { words: 'Kept' },
  { words: 'What became part of it' },
  { words: 'When' },
  { words: '', right: true, width: 110 },
];
</script>

<template>
  <div>
    <p class="quiet mb-2">Parting brings both back with all that hung on them; mail stays on its files.</p>
    <Trouble :words="problem || trouble" :retry="load" />
    <p v-if="said" role="status" class="said">{{ said }}</p>
    <p v-if="page && !page.total" class="quiet none">Nothing has been merged yet.</p>
    <PagedTable
      v-else
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="page?.rows ?? []"
      :row-key="(row) => row.id"
      :total="page?.total ?? 0"
      :limit="LIMIT"
      what="merges"
    >
      <template #row="{ row }">
        <td>
          <router-link v-if="row.clientId" :to="`/clients/${row.clientId}`">{{ row.kept }}</router-link>
          <template v-else>{{ row.kept }}</template>
        </td>
        <td>{{ row.dropped }}</td>
        <td class="quiet">{{ full(row.at) }}, {{ row.by }}</td>
        <td class="right">
          <span v-if="row.undone" class="quiet">parted again</span>
          <button
            v-else-if="may"
            type="button"
            class="link"
            :aria-label="`Part ${row.kept} and ${row.dropped}`"
            @click="part(row.id)"
          >
            part them
          </button>
        </td>
      </template>
    </PagedTable>
  </div>
</template>

<style scoped>
.said {
  padding: 4px 0;
  font-size: 13px;
}
.none {
  padding: 24px 0;
}
</style>
