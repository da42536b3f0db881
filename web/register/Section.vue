<script setup lang="ts">
import { nextTick, ref, watch } from 'vue';

/** A part of a record: read first, changed in its place. */
const changing = defineModel<boolean>({ required: true });
defineProps<{ title: string; may: boolean }>();
const fields = ref<HTMLElement | null>(null);
// At once: a moment later somebody may be typing in another.
watch(changing, async (now) => {
  if (!now) return;
  await nextTick();
  fields.value?.querySelector<HTMLElement>('input, textarea')?.focus();
});
</script>

<template>
  <section class="sheet part" :aria-label="title">
    <header>
      <h2>{{ title }}</h2>
      <slot name="more" />
      <button
        v-if="may && !changing"
        type="button"
        class="link"
        :aria-label="`Change: ${title}`"
        @click="changing = true"
      >
        change
      </button>
    </header>
    <div v-if="changing" ref="fields" class="form-grid"><slot name="change" /></div>
    <slot v-else />
  </section>
</template>

<style scoped>
.part {
  padding: 12px 16px 14px;
  margin-bottom: 14px;
}
header {
  display: flex;
  align-items: baseline;
  gap: 14px;
  border-bottom: 1px solid var(--strong);
  padding-bottom: 4px;
  margin-bottom: 8px;
}
header h2 {
  flex: 1;
}
</style>
