<script setup lang="ts" generic="V extends string | undefined">
/** One of a few things to be shown. */
const shown = defineModel<V>({ required: true });
defineProps<{
  /** What is chosen among, for a screen reader. */
  label: string;
  tabs: readonly { value: V; words: string; count?: number | undefined }[];
}>();
</script>

<template>
  <div class="tabs" role="group" :aria-label="label">
    <button
      v-for="tab in tabs"
      :key="tab.words"
      type="button"
      class="plain tab"
      :class="{ on: shown === tab.value }"
      :aria-pressed="shown === tab.value"
      @click="shown = tab.value"
    >
      {{ tab.words }}<span v-if="tab.count !== undefined" class="figures quiet">{{ ` ${tab.count}` }}</span>
    </button>
  </div>
</template>

<style scoped>
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  border-bottom: 1px solid var(--strong);
}
.tab {
  padding: 4px 2px 5px;
  border-bottom: 3px solid transparent;
}
.tab.on {
  border-bottom-color: var(--spruce);
}
</style>
