<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import {
  DocumentHow,
  DocumentsPage,
  ListEntry,
  Made,
  type DocumentRow,
  type FileRef,
} from '../../contract/index.ts';
import { z } from 'zod';
import { act, upload, wordsOf } from '../api.ts';
import LayOutDialog from '../collection/LayOutDialog.vue';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { about, type Concerns } from '../ui/live.ts';
import { useAttempt } from '../ui/attempt.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, size, useTimes } from '../words.ts';
import DocumentFacts from './DocumentFacts.vue';
import LookDialog from './LookDialog.vue';

/** Documents: of a client, of one of its files, or of all; looked at, put there, found by name and text. */
const props = defineProps<{
  clientId?: number;
  fileId?: number | null;
  /** The client's files: what is dropped here goes on the chosen one, or on the first. */
  files?: readonly Pick<FileRef, 'id' | 'number' | 'title'>[];
}>();
const LIMIT = 50;
const session = useSession();
const may = computed(() => session.may('keep documents'));
const { brief } = useTimes();
const typed = ref('');
const words = ref('');
const say = useDebounceFn(() => (words.value = typed.value ?? ''), 200);
watch(typed, () => void say());
const how = ref<DocumentHow | null>(null);
const kindId = ref<number | null>(null);
const sort = ref<string>('at');
const order = ref<'asc' | 'desc'>('desc');
const offset = ref(0);
watch([words, how, kindId, () => props.fileId], () => (offset.value = 0));
const concerns: Concerns = {
  documents: about('client', () => (props.clientId ? [props.clientId] : [])),
  mail: props.clientId ? about('file', () => (props.files ?? []).map(({ id }) => id)) : true,
};
const { data, problem, load } = useLoad(
  DocumentsPage,
  () => ({
    path: '/documents',
    query: {
      ...{
        clientId: props.clientId,
        fileId: props.fileId,
        q: words.value,
        how: how.value,
        kindId: kindId.value,
      },
      ...{ sort: sort.value, order: order.value, offset: offset.value, limit: LIMIT },
    },
  }),
  { concerns },
);
const { data: kinds } = useLoad(z.array(ListEntry), () => '/documents/kinds', {
  concerns: { records: true },
});
const HOWS: { value: DocumentHow | null; words: string }[] = [
  { value: null, words: 'All' },
  { value: 'came', words: 'Received' },
  { value: 'went', words: 'Sent' },
  { value: 'put', words: 'Put there' },
  { value: 'made', words: 'Made here' },
];
const SAID: Record<DocumentHow, string> = {
  came: 'from',
  went: 'sent by',
  put: 'put there by',
  made: 'made by',
};
const rows = computed(() => data.value?.rows ?? []);
/** What says nothing here takes no room. */
const kinded = computed(() => rows.value.some(({ kind }) => kind));
const columns = computed(() => [
  { words: 'Document', sort: 'name' },
  ...(kinded.value ? [{ words: 'Kind', width: 110 }] : []),
  { words: 'When', sort: 'at', right: true, width: 84 },
  ...(props.fileId ? [] : [{ words: 'File', width: 104 }]),
  { words: 'Size', sort: 'size', right: true, width: 92 },
]);
const shown = ref<DocumentRow | null>(null);
const open = computed({
  get: () => shown.value !== null,
  set: (now) => {
    if (!now) shown.value = null;
  },
});
const at = computed(() => rows.value.findIndex(({ id }) => id === shown.value?.id));
const move = (by: -1 | 1) => (shown.value = rows.value[at.value + by] ?? shown.value);
watch(rows, (now) => {
  if (shown.value) shown.value = now.find(({ id }) => id === shown.value?.id) ?? shown.value;
});

const chooser = ref<HTMLInputElement | null>(null);
const busy = ref(false);
const { attempt, failed } = useAttempt(() => load());
const done = ref('');
/** What was taken off just now. */
const removed = ref<DocumentRow | null>(null);
const finding = ref(false);
/** What is being laid out on somebody's page. */
const laying = ref<DocumentRow | null>(null);
function laidOut(words: string) {
  laying.value = null;
  shown.value = null;
  removed.value = null;
  done.value = words;
}
const waiting = ref<File[]>([]);
const target = computed(() => (props.files ?? []).find(({ id }) => id === props.fileId) ?? null);

/** Puts them on the file that is chosen; where none is, on the one that is asked for. */
async function put(list: FileList | File[] | null | undefined, fileId = target.value?.id) {
  const files = Array.from(list ?? []);
  if (!files.length) return;
  if (!fileId) {
    waiting.value = files;
    finding.value = true;
    return;
  }
  busy.value = true;
  failed.value = '';
  done.value = '';
  const refused: string[] = [];
  for (const file of files)
    try {
      const query = { filename: file.name, type: file.type };
      Made.parse(await upload(`/files/${fileId}/documents`, query, file));
    } catch (error) {
      refused.push(wordsOf(error));
    }
  busy.value = false;
  failed.value = refused.join(' ');
  const kept = files.length - refused.length;
  if (kept) done.value = `${many(kept, 'document')} put on file.`;
  await load();
}
function chosen() {
  const files = [...(chooser.value?.files ?? [])];
  if (chooser.value) chooser.value.value = '';
  void put(files);
}
const over = ref(false);
function dropped(event: DragEvent) {
  over.value = false;
  if (may.value) void put(event.dataTransfer?.files);
}

const takeOff = (row: DocumentRow) =>
  attempt(async () => {
    await act('DELETE', `/documents/${row.id}`);
    removed.value = row;
    shown.value = null;
  });
const bringBack = () =>
  attempt(async () => {
    await act('POST', `/documents/${removed.value?.id}/restore`);
    removed.value = null;
  });
</script>

<template>
  <section
    class="documents"
    :class="{ over }"
    aria-label="Documents"
    @dragover.prevent="over = may"
    @dragleave="over = false"
    @drop.prevent="dropped"
  >
    <div class="tools">
      <v-text-field v-model="typed" label="Find by name or by what stands in it" clearable class="find" />
      <span role="group" aria-label="How they came">
        <button
          v-for="each in HOWS"
          :key="each.words"
          type="button"
          class="plain part"
          :class="{ on: how === each.value }"
          :aria-pressed="how === each.value"
          @click="how = each.value"
        >
          {{ each.words }}
        </button>
      </span>
      <v-select
        v-model="kindId"
        :items="kinds ?? []"
        item-title="name"
        item-value="id"
        label="Kind"
        clearable
        class="kind"
      />
      <template v-if="may">
        <v-btn :loading="busy" @click="chooser?.click()">Put on file…</v-btn>
        <input ref="chooser" type="file" multiple hidden aria-hidden="true" @change="chosen" />
      </template>
    </div>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed" class="mb-2" />
    <p v-if="removed" class="said" role="status">
      “{{ removed.filename }}” was taken off.
      <button type="button" class="link" @click="bringBack">Bring it back</button>
    </p>
    <p v-else-if="done" class="said" role="status">{{ done }}</p>
    <PagedTable
      v-model:offset="offset"
      :columns="columns"
      :rows="rows"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="documents"
      :sort="sort"
      :order="order"
      class="list"
      @sort="
        (by: string, to: 'asc' | 'desc') => {
          sort = by;
          order = to;
          offset = 0;
        }
      "
    >
      <template #row="{ row }">
        <td class="what" :class="row.how">
          <button type="button" class="link name" @click="shown = row">{{ row.filename }}</button>
          <span v-if="row.times > 1" class="quiet"> {{ row.times }} times</span><br />
          <span class="quiet">{{ SAID[row.how] }} {{ row.from }}</span>
        </td>
        <td v-if="kinded">{{ row.kind?.name ?? '' }}</td>
        <td class="right figures">{{ brief(row.at) }}</td>
        <td v-if="!fileId">
          <router-link
            v-for="file in row.files.slice(0, 2)"
            :key="file.id"
            :to="`/clients/${file.clientId}?file=${file.id}`"
            :title="`${file.title}, ${file.clientName}`"
            class="tab"
            ><FileTab state="logged" :label="file.number"
          /></router-link>
        </td>
        <td class="right figures size">{{ size(row.size) }}</td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">
          {{
            words || how || kindId
              ? 'No document fits what is asked for.'
              : 'Nothing lies here yet. What comes or goes with mail appears by itself; other documents are dropped here, or put on file with the button above.'
          }}
        </p>
      </template>
    </PagedTable>
    <p v-if="data?.unread" class="quiet mt-1">
      The words of {{ many(data.unread, 'document') }} are still being read: until then they are found by name
      alone.
    </p>
    <LayOutDialog
      v-if="laying && clientId"
      :client-id="clientId"
      :document="laying"
      :file-id="fileId ?? null"
      @close="laying = null"
      @done="laidOut"
    />
    <FileFinder v-model="finding" @choose="(file: FileRef) => put(waiting, file.id)" />
    <LookDialog
      v-if="shown"
      v-model="open"
      :filename="shown.filename"
      :page="`/documents/${shown.id}/page`"
      :content="`/documents/${shown.id}/content`"
      :look="shown.look"
      :before="at > 0"
      :after="at >= 0 && at < rows.length - 1"
      @move="move"
    >
      <template v-if="clientId && may" #acts>
        <v-btn size="small" @click="laying = shown">Lay it out…</v-btn>
      </template>
      <template #side>
        <DocumentFacts
          :key="shown.id"
          :row="shown"
          :kinds="kinds ?? []"
          :may="may"
          @changed="load"
          @gone="takeOff(shown)"
        />
      </template>
    </LookDialog>
  </section>
</template>

<style scoped>
.documents {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.documents.over {
  outline: 2px dashed var(--spruce);
  outline-offset: 2px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-bottom: 10px;
}
.find {
  flex: 1 1 220px;
}
.kind {
  flex: 0 1 150px;
}
.part {
  padding: 1px 6px;
  color: var(--ink-soft);
}
.part.on {
  color: var(--spruce);
  font-weight: 700;
  box-shadow: 0 2px 0 -1px var(--spruce);
}
.said {
  padding: 4px 12px;
  margin-bottom: 8px;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.list {
  min-height: 0;
}
.what {
  overflow-wrap: anywhere;
}
.what.came {
  border-left: 4px double var(--indigo);
}
.what.went {
  border-left: 4px double var(--spruce);
}
.name {
  text-align: left;
}
.size {
  white-space: nowrap;
}
.tab {
  text-decoration: none;
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
