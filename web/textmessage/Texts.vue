<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { TextsPage, type FileRef, type TextMessage } from '../../contract/index.ts';
import { act } from '../api.ts';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useAttempt } from '../ui/attempt.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import Tabs from '../ui/Tabs.vue';
import { useTimes } from '../words.ts';
import TextDialog from './TextDialog.vue';
import { faresWords } from './words.ts';

/** All text messages: those that want an answer, those nobody’s number sent, those prepared, and the rest. */
type Shown = 'waits' | 'loose' | 'prepared' | 'all';
const LIMIT = 40;
const { full } = useTimes();
const session = useSession();
const shown = ref<Shown>('waits');
const words = ref('');
const offset = ref(0);
watch([shown, words], () => (offset.value = 0));
const { data, problem, load } = useLoad(
  TextsPage,
  () => ({
    path: '/texts',
    query: { show: shown.value, words: words.value, offset: offset.value, limit: LIMIT },
  }),
  { concerns: { texts: true }, after: 250 },
);
const tabs = computed(() => [
  { value: 'waits' as const, words: 'Want an answer', count: data.value?.counts.waits },
  { value: 'loose' as const, words: 'Of no client', count: data.value?.counts.loose },
  { value: 'prepared' as const, words: 'Prepared', count: data.value?.counts.prepared },
  { value: 'all' as const, words: 'All' },
]);
const COLUMNS = [
  { words: 'When', width: 120 },
  { words: 'Who', width: 170 },
  { words: 'Message' },
  { words: 'On file', width: 110 },
  { words: '', width: 105 },
];
const { attempt, failed } = useAttempt(load);
const answering = ref<TextMessage | null>(null);
const filing = ref<TextMessage | null>(null);
const file = (to: FileRef) => {
  const { id } = filing.value ?? { id: 0 };
  return attempt(() => act('PUT', `/texts/${id}/file`, { fileId: to.id }));
};
const settle = ({ id, waits }: TextMessage) =>
  attempt(() => act('PUT', `/texts/${id}/answer`, { waits: !waits }));
const cancel = ({ id }: TextMessage) => attempt(() => act('DELETE', `/texts/${id}`));
const release = ({ id }: TextMessage) => attempt(() => act('POST', `/texts/${id}/release`));
const EMPTY: Record<Shown, string> = {
  waits: 'Nobody waits for an answer.',
  loose: 'Every number is known.',
  prepared: 'No standing order has prepared any.',
  all: 'No text message has gone or come yet. Write one from a client’s page.',
};
</script>

<template>
  <div class="screen">
    <header class="head mb-3">
      <h1>Text messages</h1>
    </header>
    <Tabs v-model="shown" label="Which" :tabs="tabs" class="mb-3" />
    <v-text-field v-model="words" label="Words" clearable class="find mb-3" @click:clear="words = ''" />
    <Trouble :words="problem || failed" :retry="load" class="mb-2" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="text messages"
    >
      <template #row="{ row }">
        <td class="figures">{{ full(row.at) }}</td>
        <td>
          <span :class="row.direction">{{ row.direction === 'received' ? 'from' : 'to' }}</span>
          {{ row.person || row.number }}
          <div v-if="row.clientId">
            <router-link :to="`/clients/${row.clientId}`">{{ row.client }}</router-link>
          </div>
          <div v-else class="quiet">{{ row.person ? row.number : '' }}</div>
        </td>
        <td>
          {{ row.text }}
          <div class="quiet" :class="{ needs: row.state === 'failed' }">
            {{ [row.by, faresWords(row)].filter(Boolean).join(', ') }}
          </div>
        </td>
        <td>
          <FileTab v-for="each in row.files" :key="each.id" state="logged" :label="each.number" />
          <FileTab v-if="!row.files.length" state="none" />
        </td>
        <td class="acts">
          <button
            v-if="row.direction === 'received' && row.clientId"
            type="button"
            class="link"
            @click="answering = row"
          >
            answer
          </button>
          <button v-if="!row.clientId" type="button" class="link" @click="filing = row">file it</button>
          <button v-if="row.waits" type="button" class="link" @click="settle(row)">needs none</button>
          <button v-if="row.state === 'waiting'" type="button" class="link" @click="cancel(row)">
            take back
          </button>
          <template v-if="row.state === 'prepared'">
            <button
              v-if="session.may('release mailings')"
              type="button"
              class="link"
              :aria-label="`Send “${row.text}”`"
              @click="release(row)"
            >
              send it
            </button>
            <button type="button" class="link" :aria-label="`Throw “${row.text}” away`" @click="cancel(row)">
              throw away
            </button>
          </template>
        </td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">{{ words ? 'None has these words.' : EMPTY[shown] }}</p>
      </template>
    </PagedTable>
    <TextDialog
      v-if="answering?.clientId"
      :client-id="answering.clientId"
      :file-id="answering.files[0]?.id ?? null"
      :to="{ number: answering.number }"
      @close="answering = null"
      @sent="((answering = null), load())"
    />
    <FileFinder
      :model-value="filing !== null"
      @update:model-value="(now: boolean) => now || (filing = null)"
      @choose="file"
    />
  </div>
</template>

<style scoped>
.find {
  max-width: 260px;
}
.received {
  color: var(--indigo);
}
.sent {
  color: var(--spruce);
}
.acts .link {
  display: block;
  min-height: 24px;
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
