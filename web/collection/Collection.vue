<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { CollectionList, type CollectionQuery, type CollectionUpload } from '../../contract/index.ts';
import { act } from '../api.ts';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useAttempt } from '../ui/attempt.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import Tabs from '../ui/Tabs.vue';
import { size, useTimes } from '../words.ts';
import UploadDialog from './UploadDialog.vue';
import { useFares } from './words.ts';

/** What waits on all clients' pages: to be looked at, to be answered, asked for; and what lies there. */
type Shown = CollectionQuery['show'];
const LIMIT = 40;
const route = useRoute();
const router = useRouter();
const session = useSession();
const { full } = useTimes();
const { itemWords, wantedWords } = useFares();
const SHOWN: readonly Shown[] = ['uploads', 'lines', 'wanted', 'items'];
const shown = computed({
  get: () => SHOWN.find((each) => each === route.query.show) ?? 'uploads',
  set: (show: Shown) => void router.replace({ query: { show } }),
});
const words = ref('');
const offset = ref(0);
watch([shown, words], () => (offset.value = 0));
const { data, problem, load } = useLoad(
  CollectionList,
  () => ({
    path: '/collection',
    query: { show: shown.value, words: words.value, offset: offset.value, limit: LIMIT },
  }),
  { concerns: { collection: true }, after: 250 },
);
const tabs = computed(() => [
  { value: 'uploads' as const, words: 'To look at', count: data.value?.counts.uploads },
  { value: 'lines' as const, words: 'Lines to answer', count: data.value?.counts.lines },
  { value: 'wanted' as const, words: 'Asked for', count: data.value?.counts.wanted },
  { value: 'items' as const, words: 'Laid out' },
]);
const COLUMNS = {
  uploads: ['Document', 'From', 'On file', ''],
  lines: ['Line', 'From', 'On file', ''],
  wanted: ['Asked for', 'Of whom', 'For file', ''],
  items: ['Document', 'For whom', 'About file', ''],
};
const columns = computed(() =>
  COLUMNS[shown.value].map((heading, at) => ({
    words: heading,
    ...([, { width: 230 }, { width: 110 }, { width: 190 }][at] ?? {}),
  })),
);
interface Line {
  id: number;
  first: string;
  more: string;
  client: { id: number; name: string };
  person: string;
  personId?: number | null;
  file: string;
  needs?: boolean;
  upload?: CollectionUpload;
}
const rows = computed((): Line[] => {
  const now = data.value;
  if (!now) return [];
  return [
    ...now.uploads.map((upload) => ({
      ...{ id: upload.id, first: upload.filename, client: upload.client, person: upload.person, upload },
      more: `${upload.wanted ? `as “${upload.wanted}”, ` : ''}${full(upload.at)}; ${size(upload.size)}`,
      file: upload.file.number,
    })),
    ...now.lines.map((line) => ({
      ...{
        id: line.id,
        first: line.words,
        client: line.client,
        person: line.person,
        personId: line.personId,
      },
      more: full(line.at),
      file: line.files[0]?.number ?? '',
    })),
    ...now.wanted.map((each) => ({
      ...{ id: each.id, first: each.name, client: each.client, person: each.person, needs: each.late },
      more: `${wantedWords(each)}${each.late ? ', late' : ''}`,
      file: each.file.number,
    })),
    ...now.items.map((item) => ({
      ...{ id: item.id, first: item.filename, client: item.client, person: item.person },
      more: itemWords(item),
      file: item.file.number,
    })),
  ];
});
const looking = ref<CollectionUpload | null>(null);
const { attempt, failed } = useAttempt(load);
const done = ref('');
async function settle(work: () => Promise<void>, said: string) {
  if (await attempt(work)) done.value = said;
}
function settled(said: string) {
  looking.value = null;
  done.value = said;
  void load();
}
const needsNone = (line: Line) =>
  settle(
    () => act('PUT', `/collection/lines/${line.id}/answer`, { waits: false }),
    'It needs no answer any more; it stands in the ledger.',
  );
const tick = (line: Line, to: 'came' | 'wanted no more') =>
  settle(() => act('PUT', `/collection/wanted/${line.id}`, { to }), `“${line.first}”: ${to}.`);
const EMPTY: Record<Shown, string> = {
  uploads: 'Nothing waits to be looked at.',
  lines: 'Nobody waits for an answer.',
  wanted: 'Nothing is asked for that has not come.',
  items: 'Nothing is laid out. Do so from a client’s documents.',
};
</script>

<template>
  <div class="screen">
    <header class="head mb-3">
      <h1>Clients’ pages</h1>
    </header>
    <Tabs v-model="shown" label="Which" :tabs="tabs" class="mb-3" />
    <v-text-field v-model="words" label="Words" clearable class="find mb-3" @click:clear="words = ''" />
    <Trouble :words="problem || failed" :retry="load" class="mb-2" />
    <p class="said quiet" role="status">{{ done }}</p>
    <PagedTable
      v-model:offset="offset"
      :columns="columns"
      :rows="rows"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="things on clients’ pages"
    >
      <template #row="{ row }">
        <td class="what">
          <button
            v-if="row.upload && session.may('keep documents')"
            type="button"
            class="link"
            @click="looking = row.upload"
          >
            {{ row.first }}
          </button>
          <template v-else>{{ row.first }}</template>
          <div :class="row.needs ? 'needs' : 'quiet'">{{ row.more }}</div>
        </td>
        <td>
          {{ row.person }}
          <div>
            <router-link :to="`/clients/${row.client.id}?show=page`">{{ row.client.name }}</router-link>
          </div>
        </td>
        <td><FileTab :state="row.upload ? 'suggested' : 'logged'" :label="row.file" /></td>
        <td class="acts">
          <button
            v-if="row.upload && session.may('keep documents')"
            type="button"
            class="link"
            :aria-label="`Look at ${row.first}`"
            @click="looking = row.upload"
          >
            look at it
          </button>
          <template v-else-if="shown === 'lines'">
            <router-link
              :to="{
                name: 'write',
                query: { client: row.client.id, ...(row.personId ? { person: row.personId } : {}) },
              }"
              >write to them</router-link
            >
            <button type="button" class="link" @click="needsNone(row)">needs none</button>
          </template>
          <template v-else-if="shown === 'wanted' && session.may('keep documents')">
            <button type="button" class="link" @click="tick(row, 'came')">came otherwise</button>
            <button type="button" class="link" @click="tick(row, 'wanted no more')">no more</button>
          </template>
        </td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">{{ words ? 'None has these words.' : EMPTY[shown] }}</p>
      </template>
    </PagedTable>
    <UploadDialog v-if="looking" :upload="looking" @close="looking = null" @done="settled" />
  </div>
</template>

<style scoped>
.find {
  max-width: 260px;
}
.what {
  overflow-wrap: anywhere;
  white-space: pre-line;
}
.acts > * {
  display: block;
  min-height: 24px;
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
