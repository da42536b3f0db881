<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { SelectionColumn } from '../../contract/index.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLatest } from '../ui/latest.ts';
import { LATER, useLive } from '../ui/live.ts';
import { useCatalogue } from './catalogue.ts';
import { provideEditing } from './editing.ts';
import LineList, { type LineAccount } from './LineList.vue';

/** A selection as a column of an account: one line under the other, what each takes away, what remains at the foot. */
const selection = defineModel<Selection>({ required: true });
const emit = defineEmits<{ counted: [column: SelectionColumn | null] }>();
const catalogue = useCatalogue();
provideEditing();
void catalogue.read();

const found = ref<SelectionColumn | null>(null);
const { ask, asking, problem } = useLatest();
async function count() {
  const answer = await ask(() =>
    send('POST', SelectionColumn, '/selections/column', { selection: selection.value }),
  );
  if (!answer) return;
  found.value = answer;
  emit('counted', answer);
}
const soon = useDebounceFn(count, 200);
watch(selection, () => void soon(), { deep: true });
void count();
useLive(
  { records: true, selections: true, mailings: true },
  () => {
    void count();
    void catalogue.read();
  },
  LATER,
);

const column = computed(() => found.value?.column ?? null);
const accounts = computed((): LineAccount[] => {
  let before = column.value?.base ?? null;
  return selection.value.of.map((_, at) => {
    const counted = column.value?.lines[at];
    const left = counted?.left ?? null;
    const own = { before, left, inner: counted?.inner ?? [] };
    before = left ?? before;
    return own;
  });
});
const WHO = {
  client: { all: 'All clients', past: 'past clients' },
  person: { all: 'All people', past: 'people of past clients' },
  file: { all: 'All files', past: 'files of past clients' },
};
const who = computed(() => WHO[selection.value.subject]);
const figures = (value: number | undefined) => (value ?? 0).toLocaleString('en-GB');
</script>

<template>
  <div class="sheet column" :aria-busy="asking">
    <div class="row heads">
      <span>{{ asking ? 'counting …' : '' }}</span><span class="right">takes away</span
      ><span class="right">remain</span>
    </div>
    <div class="row first">
      <span>
        {{ who.all
        }}<template v-if="!selection.past">
          <span class="quiet">, without {{ column ? figures(column.past) : '' }} {{ who.past }}</span>
          <button type="button" class="link" @click="selection.past = true">let them in</button></template
        ><template v-else>
          <span class="quiet">, {{ who.past }} too</span>
          <button type="button" class="link" @click="selection.past = false">leave them out</button></template
        >
      </span>
      <b class="figures right">{{ column ? figures(column.base) : '' }}</b>
    </div>
    <LineList
      v-model="selection.of"
      :among="selection.subject"
      :accounts="accounts"
      :problems="found?.problems ?? []"
      :path="[]"
      :depth="0"
      label="Narrow by …"
    />
    <div v-if="selection.added.length" class="row">
      <span
        >Put in by hand <button type="button" class="link" @click="selection.added = []">undo</button></span
      ><span class="right figures">+{{ figures(column?.added) }}</span
      ><span />
    </div>
    <div v-if="selection.removed.length" class="row">
      <span
        >Taken out by hand
        <button type="button" class="link" @click="selection.removed = []">undo</button></span
      ><span class="right figures">−{{ figures(column?.removed) }}</span
      ><span />
    </div>
    <div v-if="selection.only" class="row">
      <span
        >Only those ticked
        <button type="button" class="link" @click="selection.only = undefined">undo</button></span
      ><span class="right figures">−{{ figures(column?.unticked) }}</span
      ><span />
    </div>
    <div class="row foot" role="status">
      <span>{{ found?.problems.length ? 'Nothing is counted until that is put right' : '' }}</span><span /><b
        class="figures right"
        >{{ column ? figures(column.total) : '–' }}</b
      >
    </div>
    <Trouble :words="problem || catalogue.problem" :retry="count" class="ma-2" />
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 70px 66px;
  gap: 6px;
  align-items: baseline;
  padding: 6px 32px 6px 26px;
  border-bottom: 1px solid var(--hairline);
}
.right {
  text-align: right;
}
/* What stands at the head takes nothing away. */
.first > :first-child {
  grid-column: 1 / 3;
}
@media (max-width: 1000px) {
  .row {
    grid-template-columns: minmax(0, 1fr) 48px 44px;
    padding-inline: 22px 24px;
  }
}
.heads {
  font-size: 12px;
  color: var(--ink-soft);
  padding-block: 4px;
  border-bottom-color: var(--strong);
}
.foot {
  border-top: 1px solid var(--strong);
  border-bottom: 3px double var(--strong);
  font-size: 16px;
}
.foot span {
  font-size: 13px;
  color: var(--brick);
}
</style>
