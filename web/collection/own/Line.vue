<script setup lang="ts">
import { ref, watch } from 'vue';
import type { OwnPage } from '../../../contract/collection.ts';
import { ask, Refused } from './ask.ts';
import { dayIn } from './words.ts';

/** A line to the office. */
defineProps<{ page: OwnPage }>();
const emit = defineEmits<{ changed: [] }>();
/** What is being typed outlives a visit that ends meanwhile: in this window alone, until it was sent. */
const KEPT = 'a line not sent yet';
const words = ref(sessionStorage.getItem(KEPT) ?? '');
watch(words, (now) => sessionStorage.setItem(KEPT, now));
const busy = ref(false);
const problem = ref('');
const said = ref(false);
async function leave() {
  busy.value = true;
  problem.value = '';
  said.value = false;
  try {
    await ask('POST', '/lines', { words: words.value });
    words.value = '';
    said.value = true;
    emit('changed');
  } catch (error) {
    problem.value = error instanceof Refused ? error.message : 'It could not be sent. Please try again.';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section aria-labelledby="line">
    <h2 id="line">Leave us a line</h2>
    <form @submit.prevent="leave">
      <label for="words">What you would like us to know</label>
      <textarea id="words" v-model="words" rows="4" maxlength="4000" />
      <p>
        <button type="submit" class="main" :disabled="busy || !words.trim()">Leave it</button>
      </p>
      <p v-if="said" class="said" role="status">Thank you. We shall answer you.</p>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    </form>
    <details v-if="page.lines.length">
      <summary>What you have left before</summary>
      <p v-for="(line, index) in page.lines" :key="index" class="line">
        <span class="small">{{ dayIn(page.zone, line.at) }}</span><br />{{ line.words }}
      </p>
    </details>
  </section>
</template>
