<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue';
import FormatBar from '../parts/FormatBar.vue';
import Writer from '../parts/Writer.vue';
import { useMailingDraft } from './mailingDraft.ts';

const workshop = useMailingDraft();
const subject = useTemplateRef<InstanceType<typeof Writer>>('subject');
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const last = ref<'subject' | 'body'>('body');
const field = ref<string | null>(null);
const fallback = ref('');

const label = (key: string) => workshop.facts.find((each) => each.key === key)?.label ?? key;
const editor = computed(() => body.value?.editor);
function insert() {
  if (!field.value) return;
  const target = last.value === 'subject' ? subject.value?.editor : body.value?.editor;
  target
    ?.chain()
    .focus()
    .insertContent({ type: 'mergeField', attrs: { field: field.value, fallback: fallback.value.trim() } })
    .run();
  field.value = null;
  fallback.value = '';
}
</script>

<template>
  <div v-if="workshop.draft" class="message">
    <div class="write">
      <div class="sheet subject">
        <span class="quiet subject-name">Subject</span>
        <Writer
          ref="subject"
          v-model="workshop.draft.subject"
          line
          label="Subject"
          :field-label="label"
          class="subject-writer"
          @focus="last = 'subject'"
        />
      </div>
      <div class="sheet body">
        <FormatBar :editor="editor" />
        <div class="scroll">
          <Writer
            ref="body"
            v-model="workshop.draft.body"
            label="Message"
            :field-label="label"
            @focus="last = 'body'"
          />
        </div>
      </div>
    </div>
    <aside class="fields" aria-labelledby="fields">
      <h2 id="fields">Put in a fact</h2>
      <p class="quiet mt-1 mb-3">
        It becomes each client’s own when the message is made. It goes in where you were last writing.
      </p>
      <v-select v-model="field" :items="workshop.facts" item-title="label" item-value="key" label="Fact" />
      <v-text-field
        v-model="fallback"
        label="Else say (when there is none)"
        class="mt-3"
        @keydown.enter="insert"
      />
      <v-btn class="mt-3" :disabled="!field" color="primary" variant="flat" @click="insert">Put it in</v-btn>
      <h2 class="mt-6">Below each copy</h2>
      <v-checkbox
        v-model="workshop.draft.optOut"
        class="mt-1"
        label="the firm’s address, and how to have no more of its kind"
      />
      <h2 class="mt-6">Counted</h2>
      <v-checkbox
        v-model="workshop.draft.counted"
        class="mt-1"
        label="who opens it, and which links are followed"
      />
    </aside>
  </div>
</template>

<style scoped>
.message {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 270px;
  gap: 18px;
}
.write {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
}
.subject {
  display: flex;
  align-items: center;
}
.subject-name {
  padding-left: 14px;
}
.subject-writer {
  flex: 1;
  min-width: 0;
}
.body {
  display: flex;
  flex-direction: column;
  min-height: 0;
  flex: 1;
}
.scroll {
  overflow: auto;
}
@media (max-width: 1000px) {
  .message {
    grid-template-columns: minmax(0, 1fr) 200px;
  }
}
</style>
