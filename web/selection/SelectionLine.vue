<script setup lang="ts">
import { computed } from 'vue';
import type { SelectionFields } from '../../contract/index.ts';
import { isGroup, type Line } from '../../core/selection/tree.ts';
import { editorOf } from './editors.ts';
import { groupWords } from './groupWords.ts';

/** One line of a selection: the fact, the test, the value, and how many are left after it. */
const line = defineModel<Line>({ required: true });
const props = defineProps<{ fields: SelectionFields | null; count: number | null; of: number }>();
defineEmits<{ remove: [] }>();

const name = computed(() =>
  isGroup(line.value) ? 'Group' : editorOf(line.value).name(line.value, props.fields),
);
</script>

<template>
  <div class="criterion">
    <span class="name">{{ name }}</span>
    <div class="value">
      <span v-if="isGroup(line)" class="quiet">{{ groupWords(line, fields) }}</span>
      <component :is="editorOf(line).control" v-else v-model="line" :fields="fields" :name="name" />
    </div>
    <span class="left"
      ><i :style="{ width: `${count === null ? 0 : Math.max(2, (50 * count) / Math.max(1, of))}px` }" /><b
        class="figures"
        >{{ count === null ? '…' : count.toLocaleString('en-GB') }}</b
      ></span
    >
    <button
      type="button"
      class="plain remove"
      :aria-label="`Take the line ${name} away`"
      @click="$emit('remove')"
    >
      ×
    </button>
  </div>
</template>

<style scoped>
.criterion {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr) 88px 16px;
  gap: 8px;
  align-items: center;
  padding: 6px 8px 6px 12px;
  border-bottom: 1px solid var(--hairline);
}
.value :deep(.pair) {
  display: grid;
  grid-template-columns: 1.25fr 1fr;
  gap: 4px;
}
.left {
  display: flex;
  justify-content: end;
  align-items: center;
  gap: 6px;
}
.left i {
  height: 9px;
  background: var(--spruce);
  opacity: 0.75;
}
.remove {
  font-size: 17px;
  color: var(--ink-soft);
  line-height: 1;
}
.value :deep(.v-field) {
  padding-inline-end: 4px;
}
.value :deep(.v-field__input) {
  padding-inline: 8px 0;
}
</style>
