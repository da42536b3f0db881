<script setup lang="ts">
/** What stands before the office: one sheet with a form. */
defineProps<{ heading: string; words: string }>();
</script>

<template>
  <main class="door">
    <div class="sheet card">
      <h1>{{ heading }}</h1>
      <p class="quiet mb-4">{{ words }}</p>
      <slot />
    </div>
  </main>
</template>

<style scoped>
.door {
  height: 100vh;
  overflow: auto;
  display: grid;
  place-items: center;
  padding: 20px;
  box-sizing: border-box;
}
.card {
  width: 400px;
  padding: 28px 28px 24px;
  border-left: 4px double var(--spruce);
}
</style>
