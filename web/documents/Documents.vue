<script setup lang="ts">
import DocumentList from './DocumentList.vue';
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head"><h1>Documents</h1></header>
    <DocumentList class="list" />
  </div>
</template>

<style scoped>
.list {
  flex: 1;
  margin-top: 12px;
}
</style>
