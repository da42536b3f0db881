<script setup lang="ts">
/** Facts as they are read: what each is called, and what it is; what is not known is left out unless asked for. */
defineProps<{ facts: readonly { label: string; value: string }[] }>();
</script>

<template>
  <dl>
    <div v-for="fact in facts.filter(({ value }) => value)" :key="fact.label">
      <dt class="quiet">{{ fact.label }}</dt>
      <dd>{{ fact.value }}</dd>
    </div>
  </dl>
</template>

<style scoped>
dl {
  margin: 0;
}
dl div {
  display: grid;
  grid-template-columns: 150px 1fr;
  gap: 12px;
  padding: 3px 0;
}
dd {
  margin: 0;
  white-space: pre-line;
  overflow-wrap: anywhere;
}
</style>
