<script setup lang="ts">
defineProps<{ letter: string }>();
</script>

<template>
  <kbd class="key">{{ letter }}</kbd>
</template>

<style scoped>
.key {
  display: inline-block;
  min-width: 18px;
  padding: 0 5px;
  border: 1px solid var(--strong);
  border-bottom-width: 2px;
  border-radius: 3px;
  background: var(--sheet);
  color: var(--ink);
  font: 600 12px/17px var(--sans);
  text-align: center;
}
</style>
