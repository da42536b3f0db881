<script setup lang="ts">
import { mdiArrowDown, mdiArrowUp } from '@mdi/js';
import { computed, reactive, ref } from 'vue';
import { z } from 'zod';
import { ListEntry, type ListName } from '../../contract/index.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { useRecord } from '../ui/record.ts';
import KeepBar from './KeepBar.vue';
import { many } from '../words.ts';

/** A list of the office's own names, in order; records of one that goes are given another. */
interface Line {
  id: number | null;
  name: string;
}
const emit = defineEmits<{ kept: [] }>();
const props = defineProps<{
  list: ListName;
  /** What one of them is called: `Stage`. */
  one: string;
  /** What bears them: `file`. */
  borneBy: string;
  /** Offered while there are none. */
  usual?: readonly string[];
}>();
const Entries = z.array(ListEntry);
const path = `/office/lists/${props.list}`;
const { data: known, problem, load } = useLoad(Entries, () => path, { concerns: { records: true } });
const moved = reactive(new Map<number, number | null>());
const asLinesOf = (list: readonly ListEntry[]) => ({
  entries: list.map(({ id, name }): Line => ({ id, name })),
});
const record = useRecord<{ entries: Line[] }>(
  () => known.value && asLinesOf(known.value),
  { entries: [] },
  async ({ after }) => {
    const made = await send('PUT', Entries, path, {
      entries: after.entries,
      moved: [...moved].map(([from, to]) => ({ from, to })),
    });
    moved.clear();
    known.value = made;
    return asLinesOf(made);
  },
);
const { form } = record;
const usedBy = (id: number | null) => known.value?.find((entry) => entry.id === id)?.used ?? 0;
function move(index: number, by: -1 | 1) {
  const list = [...form.entries];
  const [line] = list.splice(index, 1);
  if (line) list.splice(index + by, 0, line);
  form.entries = list;
}
const add = () => {
  form.entries = [...form.entries, { id: null, name: '' }];
};
const going = ref<Line | null>(null);
const goesTo = ref<number | null>(null);
const others = computed(() => [
  { title: 'nothing', value: null },
  ...form.entries.flatMap(({ id, name }) =>
    id && id !== going.value?.id ? [{ title: name, value: id }] : [],
  ),
]);
const asking = computed({
  get: () => going.value !== null,
  set: (open) => {
    if (!open) going.value = null;
  },
});
function remove(line: Line) {
  if (line.id !== null && usedBy(line.id)) {
    going.value = line;
    goesTo.value = null;
  } else drop(line);
}
function drop(line: Line) {
  form.entries = form.entries.filter((each) => each !== line && (line.id === null || each.id !== line.id));
}
function moveThem() {
  if (going.value?.id) moved.set(going.value.id, goesTo.value);
  if (going.value) drop(going.value);
  going.value = null;
}
const wordsFor = (id: number | null) => (id === null ? 'new' : many(usedBy(id), props.borneBy));
function begin() {
  form.entries = (props.usual ?? []).map((name) => ({ id: null, name }));
}
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <ol v-if="form.entries.length" class="entries">
    <li v-for="(line, index) in form.entries" :key="line.id ?? `new ${index}`">
      <span class="quiet figures place">{{ index + 1 }}</span>
      <v-text-field
        v-model="line.name"
        v-first="!line.name"
        :aria-label="`${one} ${index + 1}`"
        maxlength="60"
      />
      <span class="quiet count">{{ wordsFor(line.id) }}</span>
      <v-btn
        :icon="mdiArrowUp"
        size="x-small"
        variant="text"
        :disabled="!index"
        :aria-label="`${line.name || one} earlier`"
        @click="move(index, -1)"
      />
      <v-btn
        :icon="mdiArrowDown"
        size="x-small"
        variant="text"
        :disabled="index === form.entries.length - 1"
        :aria-label="`${line.name || one} later`"
        @click="move(index, 1)"
      />
      <button type="button" class="link" :aria-label="`Take away ${line.name || one}`" @click="remove(line)">
        take away
      </button>
    </li>
  </ol>
  <p v-else class="quiet">
    None yet.
    <template v-if="usual">
      <button type="button" class="link" @click="begin">Begin with {{ usual.length }} usual ones</button>,
      which you can rename.</template
    >
  </p>
  <v-btn class="mt-3" @click="add">Add one</v-btn>
  <p v-for="words in record.errorOf('entries')" :key="words" class="needs mt-2" role="alert">{{ words }}</p>
  <KeepBar :record="record" :labels="{ entries: 'List' }" @kept="emit('kept')" />
  <AskDialog v-model="asking" label="Take it away">
    <template #heading>Take “{{ going?.name }}” away?</template>
    <p>
      {{ many(usedBy(going?.id ?? null), borneBy) }}
      {{ usedBy(going?.id ?? null) === 1 ? 'bears' : 'bear' }} it. What is to stand there instead?
    </p>
    <v-select v-model="goesTo" :items="others" label="Instead" class="mt-3" />
    <template #answers>
      <v-btn @click="going = null">Leave it</v-btn>
      <v-btn color="primary" variant="flat" @click="moveThem">Take it away</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.entries {
  list-style: none;
  padding: 0;
  margin: 0;
}
.entries li {
  display: grid;
  grid-template-columns: 24px minmax(0, 320px) 70px auto auto auto;
  gap: 8px;
  align-items: center;
  padding: 4px 0;
  justify-content: start;
}
.place,
.count {
  text-align: right;
}
</style>
