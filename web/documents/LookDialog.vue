<script setup lang="ts">
import { ref, watch } from 'vue';
import type { DocumentLook } from '../../core/documents/look.ts';
import { many } from '../words.ts';
import Look from './Look.vue';

/** A document over the screen: looked at, taken out, and the ones before and after. */
const open = defineModel<boolean>({ required: true });
const props = withDefaults(
  defineProps<{
    filename: string;
    /** Below `/api`. */
    page: string;
    content: string;
    look: DocumentLook | null;
    /** Whether there is one before and after. */
    before?: boolean;
    after?: boolean;
  }>(),
  { before: undefined, after: undefined },
);
const emit = defineEmits<{ move: [by: -1 | 1] }>();
const pages = ref(0);
watch(
  () => props.page,
  () => (pages.value = 0),
);
function key(event: KeyboardEvent) {
  const typing = (event.target as HTMLElement).closest(
    'input, textarea, [role="listbox"], [role="combobox"]',
  );
  if (typing || event.altKey || event.ctrlKey || event.metaKey) return;
  if (event.key === 'ArrowLeft' && props.before) emit('move', -1);
  else if (event.key === 'ArrowRight' && props.after) emit('move', 1);
  else return;
  event.preventDefault();
}
</script>

<template>
  <v-dialog v-model="open" width="94vw" max-width="1180" height="88vh" :aria-label="filename" @keydown="key">
    <v-card class="card">
      <header>
        <h2>{{ filename }}</h2>
        <span v-if="pages" class="quiet figures">{{ many(pages, 'page') }}</span>
        <span class="acts">
          <template v-if="before !== undefined || after !== undefined">
            <v-btn
              size="small"
              :disabled="!before"
              aria-label="The one before (left arrow)"
              @click="emit('move', -1)"
              >←</v-btn
            >
            <v-btn
              size="small"
              :disabled="!after"
              aria-label="The one after (right arrow)"
              @click="emit('move', 1)"
              >→</v-btn
            >
          </template>
          <v-btn size="small" :href="`/api${content}`" download>Save</v-btn>
          <slot name="acts" />
          <v-btn size="small" @click="open = false">Close</v-btn>
        </span>
      </header>
      <div class="body" :class="{ wide: !$slots.side }">
        <Look :page="page" :content="content" :look="look" :filename="filename" @pages="pages = $event" />
        <aside v-if="$slots.side"><slot name="side" /></aside>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  height: 100%;
  display: flex;
  flex-direction: column;
  padding: 14px 18px;
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 14px;
  margin-bottom: 10px;
}
h2 {
  overflow-wrap: anywhere;
  flex: 1;
  min-width: 200px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.body {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 260px;
  gap: 18px;
}
.body.wide {
  grid-template-columns: minmax(0, 1fr);
}
aside {
  overflow: auto;
}
@media (max-width: 1000px) {
  .body {
    grid-template-columns: minmax(0, 1fr) 200px;
  }
}
</style>
