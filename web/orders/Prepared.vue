<script setup lang="ts">
import { computed, ref } from 'vue';
import { PreparedActed, PreparedPage } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { useKeys } from '../ui/keys.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, useTimes } from '../words.ts';

/** Messages that orders have prepared: read, sent off or thrown away, some at once. */
const LIMIT = 25;
const { full } = useTimes();
const whose = ref<'mine' | 'all'>('mine');
const offset = ref(0);
const { data, problem, load } = useLoad(
  PreparedPage,
  () => ({ path: '/orders/prepared', query: { whose: whose.value, offset: offset.value, limit: LIMIT } }),
  { concerns: { orders: true, drafts: true } },
);
const ticked = ref<number[]>([]);
const rows = computed(() => data.value?.rows ?? []);
const chosen = computed(() => rows.value.filter(({ draftId }) => ticked.value.includes(draftId)));
const ready = computed(() => rows.value.filter(({ mine, waits }) => mine && !waits));
const tickAll = () => (ticked.value = ticked.value.length ? [] : ready.value.map(({ draftId }) => draftId));
const busy = ref(false);
const failed = ref('');
const said = ref('');
async function act(what: 'send' | 'throw away') {
  if (!chosen.value.length || busy.value) return;
  busy.value = true;
  failed.value = '';
  try {
    const drafts = chosen.value.map(({ draftId, version }) => ({ id: draftId, version }));
    const { done, left } = await send('POST', PreparedActed, '/orders/prepared', { what, drafts });
    said.value = done ? `${many(done, 'message')} ${what === 'send' ? 'on the way' : 'thrown away'}.` : '';
    failed.value = left.length ? `${many(left.length, 'message')} stayed: ${left[0]?.why ?? ''}` : '';
    ticked.value = [];
    await load();
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
useKeys({ a: tickAll, s: () => act('send') });
const COLUMNS = [
  { words: '', width: 36 },
  { words: 'To', width: 170 },
  { words: 'Message' },
  { words: 'Why', width: 300 },
  { words: 'In the name of', width: 130 },
];
</script>

<template>
  <section aria-label="Prepared, to be released">
    <div class="release">
      <v-btn
        size="small"
        color="primary"
        variant="flat"
        :disabled="!chosen.length"
        :loading="busy"
        @click="act('send')"
        >{{ chosen.length ? `Send ${many(chosen.length, 'message')}` : 'Send' }}</v-btn
      >
      <v-btn size="small" :disabled="!chosen.length || busy" @click="act('throw away')">Throw away</v-btn>
      <span class="quiet keys"><KeyCap letter="A" /> all that are ready <KeyCap letter="S" /> send</span>
      <v-checkbox
        :model-value="whose === 'all'"
        label="colleagues’ too"
        class="whose"
        @update:model-value="(all: boolean | null) => ((whose = all ? 'all' : 'mine'), (offset = 0))"
      />
    </div>
    <p v-if="said" class="said" role="status">{{ said }}</p>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed" class="mb-2" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="rows"
      :row-key="(row) => row.draftId"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="messages"
    >
      <template #row="{ row }">
        <td>
          <v-checkbox
            v-if="row.mine"
            v-model="ticked"
            :value="row.draftId"
            :aria-label="`Tick the message to ${row.to}`"
          />
        </td>
        <td>
          <router-link v-if="row.client" :to="`/clients/${row.client.id}`">{{
            row.to || row.client.name
          }}</router-link><template v-else>{{ row.to }}</template>
        </td>
        <td>
          <router-link v-if="row.mine" :to="`/writing/${row.draftId}`">{{
            row.subject || 'no subject'
          }}</router-link><template v-else>{{ row.subject || 'no subject' }}</template>
          <div v-if="row.waits" class="needs">{{ row.waits }}</div>
        </td>
        <td class="quiet">
          <router-link :to="`/orders/${row.order.id}`">{{ row.order.name }}</router-link>: {{ row.why }},
          {{ full(row.at) }}
        </td>
        <td>{{ row.by }}</td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">
          Nothing lies prepared. What orders write for you to release stands here.
        </p>
      </template>
    </PagedTable>
  </section>
</template>

<style scoped>
.release {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  margin-bottom: 8px;
}
.whose {
  margin-left: auto;
  flex: 0 0 auto;
}
.none {
  padding: 20px;
  text-align: center;
}
</style>
