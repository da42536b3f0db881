<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { Made, WordingsPage, type WordingKind } from '../../contract/index.ts';
import { upload, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import Tabs from '../ui/Tabs.vue';
import { size, useTimes } from '../words.ts';
import { KINDS, OCCASIONS } from './occasions.ts';

/** The firm's wordings: whole messages, paragraphs, articles and files that are kept once, one's own among them. */
const LIMIT = 50;
const COLUMNS = ['Name', 'What it is', 'Serves by default', 'Letters', 'Kept by', 'Changed'].map((words) => ({
  words,
}));
const router = useRouter();
const session = useSession();
const { brief } = useTimes();
const kind = ref<keyof typeof KINDS | undefined>(undefined);
const typed = ref('');
const words = ref('');
const offset = ref(0);
const say = useDebounceFn(() => (words.value = typed.value), 200);
watch(typed, () => void say());
watch([kind, words], () => (offset.value = 0));
const { data, problem, load } = useLoad(WordingsPage, () => ({
  path: '/wordings/kept',
  query: {
    ...{ words: words.value, offset: offset.value, limit: LIMIT },
    ...(kind.value ? { kind: kind.value } : {}),
  },
}));
const TABS = [
  { value: undefined, words: 'All' },
  ...(['template', 'paragraph', 'article', 'enclosure', 'signature'] as const).map((value) => ({
    value,
    words: KINDS[value].many,
  })),
];
const kindOf = (each: WordingKind) => (each === 'note' ? '' : KINDS[each].one);

const chooser = ref<HTMLInputElement | null>(null);
const keeping = ref(false);
const unkept = ref('');
/** Keeps the files chosen; the page of the last one opens, to say what it is for. */
async function keepFiles() {
  const files = [...(chooser.value?.files ?? [])];
  if (chooser.value) chooser.value.value = '';
  keeping.value = true;
  unkept.value = '';
  try {
    let last = 0;
    for (const file of files) {
      const query = { filename: file.name, type: file.type };
      last = Made.parse(await upload('/wordings/enclosures', query, file)).id;
    }
    if (files.length === 1) await router.push(`/wordings/${last}`);
    else kind.value = 'enclosure';
  } catch (error) {
    unkept.value = wordsOf(error);
  } finally {
    keeping.value = false;
    await load();
  }
}
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <h1>Wordings</h1>
      <v-text-field v-model="typed" class="search" label="Find by name or description" clearable />
      <template v-if="session.may('keep wordings')">
        <v-btn :loading="keeping" @click="chooser?.click()">Keep a file…</v-btn>
        <input ref="chooser" type="file" multiple hidden aria-hidden="true" @change="keepFiles" />
      </template>
      <v-btn
        v-if="session.may('keep wordings')"
        color="primary"
        variant="flat"
        @click="router.push('/wordings/new')"
        >New wording</v-btn
      >
    </header>
    <Tabs v-model="kind" label="Kinds" :tabs="TABS" class="kinds" />
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="unkept" class="mb-2" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="wordings"
    >
      <template #row="{ row }">
        <td>
          <router-link :to="`/wordings/${row.id}`" class="name">{{ row.name }}</router-link>
          <span class="quiet description">{{
            [row.enclosed ? `${row.enclosed.filename}, ${size(row.enclosed.size)}` : '', row.description]
              .filter(Boolean)
              .join('. ')
          }}</span>
        </td>
        <td>{{ kindOf(row.kind) }}<span v-if="row.own" class="quiet">, your own</span></td>
        <td>{{ row.occasion ? OCCASIONS[row.occasion] : '' }}</td>
        <td class="figures">{{ row.letters }}</td>
        <td>{{ row.owner ?? '' }}</td>
        <td class="figures">{{ row.changedAt ? brief(row.changedAt) : '' }}</td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet pa-4">
          {{
            words
              ? 'No wording has these words in its name.'
              : 'Nothing is kept yet. What you write often is worth keeping here once.'
          }}
        </p>
      </template>
    </PagedTable>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 14px;
}
.head h1 {
  flex: 1;
}
.search {
  flex: none;
  width: 300px;
}
.kinds {
  margin: 10px 0 12px;
}
.name {
  font-weight: 700;
  color: var(--ink);
}
.description {
  display: block;
}
</style>
