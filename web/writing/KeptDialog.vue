<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ref, watch } from 'vue';
import { WordingsPage } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { size } from '../words.ts';

/** Files that are kept in the cupboard, one of which is to be enclosed. */
const open = defineModel<boolean>({ required: true });
const emit = defineEmits<{ choose: [id: number] }>();
const LIMIT = 50;
const typed = ref('');
const words = ref('');
const say = useDebounceFn(() => (words.value = typed.value ?? ''), 200);
watch(typed, () => void say());
const { data, problem, load } = useLoad(WordingsPage, () =>
  open.value
    ? { path: '/wordings/kept', query: { kind: 'enclosure', words: words.value, limit: LIMIT } }
    : null,
);
</script>

<template>
  <AskDialog v-model="open" label="Kept enclosures">
    <v-text-field v-model="typed" data-find label="Find by name or description" clearable class="mb-2" />
    <Trouble :words="problem" :retry="load" />
    <p v-if="data === null && !problem" class="quiet">Looking …</p>
    <p v-else-if="!data?.rows.length" class="quiet">
      {{
        words
          ? 'No kept file has these words in its name.'
          : 'No file is kept yet. What goes out often is worth keeping once, under Wordings.'
      }}
    </p>
    <div class="kept">
      <button
        v-for="each in data?.rows ?? []"
        :key="each.id"
        type="button"
        class="plain choice"
        @click="emit('choose', each.id)"
      >
        <span class="name"
          >{{ each.name }}<br /><span class="quiet">{{
            [each.enclosed?.filename, each.description].filter(Boolean).join(', ')
          }}</span></span
        >
        <span class="quiet figures">{{ each.enclosed ? size(each.enclosed.size) : '' }}</span>
      </button>
    </div>
    <p v-if="data && data.total > data.rows.length" class="quiet mt-1">
      {{ data.total - data.rows.length }} more: type some letters of its name.
    </p>
    <template #answers><v-btn @click="open = false">Close</v-btn></template>
  </AskDialog>
</template>

<style scoped>
.kept {
  max-height: 46vh;
  overflow: auto;
}
.name {
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
