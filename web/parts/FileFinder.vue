<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue';
import type { FileRef } from '../../contract/index.ts';
import FileTab from './FileTab.vue';
import { useSearching } from './searching.ts';
import Trouble from './Trouble.vue';

/** Finds any file by number, title, client or person, from the keyboard. */
const open = defineModel<boolean>({ required: true });
const emit = defineEmits<{ choose: [file: FileRef] }>();
const words = ref('');
const at = ref(0);
const input = ref<HTMLInputElement | null>(null);
const { hits, problem, settled } = useSearching(words);
const files = computed(() => hits.value.files);
watch(files, () => (at.value = 0));

watch(open, async (now) => {
  if (!now) return;
  words.value = '';
  await nextTick();
  setTimeout(() => input.value?.focus(), 50);
});

function choose(file: FileRef | undefined) {
  if (!file) return;
  emit('choose', file);
  open.value = false;
}
async function enter() {
  if (await settled()) choose(files.value[at.value]);
}
function key(event: KeyboardEvent) {
  if (event.key === 'ArrowDown') at.value = Math.min(at.value + 1, files.value.length - 1);
  else if (event.key === 'ArrowUp') at.value = Math.max(at.value - 1, 0);
  else if (event.key === 'Enter') void enter();
  else return;
  event.preventDefault();
}
</script>

<template>
  <v-dialog v-model="open" aria-label="Another file">
    <v-card class="pa-4">
      <h2 class="mb-3">Another file</h2>
      <input
        ref="input"
        v-model="words"
        class="find"
        role="combobox"
        aria-controls="found-files"
        :aria-expanded="files.length > 0"
        :aria-activedescendant="files[at] ? `found-${files[at]?.id}` : undefined"
        aria-label="Number, title, client or person"
        placeholder="Number, title, client or person"
        @keydown="key"
      />
      <Trouble :words="problem" class="mt-2" />
      <ul id="found-files" class="found" role="listbox" aria-label="Files found">
        <li
          v-for="(file, index) in files"
          :id="`found-${file.id}`"
          :key="file.id"
          role="option"
          :aria-selected="index === at"
          :class="{ on: index === at }"
          @click="choose(file)"
        >
          <FileTab state="logged" :label="file.number" />
          <span
            ><strong>{{ file.title }}</strong
            ><br /><span class="quiet">{{ file.clientName }}{{ file.closed ? ', closed' : '' }}</span></span
          >
        </li>
      </ul>
      <p v-if="words && !files.length" class="quiet mt-2">No file fits these words.</p>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.find {
  width: 100%;
  padding: 8px 10px;
  border: 1px solid var(--strong);
  background: var(--sheet);
  font: inherit;
}
.found {
  list-style: none;
  padding: 0;
  margin: 10px 0 0;
  max-height: 380px;
  overflow: auto;
}
.found li {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 7px 8px;
  border-bottom: 1px solid var(--hairline);
  cursor: pointer;
}
.found li.on {
  background: var(--rail);
}
</style>
