<script setup lang="ts">
import { ref, watch } from 'vue';

/**
 * Something asked or shown over the screen: what it is about, what is to be known, and the answers below. Once
 * something was typed into it, it is left by an answer alone: neither Escape nor a click beside it loses words.
 */
const open = defineModel<boolean>({ required: true });
withDefaults(
  defineProps<{
    /** For whoever hears the screen. */
    label: string;
    /** In pixels. */
    maxWidth?: number;
    /** Whether it is left by an answer alone, where whoever shows it knows better than by what was typed. */
    persistent?: boolean;
  }>(),
  { persistent: undefined },
);
const typed = ref(false);
watch(open, () => (typed.value = false));
/** Where something is only sought, nothing is lost. */
function note({ target }: Event) {
  if (!(target instanceof HTMLInputElement) || !target.hasAttribute('data-find')) typed.value = true;
}
</script>

<template>
  <v-dialog
    v-model="open"
    :max-width="maxWidth"
    :aria-label="label"
    :persistent="persistent ?? typed"
    scrollable
  >
    <v-card class="pa-5" @input="note">
      <h2 class="mb-2">
        <slot name="heading">{{ label }}</slot>
      </h2>
      <div class="said"><slot /></div>
      <div v-if="$slots.answers" class="answers"><slot name="answers" /></div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.said {
  min-height: 0;
  overflow: auto;
  /* Room for the focus ring of what stands at the edge. */
  padding: 2px;
  margin: -2px;
}
</style>
