<script setup lang="ts">
import { Made } from '../../contract/index.ts';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';

/** Begins a message from whatever screen asked for one, and goes on to its desk. */
const route = useRoute();
const router = useRouter();
const problem = ref('');
const number = (name: string) => Number(route.query[name] ?? 0) || null;
async function begin() {
  try {
    const { id } = await send('POST', Made, '/drafts', {
      how: route.query.how ?? 'new',
      messageId: number('message'),
      fileId: number('file'),
      personId: number('person'),
      clientId: number('client'),
      documentId: number('document'),
    });
    await router.replace(`/writing/${id}`);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
void begin();
</script>

<template>
  <div class="screen">
    <h1>Write</h1>
    <Trouble :words="problem" :retry="begin" class="mt-3" />
    <p v-if="!problem" class="quiet">Laying out a page …</p>
  </div>
</template>
