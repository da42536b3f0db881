<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue';
import type { FileRef } from '../../contract/index.ts';
import FileTab from '../parts/FileTab.vue';
import KeyCap from '../parts/KeyCap.vue';
import Reasons from '../parts/Reasons.vue';
import { list, many } from '../words.ts';
import { useSortingQueue } from './sortingQueue.ts';

/** Where the message may belong, with the reasons, and everything else that can be done with it. */
const emit = defineEmits<{ find: []; always: []; newClient: [] }>();
const desk = useSortingQueue();
const noting = ref(false);
const noteField = ref<HTMLTextAreaElement | null>(null);
const candidates = computed(() => desk.message?.candidates ?? []);
const first = computed(() => candidates.value[0]?.file);
const isChosen = (file: FileRef) => desk.chosen.some((each) => each.id === file.id);
const stranger = computed(() => desk.message?.stranger ?? null);

// With the choice, not when it is shown: a remark begun while the message is on its way stays open.
watch(
  () => desk.selectedId,
  () => (noting.value = false),
);

function file(target: FileRef | undefined) {
  if (target) desk.settle({ kind: 'files', fileIds: [target.id] });
}
function fileChosen() {
  const files = desk.chosen.length ? desk.chosen : first.value ? [first.value] : [];
  if (files.length) desk.settle({ kind: 'files', fileIds: files.map((each) => each.id) });
}
async function remark() {
  noting.value = true;
  await nextTick();
  noteField.value?.focus();
}
defineExpose({ file, fileChosen, remark, candidates });
</script>

<template>
  <aside v-if="desk.message" class="choices" aria-labelledby="where">
    <h2 id="where">Where does it belong?</h2>
    <div
      v-for="(candidate, at) in candidates"
      :key="candidate.file.id"
      class="sheet candidate"
      :class="{ first: at === 0, chosen: isChosen(candidate.file) }"
    >
      <p class="line">
        <span
          ><KeyCap :letter="String(at + 1)" />
          <FileTab
            :state="isChosen(candidate.file) ? 'logged' : 'suggested'"
            :label="candidate.file.number" /></span
        ><span class="quiet">{{ candidate.likelihood }}</span>
      </p>
      <button type="button" class="plain title" @click="file(candidate.file)">
        {{ candidate.file.title }}
      </button>
      <p class="quiet">{{ candidate.file.clientName }}{{ candidate.file.closed ? ', closed' : '' }}</p>
      <Reasons :evidence="candidate.evidence" />
    </div>
    <p v-if="!candidates.length" class="sheet candidate quiet">
      Nobody in the records is known by these addresses or names. Find the file yourself, make a new client of
      it, or set the message aside.
    </p>
    <Reasons :evidence="desk.message.evidence" class="mb-2" />
    <p v-if="desk.chosen.length" class="chosen-files" role="status">
      To {{ list(desk.chosen.map((each) => each.number)) }}
      <button type="button" class="link" @click="desk.chosen = []">none of them</button>
    </p>
    <div class="acts">
      <v-btn
        v-if="first || desk.chosen.length"
        color="primary"
        variant="flat"
        :loading="desk.busy"
        @click="fileChosen"
        >File to {{ desk.chosen.length ? many(desk.chosen.length, 'file') : first?.number }}&nbsp;<KeyCap
          :letter="desk.chosen.length ? '↵' : '1'"
      /></v-btn>
      <v-btn @click="emit('find')">Another file…&nbsp;<KeyCap letter="F" /></v-btn>
    </div>
    <v-checkbox
      v-if="desk.message.restOfConversation"
      v-model="desk.rest"
      :label="`The rest of this conversation too (${many(desk.message.restOfConversation, 'message')})`"
    />
    <template v-if="stranger">
      <v-checkbox
        v-for="person in stranger.people"
        :key="person.id"
        :model-value="desk.addAddressTo === person.id"
        :label="`${stranger.email} is ${person.name}’s address, of ${person.clientName}`"
        @update:model-value="(on: boolean | null) => (desk.addAddressTo = on ? person.id : null)"
      />
    </template>
    <p v-if="!noting" class="more">
      <button type="button" class="link" @click="remark">Add a remark</button> <KeyCap letter="C" />
    </p>
    <label v-else class="note"
      >Remark, kept with the filing
      <textarea
        ref="noteField"
        v-model="desk.note"
        rows="2"
        maxlength="500"
        @keydown.esc="noteField?.blur()"
      />
    </label>
    <ul class="others">
      <li>
        <button type="button" class="link" @click="desk.settle({ kind: 'aside' })">Not client mail</button>
        <KeyCap letter="X" />
      </li>
      <li>
        <button type="button" class="link" @click="emit('always')">Always so…</button> <KeyCap letter="S" />
      </li>
      <li>
        <button type="button" class="link" @click="emit('newClient')">New client or person…</button>
        <KeyCap letter="N" />
      </li>
      <li>
        <button type="button" class="link" @click="desk.settle({ kind: 'private' })">Private</button>
        <KeyCap letter="P" />
      </li>
      <li>
        <button type="button" class="link" @click="desk.settle({ kind: 'later' })">Not today</button>
        <KeyCap letter="L" />
      </li>
    </ul>
  </aside>
</template>

<style scoped>
.choices h2 {
  margin-bottom: 8px;
}
.candidate {
  padding: 6px 12px 8px;
  margin-bottom: 6px;
}
.candidate.first {
  border-color: var(--spruce);
}
.candidate.chosen {
  background: var(--spruce-pale);
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.title {
  font-weight: 700;
  margin-top: 2px;
}
.title:hover {
  text-decoration: underline;
}
.chosen-files {
  margin-bottom: 6px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.acts :deep(.v-btn) {
  padding: 0 10px;
}
.more {
  margin-top: 6px;
}
.note {
  display: block;
  font-size: 13px;
  margin-top: 6px;
}
.note textarea {
  display: block;
  width: 100%;
  padding: 6px 8px;
  border: 1px solid var(--strong);
  background: var(--sheet);
  font: inherit;
}
.others {
  list-style: none;
  padding: 6px 0 0;
  margin: 6px 0 0;
  border-top: 1px solid var(--hairline);
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
</style>
