<script setup lang="ts">
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
    <label class="quiet">from <input v-model="post.from" type="date" class="day" @change="again()" /></label>
    <label class="quiet">to <input v-model="post.until" type="date" class="day" @change="again()" /></label>
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
  font: inherit;
  border: 1px solid var(--hairline);
  background: var(--sheet);
  padding: 2px 4px;
  color: var(--ink);
}
</style>
