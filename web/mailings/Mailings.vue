<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { z } from 'zod';
import { MailingRow, Made } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import MailingProgress from './MailingProgress.vue';

const LIMIT = 50;
const MOST = 200;
const router = useRouter();
const shown = ref(LIMIT);
const {
  data: mailings,
  problem,
  load,
} = useLoad(z.array(MailingRow), () => ({ path: '/mailings', query: { limit: shown.value } }), {
  concerns: { mailings: true },
});
const busy = ref(false);
const more = computed(() => shown.value < MOST && (mailings.value?.length ?? 0) >= shown.value);
const loadMore = () => (shown.value = Math.min(MOST, shown.value + LIMIT));
async function begin(copyOf: number | null) {
  busy.value = true;
  try {
    const { id } = await send('POST', Made, '/mailings', { copyOf });
    await router.push(`/mailings/${id}/recipients`);
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="screen">
    <header class="head">
      <div>
        <h1>Mailings</h1>
        <p class="quiet">One message to many clients, each their own copy from their own adviser.</p>
      </div>
      <v-btn color="primary" variant="flat" :loading="busy" @click="begin(null)">Begin a mailing</v-btn>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-3" />
    <ul class="sheet mailings">
      <li v-for="mailing in mailings ?? []" :key="mailing.id">
        <MailingProgress :mailing="mailing" />
        <button type="button" class="link" @click="begin(mailing.id)">Copy</button>
      </li>
    </ul>
    <p v-if="mailings && !mailings.length" class="quiet">
      No mailing yet. Begin one: choose who should have it, write it, look at it as each client will read it,
      and let it go.
    </p>
    <v-btn v-if="more" class="mt-3" @click="loadMore">Show earlier ones</v-btn>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-bottom: 16px;
}
.mailings {
  list-style: none;
  padding: 0;
  margin: 0;
  max-width: 900px;
}
.mailings li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 24px;
  align-items: center;
  padding: 12px 16px;
  border-bottom: 1px solid var(--hairline);
}
.mailings li:last-child {
  border-bottom: 0;
}
</style>
