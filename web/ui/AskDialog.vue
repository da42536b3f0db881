<script setup lang="ts">
/** Something asked or shown over the screen: what it is about, what is to be known, and the answers below. */
const open = defineModel<boolean>({ required: true });
defineProps<{
  /** For whoever hears the screen. */
  label: string;
  /** In pixels. */
  maxWidth?: number;
}>();
</script>

<template>
  <v-dialog v-model="open" :max-width="maxWidth" :aria-label="label" scrollable>
    <v-card class="pa-5">
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
