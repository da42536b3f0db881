<script setup lang="ts">
import DateField from '../ui/DateField.vue';
import { useMailList } from './mailList.ts';

/** What of the mail is looked for, and in which time. */
const post = useMailList();
const again = () => post.show(() => undefined);
</script>

<template>
  <form class="bar" role="search" @submit.prevent="again()">
    <input
      v-model="post.q"
      class="find"
      type="search"
      aria-label="Search the mail: people, words, a file number"
      placeholder="People, words, a file number"
    />
    <DateField v-model="post.from" label="from" class="day" clearable @update:model-value="again()" />
    <DateField v-model="post.until" label="to" class="day" clearable @update:model-value="again()" />
    <button v-if="post.q.trim().length > 1" type="button" class="link" @click="post.lookOnServers()">
      look on the server too
    </button>
  </form>
</template>

<style scoped>
.find {
  flex: 1;
  min-width: 180px;
  padding: 5px 8px;
  border: 1px solid var(--strong);
  background: var(--page);
  font: inherit;
}
.day {
  flex: 0 1 170px;
  min-width: 140px;
}
</style>
