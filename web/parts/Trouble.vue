<script setup lang="ts">
/** An error in words, with another try when that may help. */
defineProps<{ words: string; retry?: () => void }>();
</script>

<template>
  <div v-if="words" class="trouble" role="alert">
    <span>{{ words }}</span>
    <button v-if="retry" class="link" type="button" @click="retry">Try again</button>
  </div>
</template>

<style scoped>
.trouble {
  border: 1px solid var(--brick);
  border-left-width: 4px;
  background: var(--sheet);
  color: var(--brick);
  font-weight: 600;
  padding: 8px 12px;
  display: flex;
  gap: 12px;
}
</style>
