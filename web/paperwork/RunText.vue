<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue';
import type { FactInfo, RunDraft, Wording } from '../../contract/index.ts';
import FormatBar from '../parts/FormatBar.vue';
import Writer from '../parts/Writer.vue';

/** A line above and words below it: of a piece, or of the message that carries it. */
const subject = defineModel<RunDraft['subject']>('subject', { required: true });
const body = defineModel<RunDraft['body']>('body', { required: true });
const props = defineProps<{
  /** What stands before the line. */
  about: string;
  lineLabel: string;
  bodyLabel: string;
  facts: readonly FactInfo[];
  stock: readonly Wording[];
}>();
const emit = defineEmits<{ trouble: [words: string] }>();
const label = (key: string) => props.facts.find((each) => each.key === key)?.label ?? key;
const line = useTemplateRef<InstanceType<typeof Writer>>('line');
const words = useTemplateRef<InstanceType<typeof Writer>>('words');
const last = ref<'line' | 'words'>('words');
defineExpose({
  /** Of the words. */
  editor: computed(() => words.value?.editor),
  /** Where a fact is put: what was written in last. */
  target: computed(() => (last.value === 'words' ? words.value?.editor : line.value?.editor)),
  blocks: computed(() => last.value === 'words'),
});
</script>

<template>
  <div class="pane">
    <div class="sheet line">
      <span class="quiet">{{ about }}</span>
      <Writer
        ref="line"
        v-model="subject"
        line
        :label="lineLabel"
        :field-label="label"
        class="grow"
        @focus="last = 'line'"
      />
    </div>
    <div class="sheet body">
      <FormatBar :editor="words?.editor" :facts="facts" @pictures="(files) => words?.insertPictures(files)" />
      <div class="scroll">
        <Writer
          ref="words"
          v-model="body"
          :label="bodyLabel"
          :field-label="label"
          :stock="stock"
          @focus="last = 'words'"
          @trouble="emit('trouble', $event)"
        />
        <slot />
      </div>
    </div>
  </div>
</template>

<style scoped>
.pane {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
  flex: 1;
}
.line {
  display: flex;
  align-items: center;
  padding-left: 14px;
}
.grow {
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
</style>
