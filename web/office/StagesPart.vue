<script setup lang="ts">
import { mdiArrowDown, mdiArrowUp } from '@mdi/js';
import { computed, reactive, ref } from 'vue';
import { z } from 'zod';
import { Stage, type Stage as StageRow } from '../../contract/index.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { useRecord } from '../ui/record.ts';
import KeepBar from './KeepBar.vue';
import { many } from '../words.ts';

/** The stages a file goes through, in order; files of one that goes are put to another. */
interface Line {
  id: number | null;
  name: string;
}
const emit = defineEmits<{ kept: [] }>();
const Stages = z.array(Stage);
const {
  data: stages,
  problem,
  load,
} = useLoad(Stages, () => '/office/stages', { concerns: { records: true } });
const moved = reactive(new Map<number, number | null>());
const record = useRecord<{ stages: Line[] }>(
  () => stages.value && { stages: stages.value.map(({ id, name }) => ({ id, name })) },
  { stages: [] },
  async ({ after }) => {
    stages.value = await send('PUT', Stages, '/office/stages', {
      stages: after.stages,
      moved: [...moved].map(([from, to]) => ({ from, to })),
    });
    moved.clear();
    // New ones have their numbers now.
    record.undo();
  },
);
const { form } = record;
const filesAt = (id: number | null) => stages.value?.find((stage) => stage.id === id)?.files ?? 0;
function move(index: number, by: -1 | 1) {
  const list = [...form.stages];
  const [line] = list.splice(index, 1);
  if (line) list.splice(index + by, 0, line);
  form.stages = list;
}
const add = () => {
  form.stages = [...form.stages, { id: null, name: '' }];
};
const going = ref<Line | null>(null);
const goesTo = ref<number | null>(null);
const others = computed(() => [
  { title: 'no stage', value: null },
  ...form.stages.flatMap(({ id, name }) =>
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
  if (line.id !== null && filesAt(line.id)) {
    going.value = line;
    goesTo.value = null;
  } else drop(line);
}
function drop(line: Line) {
  form.stages = form.stages.filter((each) => each !== line && (line.id === null || each.id !== line.id));
}
function moveFiles() {
  if (going.value?.id) moved.set(going.value.id, goesTo.value);
  if (going.value) drop(going.value);
  going.value = null;
}
const wordsFor = (stage: StageRow | undefined) => (stage ? many(stage.files, 'file') : 'new');
function usual() {
  form.stages = ['Enquiry', 'Instructed', 'In hand', 'With the client', 'Done'].map((name) => ({
    id: null,
    name,
  }));
}
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <ol v-if="form.stages.length" class="stages">
    <li v-for="(line, index) in form.stages" :key="line.id ?? `new ${index}`">
      <span class="quiet figures place">{{ index + 1 }}</span>
      <v-text-field
        v-model="line.name"
        :aria-label="`Stage ${index + 1}`"
        maxlength="60"
        :autofocus="!line.name"
      />
      <span class="quiet count">{{ wordsFor(stages?.find(({ id }) => id === line.id)) }}</span>
      <v-btn
        :icon="mdiArrowUp"
        size="x-small"
        variant="text"
        :disabled="!index"
        :aria-label="`${line.name || 'Stage'} earlier`"
        @click="move(index, -1)"
      />
      <v-btn
        :icon="mdiArrowDown"
        size="x-small"
        variant="text"
        :disabled="index === form.stages.length - 1"
        :aria-label="`${line.name || 'Stage'} later`"
        @click="move(index, 1)"
      />
      <button
        type="button"
        class="link"
        :aria-label="`Take away ${line.name || 'stage'}`"
        @click="remove(line)"
      >
        take away
      </button>
    </li>
  </ol>
  <p v-else class="quiet">
    No stages yet. <button type="button" class="link" @click="usual">Begin with five usual ones</button>,
    which you can rename.
  </p>
  <v-btn class="mt-3" @click="add">Add a stage</v-btn>
  <p v-for="words in record.errorOf('stages')" :key="words" class="needs mt-2" role="alert">{{ words }}</p>
  <KeepBar :record="record" :labels="{ stages: 'Stages' }" @kept="emit('kept')" />
  <AskDialog v-model="asking" label="Take a stage away">
    <template #heading>Take “{{ going?.name }}” away?</template>
    <p>{{ many(filesAt(going?.id ?? null), 'file') }} stand at it. Where are they to go?</p>
    <v-select v-model="goesTo" :items="others" label="They go to" class="mt-3" />
    <template #answers>
      <v-btn @click="going = null">Leave it</v-btn>
      <v-btn color="primary" variant="flat" @click="moveFiles">Take it away</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.stages {
  list-style: none;
  padding: 0;
  margin: 0;
}
.stages li {
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
