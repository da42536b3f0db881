<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import { Compared, KeptSelection } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLatest } from '../ui/latest.ts';
import { useCatalogue } from './catalogue.ts';
import { useColumns } from './columns.ts';
import RowTable from './RowTable.vue';

/** Two selections beside each other: who is in both, and who in one alone. */
const LIMIT = 50;
const route = useRoute();
const catalogue = useCatalogue();
void catalogue.read();
const a = ref<KeptSelection | null>(null);
const b = ref<KeptSelection | null>(null);
const unread = ref('');
const which = ref<'both' | 'a' | 'b'>('both');
const offset = ref(0);
const subject = toRef(() => a.value?.subject ?? 'client');
const { shown } = useColumns(subject);
const found = ref<Compared | null>(null);
const { ask, problem } = useLatest();

async function open() {
  try {
    [a.value, b.value] = await Promise.all([
      get(KeptSelection, `/selections/${Number(route.query.a)}`),
      get(KeptSelection, `/selections/${Number(route.query.b)}`),
    ]);
    unread.value = '';
  } catch (error) {
    unread.value = wordsOf(error);
  }
}
void open();
async function load() {
  if (!a.value || !b.value || !shown.value.length) return;
  const body = {
    ...{ a: a.value.id, b: b.value.id, which: which.value },
    ...{ columns: shown.value.map(({ key }) => key), offset: offset.value, limit: LIMIT },
  };
  found.value = (await ask(() => send('POST', Compared, '/selections/compared', body))) ?? found.value;
}
watch(which, () => (offset.value = 0));
watch([a, b, shown, which, offset], () => void load());
const PARTS = computed(() => [
  { key: 'a' as const, words: `Only in “${a.value?.name ?? ''}”`, count: found.value?.a },
  { key: 'both' as const, words: 'In both', count: found.value?.both },
  { key: 'b' as const, words: `Only in “${b.value?.name ?? ''}”`, count: found.value?.b },
]);
</script>

<template>
  <div class="screen screen-fixed">
    <p class="quiet"><router-link to="/selections">Selections</router-link></p>
    <h1>Two beside each other</h1>
    <Trouble :words="unread || problem" :retry="unread ? open : load" class="mb-2" />
    <nav class="parts sheet" aria-label="Which">
      <button
        v-for="part in PARTS"
        :key="part.key"
        type="button"
        class="plain part"
        :class="{ on: which === part.key }"
        :aria-pressed="which === part.key"
        @click="which = part.key"
      >
        <b class="figures">{{ part.count?.toLocaleString('en-GB') ?? '…' }}</b>
        <span>{{ part.words }}</span>
      </button>
    </nav>
    <section class="sheet list">
      <RowTable
        v-model:offset="offset"
        class="px-3 pb-2"
        :subject="subject"
        :shown="shown"
        :rows="found?.rows ?? []"
        :total="found?.[which] ?? 0"
        :limit="LIMIT"
      >
        <template #empty><p v-if="found" class="quiet pa-4">Nobody.</p></template>
      </RowTable>
    </section>
  </div>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  margin: 10px 0 14px;
}
.part {
  display: flex;
  align-items: baseline;
  gap: 12px;
  padding: 10px 16px;
  border-right: 1px solid var(--hairline);
  border-bottom: 3px solid transparent;
  text-align: left;
}
.part:last-child {
  border-right: 0;
}
.part.on {
  border-bottom-color: var(--spruce);
}
.part b {
  font: 600 22px/1 var(--serif);
}
.part span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.list {
  min-height: 0;
  display: flex;
  flex-direction: column;
}
</style>
