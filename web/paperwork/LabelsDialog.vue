<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core';
import { computed, ref } from 'vue';
import { LABEL_SHEETS, wrongWith, type LabelSheet } from '../../core/paperwork/labels.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { takeFile, wordsOf } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';
import { many } from '../words.ts';

/** Address labels for those picked out, on sheets by their measures. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ selection: Selection; count: number }>();
const MEASURES: { name: keyof LabelSheet; label: string }[] = [
  { name: 'columns', label: 'Across' },
  { name: 'rows', label: 'Down' },
  { name: 'width', label: 'Width of one' },
  { name: 'height', label: 'Height of one' },
  { name: 'left', label: 'Margin, left' },
  { name: 'top', label: 'Margin, top' },
  { name: 'across', label: 'One to the next, across' },
  { name: 'down', label: 'One to the next, down' },
];
const [usual] = LABEL_SHEETS;
/** What was printed on last, on this computer. */
const kept = useLocalStorage<{ chosen: string; own: LabelSheet }>('labels', {
  chosen: usual?.words ?? 'own',
  own: { columns: 3, rows: 7, width: 63.5, height: 38.1, left: 7.2, top: 15.1, across: 66, down: 38.1 },
});
const items = [
  ...LABEL_SHEETS.map(({ words }) => ({ value: words, title: `${words} each` })),
  { value: 'own', title: 'by measures of my own…' },
];
const sheet = computed<LabelSheet>(
  () => LABEL_SHEETS.find(({ words }) => words === kept.value.chosen) ?? kept.value.own,
);
const start = ref(1);
const wrong = computed(() => wrongWith(sheet.value));
const busy = ref(false);
const failed = ref('');
async function print() {
  busy.value = true;
  try {
    await takeFile('/paperwork/labels', {
      selection: props.selection,
      sheet: sheet.value,
      start: start.value,
    });
    failed.value = '';
    open.value = false;
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <AskDialog v-model="open" label="Address labels" :max-width="480">
    <p class="mb-3">
      For {{ many(count, 'record') }}, on A4 sheets; whoever has no postal address gets no label.
    </p>
    <v-select v-model="kept.chosen" :items="items" label="Labels on a sheet" />
    <div v-if="kept.chosen === 'own'" class="form-grid mt-3">
      <v-text-field
        v-for="each in MEASURES"
        :key="each.name"
        v-model.number="kept.own[each.name]"
        type="number"
        step="0.1"
        min="0"
        :label="each.label"
      />
    </div>
    <v-text-field
      v-model.number="start"
      type="number"
      min="1"
      :max="sheet.columns * sheet.rows"
      label="Begin at label"
      class="mt-3"
    />
    <p v-if="wrong || failed" class="needs" role="alert">{{ wrong || failed }}</p>
    <template #answers>
      <v-btn @click="open = false">Close</v-btn>
      <v-btn color="primary" variant="flat" :disabled="wrong !== null" :loading="busy" @click="print"
        >Save the PDF</v-btn
      >
    </template>
  </AskDialog>
</template>
