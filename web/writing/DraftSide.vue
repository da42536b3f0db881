<script setup lang="ts">
import { computed, ref } from 'vue';
import type { FileRef, Wording } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import DocumentsDialog from './DocumentsDialog.vue';
import type { Desk } from './draft.ts';
import KeptDialog from './KeptDialog.vue';
import PutIn from './PutIn.vue';

/** Beside the page: on which files it goes, what can be put in, and what is enclosed. */
const props = defineProps<{ desk: Desk }>();
const emit = defineEmits<{
  insert: [content: DocNode['content'] | string];
  stock: [wordings: readonly Wording[]];
}>();
const finding = ref(false);
const documents = ref(false);
const kept = ref(false);
const picker = ref<HTMLInputElement | null>(null);
const files = computed({
  get: () => props.desk.files,
  set: (chosen: FileRef[]) => props.desk.put({ files: chosen }),
});
const fileId = computed(() => files.value[0]?.id ?? null);
const offered = computed(() =>
  (props.desk.letter?.fittingFiles ?? []).filter((file) => !files.value.some((each) => each.id === file.id)),
);
async function encloseAll(list: FileList | null | undefined) {
  for (const file of Array.from(list ?? [])) await props.desk.enclose(file);
}
async function encloseDocument(id: number) {
  await props.desk.encloseDocument(id);
  documents.value = false;
}
async function encloseKept(id: number) {
  await props.desk.encloseKept([id]);
  kept.value = false;
}
</script>

<template>
  <aside class="side">
    <h2>Goes on file</h2>
    <div v-for="file in files" :key="file.id" class="mb-2">
      <FileTab state="logged" :label="file.number" />
      <button type="button" class="link ml-2" @click="files = files.filter((each) => each.id !== file.id)">
        take off
      </button>
      <br /><strong>{{ file.title }}</strong
      ><br /><span class="quiet">{{ file.clientName }}</span>
    </div>
    <p v-if="!files.length" class="quiet">
      No file chosen: it is found by what the message says, or asked for in Sorting.
    </p>
    <div v-if="offered.length" class="offers">
      <button
        v-for="file in offered"
        :key="file.id"
        type="button"
        class="plain"
        :title="`${file.title}, ${file.clientName}`"
        @click="files = [...files, file]"
      >
        <FileTab state="suggested" :label="`${file.number} ${file.title}`" />
      </button>
    </div>
    <v-btn size="small" class="mt-1" @click="finding = true">{{
      files.length ? 'Another file too…' : 'Choose a file…'
    }}</v-btn>

    <PutIn
      class="mt-5"
      :file-id="fileId"
      :subject="desk.subject"
      :body="desk.body"
      :occasion="desk.letter?.how === 'reply' || desk.letter?.how === 'all' ? 'answer owed' : null"
      @stock="(wordings: readonly Wording[]) => emit('stock', wordings)"
      @insert="(content: DocNode['content'] | string) => emit('insert', content)"
      @subject="(words: string) => desk.put({ subject: words })"
      @enclose="(ids: number[]) => desk.encloseKept(ids)"
    />

    <h2 class="mt-5">Enclose</h2>
    <input
      ref="picker"
      type="file"
      multiple
      class="visually-hidden"
      aria-label="Files to enclose"
      tabindex="-1"
      @change="encloseAll(picker?.files)"
    />
    <div class="tools">
      <v-btn size="small" @click="picker?.click()">From this computer…</v-btn>
      <v-btn size="small" :disabled="!fileId" @click="documents = true">From the client…</v-btn>
      <v-btn size="small" @click="kept = true">From the cupboard…</v-btn>
    </div>
    <p class="quiet mt-1">or drag files onto the page</p>
    <label class="plain-text mt-4"
      ><input
        type="checkbox"
        :checked="desk.plain"
        @change="desk.put({ plain: ($event.target as HTMLInputElement).checked })"
      />
      plain text only, without formatting</label
    >
    <FileFinder
      v-model="finding"
      @choose="(file: FileRef) => (files = [...files.filter((each) => each.id !== file.id), file])"
    />
    <KeptDialog v-model="kept" @choose="encloseKept" />
    <DocumentsDialog v-model="documents" :client="files[0] ?? null" @choose="encloseDocument" />
  </aside>
</template>

<style scoped>
.side {
  overflow: auto;
}
.side :deep(h2) {
  font: 600 13px/1 var(--sans);
  color: var(--ink-soft);
  margin-bottom: 8px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.plain-text {
  display: block;
  font-size: 13px;
}
.plain-text input {
  accent-color: var(--spruce);
}
</style>
