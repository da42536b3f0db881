<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { WordingsPage } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { useTimes } from '../words.ts';
import { KINDS, OCCASIONS } from './occasions.ts';

/** The firm's wordings: whole messages and paragraphs, one's own among them. */
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
  { value: 'template', words: KINDS.template.many },
  { value: 'paragraph', words: KINDS.paragraph.many },
] as const;
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <h1>Wordings</h1>
      <v-text-field v-model="typed" class="search" label="Find by name or description" clearable />
      <v-btn
        v-if="session.may('keep wordings')"
        color="primary"
        variant="flat"
        @click="router.push('/wordings/new')"
        >New wording</v-btn
      >
    </header>
    <div class="tabs" role="group" aria-label="Kinds">
      <button
        v-for="tab in TABS"
        :key="tab.words"
        type="button"
        class="plain tab"
        :class="{ on: kind === tab.value }"
        :aria-pressed="kind === tab.value"
        @click="kind = tab.value"
      >
        {{ tab.words }}
      </button>
    </div>
    <Trouble :words="problem" :retry="load" class="mb-2" />
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
          <span class="quiet description">{{ row.description }}</span>
        </td>
        <td>
          {{ row.kind === 'template' ? KINDS.template.one : KINDS.paragraph.one
          }}<span v-if="row.own" class="quiet">, your own</span>
        </td>
        <td>{{ row.occasion ? OCCASIONS[row.occasion] : '' }}</td>
        <td class="figures">{{ row.letters }}</td>
        <td>{{ row.keeper ?? '' }}</td>
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
.tabs {
  display: flex;
  gap: 18px;
  border-bottom: 1px solid var(--strong);
  margin: 10px 0 12px;
}
.tab {
  padding: 4px 2px 5px;
  border-bottom: 3px solid transparent;
}
.tab.on {
  border-bottom-color: var(--spruce);
}
.name {
  font-weight: 700;
  color: var(--ink);
}
.description {
  display: block;
}
</style>
